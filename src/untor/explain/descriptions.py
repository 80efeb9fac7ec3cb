"""What is done to a value, in words, and the kinds of places that reports tell apart."""

from __future__ import annotations

from typing import NamedTuple

from untor.escape import EMBEDDING, URL_KINDS

WORDS: dict[str, str] = {
    "plain": "printed as it is",
    # markup
    "text": "& < > escaped",
    "foreign-text": "& < > escaped",
    "rcdata": "& < > escaped",
    "attribute": "& < > \" ' escaped",
    "whole-attribute": "quotes are added and & < > \" ' escaped; None and False leave it out",
    "embedded-attribute": "quotes are added and & < > \" ' escaped; None and False leave it out",
    "boolean-attribute": "the attribute is there when the value is true",
    "state-attribute": 'quotes are added; True and False become "true" and "false"',
    "xml-text": "& < > escaped",
    "xml-attribute": "& < > \" ' and line breaks escaped",
    "flag-attribute": "quotes are added and & < > \" ' escaped; None and False leave it out",
    "xml-embedded-attribute": "quotes are added and & < > \" ' escaped; None and False leave it out",
    "integrity": "nothing matches it unless it is a list of hashes",
    "integrity-attribute": "quotes are added; nothing matches it unless it is a list of hashes",
    "nonce": "empty unless it is a nonce",
    "nonce-attribute": "quotes are added; empty unless it is a nonce",
    "conditional-comment": "- escaped, so that the comment does not end",
    # URLs
    "url": "about:invalid unless its scheme is permitted; & < > \" ' escaped",
    "url-attribute": "quotes are added; about:invalid unless its scheme is permitted",
    "url-pieces": "the whole URL is looked at: about:invalid unless its scheme is permitted",
    "encoded-url": "about:invalid unless its scheme is permitted; percent-encoded",
    "image-url": "about:invalid unless its scheme is permitted or it is an image; & < > \" ' escaped",
    "image-url-attribute": "quotes are added; about:invalid unless its scheme is permitted or it is an image",
    "image-url-pieces": "the whole URL is looked at: about:invalid unless its scheme is permitted or it is an image",
    "encoded-image-url": "about:invalid unless its scheme is permitted or it is an image; percent-encoded",
    "listed-url": "about:invalid unless its scheme is permitted; percent-encoded, so that the list stays as it is",
    "listed-image-url": "about:invalid unless its scheme is permitted or it is an image; percent-encoded",
    "resource-url": "about:invalid unless it is a TrustedScriptURL or of a listed origin",
    "resource-url-attribute": "quotes are added; about:invalid unless it is a TrustedScriptURL or of a listed origin",
    "resource-url-pieces": "the whole URL is looked at: about:invalid unless trusted or of a listed origin",
    "encoded-resource-url": "about:invalid unless it is a TrustedScriptURL or of a listed origin; percent-encoded",
    "import-map": "becomes JSON; addresses become about:invalid unless trusted or of a listed origin",
    "speculation-rules": "becomes JSON; URLs become about:invalid unless trusted or of a listed origin",
    "percent": "percent-encoded as one component",
    "percent-opaque": "percent-encoded; @ and + stay",
    "percent-query": "names and values percent-encoded as a query",
    "percent-path": "percent-encoded as path segments; / stays",
    "host": "empty unless it is a host",
    "segment-url": "percent-encoded as one path segment; about:invalid for . and ..",
    "url-segment": "percent-encoded as one path segment; . and .. are blocked",
    "url-first-segment": "percent-encoded as the first path segment; . and .. are blocked",
    "url-segments": "percent-encoded as path segments; / stays, . and .. are blocked",
    "url-first-segments": "percent-encoded as the first path segments; / stays, . and .. are blocked",
    "descriptor": "dropped unless it is a width or a density",
    # scripts and data
    "script-value": "becomes a JavaScript value, < as \\u003c",
    "script-operand": "becomes a JavaScript value in brackets where it needs them, < as \\u003c",
    "script-url": "becomes a JavaScript string; about:invalid unless its scheme is permitted",
    "script-resource-url": "becomes a JavaScript string; about:invalid unless trusted or of a listed origin",
    "script-html": "an error unless it is TrustedHTML; becomes a JavaScript string",
    "script-statement": "an error unless it is a TrustedScript",
    "script-string": "escaped as text inside a JavaScript string or template",
    "script-regexp": "escaped to match just itself in a regular expression",
    "script-regexp-class": "escaped to be characters of a class in a regular expression",
    "json-value": "becomes a JSON value, < as \\u003c",
    "json-string": "escaped as text inside a JSON string",
    # styles
    "style-value": "dropped by the browser unless it is one harmless CSS value",
    "style-value-part": "dropped by the browser unless it is a harmless part of a CSS value",
    "style-string": "escaped as text inside a CSS string",
    "style-name": "dropped by the browser unless it is a CSS name",
    "style-name-part": "dropped by the browser unless it is a part of a CSS name",
    "style-custom-name": "dropped by the browser unless it is a CSS name that CSS does not keep for itself",
    "style-keyframes": "escaped as a CSS name; in quotes where CSS keeps the word for itself",
    "style-nth": "matches nothing unless it is an+b",
    "style-rules": "an error unless it is TrustedCSS",
}
WORDS |= {
    f"xml-{name}": words
    for name, words in WORDS.items()
    if name.removesuffix("-attribute").removesuffix("-pieces") in URL_KINDS
}
"""What each escaping function does."""


class Kind(NamedTuple):
    """A kind of place: its sign in reports, its name, what it is."""

    sign: str
    name: str
    what: str


KINDS: dict[str, Kind] = {
    "text": Kind("T", "text", "between tags, in titles and text areas"),
    "attribute": Kind("A", "attribute", "an ordinary attribute"),
    "url": Kind("U", "URL", "a link, or a part of one"),
    "resource": Kind("R", "resource URL", "a URL that code or a frame is loaded from"),
    "script": Kind("S", "script", "JavaScript or JSON"),
    "style": Kind("C", "style", "CSS"),
    "trusted": Kind("!", "trusted", "printed as it is, for the reason given"),
}
"""The kinds of places that reports tell apart, by the word that the page's style knows them by."""

_BY_CONTEXT = {
    "text": "text",
    "title-text": "text",
    "plain-text": "text",
    "data-block": "text",
    "attribute": "attribute",
    "whole-attribute": "attribute",
    "html-attribute": "attribute",
    "resource-url": "resource",
    "srcset": "url",
}


def kind_of_context(context: str) -> str:
    """Return which of ``KINDS`` a context belongs to."""
    if context in _BY_CONTEXT:
        return _BY_CONTEXT[context]
    start = context.partition("-")[0]
    return {"json": "script", "html": "script"}.get(start, start)


def in_order(escapers: tuple[str, ...]) -> tuple[str, ...]:
    """Return escaping functions in the order in which the value goes through them."""
    whole = EMBEDDING.get(escapers[0]) if len(escapers) > 1 else None
    return (*escapers[1:], whole) if whole else escapers
