"""Filters for text."""

from __future__ import annotations

import re

from untor.escape import printed
from untor.filters.problem import FilterProblem, unfit

_CONTAINERS = (dict, list, tuple, set, frozenset)
# A code point that continues the one before it: combining marks, variation selectors, joiners, skin tones.
_GRAPHEME = re.compile(
    "\r\n|.(?:[\u0300-\u036f\u0483-\u0489\u0591-\u05bd\u064b-\u065f\u093c\u0941-\u094d\u1ab0-\u1aff\u1dc0-\u1dff"
    "\u20d0-\u20ff\ufe00-\ufe0f\ufe20-\ufe2f\U0001f3fb-\U0001f3ff]|\u200d.)*",
    re.DOTALL,
)


def _text(value: object) -> str:
    if isinstance(value, _CONTAINERS):
        raise unfit("text", value)
    return printed(value)


def upper(value: object) -> str:
    """Return the text in upper case."""
    return _text(value).upper()


def lower(value: object) -> str:
    """Return the text in lower case."""
    return _text(value).lower()


def clip(value: object, n: int) -> str:
    """Return at most ``n`` characters of the text, whole words where possible, with "…" for what is left out.

    Characters are what readers take for one: a letter keeps its accents.
    """
    if isinstance(n, bool) or not isinstance(n, int) or n < 1:
        raise FilterProblem("the length must be a whole number from 1.")
    text = _text(value)
    if len(text) <= n:
        return text
    characters = _GRAPHEME.findall(text)
    if len(characters) <= n:
        return text
    kept = "".join(characters[: n - 1])
    if not characters[n - 1].isspace():
        words = re.search(r"\s+\S*\Z", kept)
        kept = kept[: words.start()] if words and words.start() else kept
    return kept.rstrip() + "…"
