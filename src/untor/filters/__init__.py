"""The built-in filters. A filter takes the value and its arguments.

``None`` and missing values reach only those in ``TAKE_NONE``.
"""

from __future__ import annotations

from untor.filters.dates import date_filter
from untor.filters.lists import join, length
from untor.filters.markup import json, path, trusted
from untor.filters.text import clip, lower, upper

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

KNOWN_TO_PLACES: dict[str, Callable[..., object]] = {"json": json, "path": path, "trusted": trusted}
"""Filters that say what a value is: as the last one in an expression they are looked at when a page is compiled."""

TAKE_NONE = frozenset({"json"})
"""Filters that ``None`` reaches."""


def built_in(locale: str) -> dict[str, Callable[..., object]]:
    """Return the built-in filters by name, for an engine's locale."""
    return {
        "clip": clip,
        "date": date_filter(locale),
        "join": join,
        "json": json,
        "len": length,
        "lower": lower,
        "path": path,
        "trusted": trusted,
        "upper": upper,
    }
