"""The built-in filters. A filter takes the value and its arguments; ``None`` and missing values never reach it."""

from __future__ import annotations

from untor.filters.dates import date_filter
from untor.filters.lists import join, length
from untor.filters.text import clip, lower, upper

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable


def built_in(locale: str) -> dict[str, Callable[..., object]]:
    """Return the built-in filters by name, for an engine's locale."""
    return {
        "clip": clip,
        "date": date_filter(locale),
        "join": join,
        "len": length,
        "lower": lower,
        "upper": upper,
    }
