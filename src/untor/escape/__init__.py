"""The security kernel: one escaping function for each place; imports nothing else of Untor.

``Escapers`` is the table that both the analysis (names) and the generated code (functions) use, so that they cannot
disagree. A page loads only those modules whose functions it uses.
"""

from __future__ import annotations

from importlib import import_module

from untor.escape.accelerated import accelerated
from untor.escape.printing import MISSING, NotPrintable, printed
from untor.escape.trusted import TrustedCSS, TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL
from untor.escape.url import SCHEMES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

    Function = Callable[..., str]

__all__ = [
    "EMBEDDING",
    "INERT",
    "MISSING",
    "NAMES",
    "SCHEMES",
    "URL_KINDS",
    "Escapers",
    "NotPrintable",
    "TrustedCSS",
    "TrustedHTML",
    "TrustedScript",
    "TrustedScriptURL",
    "TrustedURL",
    "printed",
]

_FIXED: dict[str, str] = {
    "plain": "printing.printed",
    # markup
    "text": "html.text",
    "foreign-text": "html.foreign_text",
    "rcdata": "html.rcdata",
    "attribute": "html.attribute",
    "whole-attribute": "html.whole_attribute",
    "embedded-attribute": "html.embedded_attribute",
    "boolean-attribute": "html.boolean_attribute",
    "state-attribute": "html.state_attribute",
    "xml-text": "html.xml_text",
    "xml-attribute": "html.xml_attribute",
    "flag-attribute": "html.flag_attribute",
    "xml-embedded-attribute": "html.xml_embedded_attribute",
    "conditional-comment": "html.conditional_comment",
    "integrity": "integrity.integrity",
    "integrity-attribute": "integrity.integrity_attribute",
    "nonce": "integrity.nonce",
    "nonce-attribute": "integrity.nonce_attribute",
    # URLs
    "percent": "url.percent",
    "percent-opaque": "url.percent_opaque",
    "percent-path": "url.percent_path",
    "percent-query": "url.percent_query",
    "host": "url.host",
    "segment-url": "url.segment_url",
    "url-segment": "embedded_urls.url_segment",
    "url-first-segment": "embedded_urls.url_first_segment",
    "url-segments": "embedded_urls.url_segments",
    "url-first-segments": "embedded_urls.url_first_segments",
    "descriptor": "embedded_urls.descriptor",
    # scripts and data
    "script-value": "javascript.script_value",
    "script-operand": "javascript.script_operand",
    "script-html": "javascript.script_html",
    "script-statement": "javascript.script_statement",
    "script-string": "javascript.script_string",
    "script-regexp": "javascript.script_regexp",
    "script-regexp-class": "javascript.script_regexp_class",
    "json-value": "javascript.json_value",
    "json-string": "javascript.json_string",
    # styles
    "style-value": "css.style_value",
    "style-value-part": "css.style_value_part",
    "style-string": "css.style_string",
    "style-name": "css.style_name",
    "style-name-part": "css.style_name_part",
    "style-custom-name": "css.style_custom_name",
    "style-keyframes": "css.style_keyframes",
    "style-nth": "css.style_nth",
    "style-rules": "css.style_rules",
}
"""Those that are the same for every engine, by the module and the name of their function."""

_FAST = frozenset({"text", "rcdata", "attribute", "percent", "segment-url", "script-string", "json-string"})
"""Those of them that the extension has a fast path for."""

_MADE: dict[str, tuple[str, dict[str, bool]]] = {
    "url": ("url.url_escaper", {}),
    "url-attribute": ("url.url_attribute_escaper", {}),
    "url-pieces": ("url.pieces_escaper", {}),
    "encoded-url": ("embedded_urls.encoded_url_escaper", {}),
    "listed-url": ("embedded_urls.listed_url_escaper", {}),
    "image-url": ("url.url_escaper", {"images": True}),
    "image-url-attribute": ("url.url_attribute_escaper", {"images": True}),
    "image-url-pieces": ("url.pieces_escaper", {"images": True}),
    "encoded-image-url": ("embedded_urls.encoded_url_escaper", {"images": True}),
    "script-url": ("javascript.script_url_escaper", {}),
    "listed-image-url": ("embedded_urls.listed_url_escaper", {"images": True}),
}
"""Those that are made for the schemes of an engine, by what makes them."""

INERT = frozenset(
    """percent percent-path url-segment url-first-segment url-segments url-first-segments script-string style-string
    style-name style-name-part""".split()
)
"""Those whose text has nothing in it that is escaped in an attribute, so that it need not be looked at again."""

_FOR_ORIGINS = frozenset(
    """resource-url resource-url-attribute resource-url-pieces encoded-resource-url import-map speculation-rules
    script-resource-url""".split()
)
"""Those that are made for its origins of code too."""

URL_KINDS = frozenset({"url", "image-url", "resource-url"})
"""Those of whole URLs, which can have any character in them."""

_IN_XML = frozenset(f"xml-{kind}{end}" for kind in URL_KINDS for end in ("", "-attribute", "-pieces"))

EMBEDDING = {"whole-attribute": "embedded-attribute", "flag-attribute": "xml-embedded-attribute"}
"""What prints a whole attribute whose value goes through another function first."""

NAMES = frozenset({*_FIXED, *_MADE, *_FOR_ORIGINS, *_IN_XML})
"""The names of all."""


class Escapers(dict[str, "Function"]):
    """The escaping functions by name, made for the schemes and origins that an engine permits when they are asked for.

    Raises ``KeyError`` for a name that there is not.
    """

    def __init__(self, schemes: frozenset[str] = SCHEMES, resource_origins: frozenset[str] = frozenset()) -> None:
        super().__init__()
        self.schemes = schemes
        self.resource_origins = resource_origins

    def __missing__(self, name: str) -> Function:
        if name in _FOR_ORIGINS:
            made: dict[str, Function] = _of("origins.resource_escapers")(self.schemes, self.resource_origins)
            self.update(made)
        elif name in _IN_XML:
            self[name] = _of("html.in_xml")(self[name.removeprefix("xml-")])
        elif name in _MADE:
            maker, options = _MADE[name]
            self[name] = _of(maker)(self.schemes, **options)
        else:
            function = _of(_FIXED[name])
            self[name] = accelerated(function) if name in _FAST else function
        return self[name]


def _of(where: str) -> Any:
    module, _, name = where.partition(".")
    return getattr(import_module(f"untor.escape.{module}"), name)
