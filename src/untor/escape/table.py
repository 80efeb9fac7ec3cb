"""The table of escaping functions: for each, where it is, what it does in words, and what code generation may know."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import NamedTuple

    class Escaper(NamedTuple):
        """An escaping function.

        - ``function``: its module and name, or those of the function that makes it for an engine.
        - ``words``: what it does, for people.
        - ``made_for``: ``"schemes"`` or ``"origins"`` if it depends on those that an engine permits; ``images`` permits
          ``data:`` URLs of images too.
        - ``accelerated``: whether the extension has a fast path for it, ``letter`` the letter for it there
          in a run of values.
        - ``inert``: whether nothing in its text is escaped in an attribute, so that it need not be escaped again.
        - ``simple``: values that programs write without calling it. Unchanged: whole numbers and parts of a ``name`` of
          CSS; whole numbers, colours and words as a ``component``. Escaped for an attribute: a ``url`` of the web.
        - ``several``: the function instead of it where the filter ``path`` marks a value as several path segments.
        """

        function: str
        words: str
        made_for: str = ""
        images: bool = False
        accelerated: bool = False
        letter: str = ""
        inert: bool = False
        simple: str = ""
        several: str = ""
else:  # typing is not loaded to render a page
    _FIELDS = "function words made_for images accelerated letter inert simple several"
    Escaper = namedtuple("Escaper", _FIELDS, defaults=("", False, False, "", False, "", ""))  # noqa: PYI024

URL_KINDS = ("url", "image-url", "resource-url")
"""The escapers of whole URLs, which can have any character in them."""

ESCAPERS: dict[str, Escaper] = {
    "plain": Escaper("printing.printed", "printed unchanged"),
    # markup
    "text": Escaper("html.text", "& < > escaped", accelerated=True, letter="t"),
    "foreign-text": Escaper("html.foreign_text", "& < > escaped"),
    "rcdata": Escaper("html.rcdata", "& < > escaped", accelerated=True, letter="r"),
    "attribute": Escaper("html.attribute", "& < > \" ' escaped", accelerated=True, letter="a"),
    "whole-attribute": Escaper(
        "html.whole_attribute", "quotes are added and & < > \" ' escaped; None and False leave it out"
    ),
    "embedded-attribute": Escaper(
        "html.embedded_attribute", "quotes are added and & < > \" ' escaped; None and False leave it out"
    ),
    "boolean-attribute": Escaper("html.boolean_attribute", "the attribute is there when the value is true"),
    "state-attribute": Escaper("html.state_attribute", 'quotes are added; True and False become "true" and "false"'),
    "tokens": Escaper("html.tokens", "a list is printed with blanks between its items"),
    "xml-text": Escaper("html.xml_text", "& < > escaped"),
    "xml-attribute": Escaper("html.xml_attribute", "& < > \" ' and line breaks escaped"),
    "flag-attribute": Escaper(
        "html.flag_attribute", "quotes are added and & < > \" ' escaped; None and False leave it out"
    ),
    "xml-embedded-attribute": Escaper(
        "html.xml_embedded_attribute", "quotes are added and & < > \" ' escaped; None and False leave it out"
    ),
    "integrity": Escaper("integrity.integrity", "nothing matches it unless it is a list of hashes"),
    "integrity-attribute": Escaper(
        "integrity.integrity_attribute", "quotes are added; nothing matches it unless it is a list of hashes"
    ),
    "nonce": Escaper("integrity.nonce", "empty unless it is a nonce"),
    "nonce-attribute": Escaper("integrity.nonce_attribute", "quotes are added; empty unless it is a nonce"),
    "conditional-comment": Escaper("html.conditional_comment", "- escaped, so that the comment does not end"),
    # whole URLs, made for the schemes of an engine
    "url": Escaper(
        "url.url_escaper",
        "about:invalid unless its scheme is permitted; & < > \" ' escaped",
        made_for="schemes",
        simple="url",
    ),
    "url-attribute": Escaper(
        "url.url_attribute_escaper",
        "quotes are added; about:invalid unless its scheme is permitted",
        made_for="schemes",
    ),
    "url-pieces": Escaper(
        "url.pieces_escaper",
        "the whole URL is looked at: about:invalid unless its scheme is permitted",
        made_for="schemes",
    ),
    "encoded-url": Escaper(
        "embedded_urls.encoded_url_escaper",
        "about:invalid unless its scheme is permitted; percent-encoded",
        made_for="schemes",
    ),
    "image-url": Escaper(
        "url.url_escaper",
        "about:invalid unless its scheme is permitted or it is an image; & < > \" ' escaped",
        made_for="schemes",
        images=True,
        simple="url",
    ),
    "image-url-attribute": Escaper(
        "url.url_attribute_escaper",
        "quotes are added; about:invalid unless its scheme is permitted or it is an image",
        made_for="schemes",
        images=True,
    ),
    "image-url-pieces": Escaper(
        "url.pieces_escaper",
        "the whole URL is looked at: about:invalid unless its scheme is permitted or it is an image",
        made_for="schemes",
        images=True,
    ),
    "encoded-image-url": Escaper(
        "embedded_urls.encoded_url_escaper",
        "about:invalid unless its scheme is permitted or it is an image; percent-encoded",
        made_for="schemes",
        images=True,
    ),
    "listed-url": Escaper(
        "embedded_urls.listed_url_escaper",
        "about:invalid unless its scheme is permitted; percent-encoded, so that the list is unchanged",
        made_for="schemes",
    ),
    "listed-image-url": Escaper(
        "embedded_urls.listed_url_escaper",
        "about:invalid unless its scheme is permitted or it is an image; percent-encoded",
        made_for="schemes",
        images=True,
    ),
    # URLs that code is loaded from, made for the origins of an engine too
    "resource-url": Escaper(
        "origins.resource_escapers",
        "about:invalid unless it is a TrustedScriptURL or of a listed origin",
        made_for="origins",
    ),
    "resource-url-attribute": Escaper(
        "origins.resource_escapers",
        "quotes are added; about:invalid unless it is a TrustedScriptURL or of a listed origin",
        made_for="origins",
    ),
    "resource-url-pieces": Escaper(
        "origins.resource_escapers",
        "the whole URL is looked at: about:invalid unless trusted or of a listed origin",
        made_for="origins",
    ),
    "encoded-resource-url": Escaper(
        "origins.resource_escapers",
        "about:invalid unless it is a TrustedScriptURL or of a listed origin; percent-encoded",
        made_for="origins",
    ),
    "import-map": Escaper(
        "origins.resource_escapers",
        "becomes JSON; addresses become about:invalid unless trusted or of a listed origin",
        made_for="origins",
    ),
    "speculation-rules": Escaper(
        "origins.resource_escapers",
        "becomes JSON; URLs become about:invalid unless trusted or of a listed origin",
        made_for="origins",
    ),
    # parts of URLs
    "percent": Escaper("url.percent", "percent-encoded as one component", accelerated=True, letter="p", inert=True),
    "percent-opaque": Escaper("url.percent_opaque", "percent-encoded; @ and + stay", simple="name"),
    "percent-data": Escaper(
        "url.percent_data", "percent-encoded; the characters of base64 stay", inert=True, simple="name"
    ),
    "percent-query": Escaper("url.percent_query", "names and values percent-encoded as a query"),
    "percent-path": Escaper("url.percent_path", "percent-encoded as path segments; / stays", inert=True),
    "host": Escaper("url.host", "empty unless it is a host"),
    "segment-url": Escaper(
        "url.segment_url",
        "percent-encoded as one path segment; about:invalid for . and ..",
        accelerated=True,
        letter="s",
    ),
    "url-segment": Escaper(
        "embedded_urls.url_segment",
        "percent-encoded as one path segment; . and .. are blocked",
        accelerated=True,
        letter="g",
        inert=True,
        several="url-segments",
    ),
    "url-first-segment": Escaper(
        "embedded_urls.url_first_segment",
        "percent-encoded as the first path segment; . and .. are blocked",
        inert=True,
        several="url-first-segments",
    ),
    "url-segments": Escaper(
        "embedded_urls.url_segments", "percent-encoded as path segments; / stays, . and .. are blocked", inert=True
    ),
    "url-first-segments": Escaper(
        "embedded_urls.url_first_segments",
        "percent-encoded as the first path segments; / stays, . and .. are blocked",
        inert=True,
    ),
    "descriptor": Escaper("embedded_urls.descriptor", "dropped unless it is a width or a density"),
    "seconds": Escaper("embedded_urls.seconds", "empty unless it is a number"),
    # scripts and data
    "script-value": Escaper("javascript.script_value", "becomes a JavaScript value, < as \\u003c"),
    "script-operand": Escaper(
        "javascript.script_operand", "becomes a JavaScript value in brackets where it needs them, < as \\u003c"
    ),
    "script-url": Escaper(
        "javascript.script_url_escaper",
        "becomes a JavaScript string; about:invalid unless its scheme is permitted",
        made_for="schemes",
    ),
    "script-resource-url": Escaper(
        "origins.resource_escapers",
        "becomes a JavaScript string; about:invalid unless trusted or of a listed origin",
        made_for="origins",
    ),
    "script-html": Escaper("javascript.script_html", "an error unless it is TrustedHTML; becomes a JavaScript string"),
    "script-statement": Escaper("javascript.script_statement", "an error unless it is a TrustedScript"),
    "script-string": Escaper(
        "javascript.script_string",
        "escaped as text inside a JavaScript string or template",
        accelerated=True,
        inert=True,
    ),
    "script-regexp": Escaper("javascript.script_regexp", "escaped to match just itself in a regular expression"),
    "script-regexp-class": Escaper(
        "javascript.script_regexp_class", "escaped to be characters of a class in a regular expression"
    ),
    "json-value": Escaper("javascript.json_value", "becomes a JSON value, < as \\u003c"),
    "json-string": Escaper("javascript.json_string", "escaped as text inside a JSON string", accelerated=True),
    # styles
    "style-value": Escaper(
        "css.style_value", "dropped by the browser unless it is one harmless CSS value", simple="component"
    ),
    "style-list": Escaper(
        "css.style_list", "dropped by the browser unless it is made of harmless CSS values", simple="component"
    ),
    "style-value-part": Escaper(
        "css.style_value_part", "dropped by the browser unless it is a harmless part of a CSS value", simple="name"
    ),
    "style-string": Escaper("css.style_string", "escaped as text inside a CSS string", inert=True, simple="name"),
    "style-name": Escaper("css.style_name", "dropped by the browser unless it is a CSS name", inert=True),
    "style-name-part": Escaper(
        "css.style_name_part", "dropped by the browser unless it is a part of a CSS name", inert=True, simple="name"
    ),
    "style-custom-name": Escaper(
        "css.style_custom_name", "dropped by the browser unless it is a CSS name that CSS does not keep for itself"
    ),
    "style-keyframes": Escaper(
        "css.style_keyframes", "escaped as a CSS name; in quotes where CSS keeps the word for itself"
    ),
    "style-nth": Escaper("css.style_nth", "matches nothing unless it is an+b"),
    "style-rules": Escaper("css.style_rules", "an error unless it is TrustedCSS"),
}
ESCAPERS |= {
    f"xml-{name}": ESCAPERS[name]._replace(function="html.in_xml", made_for="xml", simple="")
    for kind in URL_KINDS
    for name in (kind, f"{kind}-attribute", f"{kind}-pieces")
}
"""The escaping functions by name."""

EMBEDDING = {"whole-attribute": "embedded-attribute", "flag-attribute": "xml-embedded-attribute"}
"""What prints a whole attribute whose value goes through another function first."""
