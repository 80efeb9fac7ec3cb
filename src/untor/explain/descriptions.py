"""The kinds of contexts that reports tell apart."""

from __future__ import annotations

from typing import NamedTuple

from untor.escape import EMBEDDING


class Kind(NamedTuple):
    """A kind of context: its sign in reports, its name, what it is."""

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
    "trusted": Kind("!", "trusted", "printed unescaped, for the given reason"),
}
"""The kinds of contexts that reports tell apart, by the word that the page's style knows them by."""

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
