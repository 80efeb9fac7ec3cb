"""The security kernel: one escaping function for each place; imports nothing else of Untor.

``escapers`` gives the table that both the analysis (names) and the generated code (functions) use,
so that they cannot disagree.
"""

from __future__ import annotations

from untor.escape import markup, origins, script, style, url, url_lists
from untor.escape.fast import fast
from untor.escape.trusted import TrustedCSS, TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL
from untor.escape.url import SCHEMES
from untor.escape.values import MISSING, NotPrintable, printed

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

__all__ = [
    "MISSING",
    "SCHEMES",
    "NotPrintable",
    "TrustedCSS",
    "TrustedHTML",
    "TrustedScript",
    "TrustedScriptURL",
    "TrustedURL",
    "escapers",
    "printed",
]

_FIXED: dict[str, Callable[..., str]] = {
    "plain": printed,
    # markup
    "text": fast(markup.text),
    "rcdata": fast(markup.rcdata),
    "attribute": fast(markup.attribute),
    "whole-attribute": markup.whole_attribute,
    "embedded-attribute": markup.embedded_attribute,
    "boolean-attribute": markup.boolean_attribute,
    "state-attribute": markup.state_attribute,
    "xml-text": markup.xml_text,
    "xml-attribute": markup.xml_attribute,
    "flag-attribute": markup.flag_attribute,
    # URLs
    "percent": fast(url.percent),
    "percent-opaque": url.percent_opaque,
    "percent-path": url.percent_path,
    "percent-query": url.percent_query,
    "host": url.host,
    "segment-url": fast(url.segment_url),
    "url-segment": url_lists.url_segment,
    "url-first-segment": url_lists.url_first_segment,
    "url-segments": url_lists.url_segments,
    "url-first-segments": url_lists.url_first_segments,
    "descriptor": url_lists.descriptor,
    # scripts and data
    "script-value": script.script_value,
    "script-operand": script.script_operand,
    "script-statement": script.script_statement,
    "script-string": fast(script.script_string),
    "script-regexp": script.script_regexp,
    "script-regexp-class": script.script_regexp_class,
    "json-value": script.json_value,
    "json-string": script.json_string,
    # styles
    "style-value": style.style_value,
    "style-value-part": style.style_value_part,
    "style-string": style.style_string,
    "style-name": style.style_name,
    "style-name-part": style.style_name_part,
    "style-rules": style.style_rules,
}
"""Those that are the same for every engine."""


def escapers(
    schemes: frozenset[str] = SCHEMES, resource_origins: frozenset[str] = frozenset()
) -> dict[str, Callable[..., str]]:
    """Return the escaping functions by name, made for the schemes and origins that an engine permits."""
    return {
        **_FIXED,
        "url": url.url_escaper(schemes),
        "url-attribute": url.url_attribute_escaper(schemes),
        "url-pieces": url.pieces_escaper(schemes),
        "encoded-url": url_lists.encoded_url_escaper(schemes),
        "image-url": url.url_escaper(schemes, images=True),
        "image-url-attribute": url.url_attribute_escaper(schemes, images=True),
        "image-url-pieces": url.pieces_escaper(schemes, images=True),
        "encoded-image-url": url_lists.encoded_url_escaper(schemes, images=True),
        "listed-url": url_lists.listed_url_escaper(schemes),
        "listed-image-url": url_lists.listed_url_escaper(schemes, images=True),
        **origins.resource_escapers(schemes, resource_origins),
    }
