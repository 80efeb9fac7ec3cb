"""The built-in filters. A filter takes the value and its arguments.

``None`` and missing values reach only those in ``TAKE_NONE``.
"""

from __future__ import annotations

from untor.filters import lists, marking, strings
from untor.filters.dates import date_filters
from untor.filters.listed import list_filters
from untor.filters.locale_settings import LocaleSettings
from untor.filters.numbers import number_filters
from untor.filters.pictures import picture, table_filter

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

KNOWN_TO_PLACES: dict[str, Callable[..., object]] = {
    "json": marking.json,
    "path": marking.path,
    "query": marking.query,
    "trusted": marking.trusted,
}
"""Filters that say what a value is: as the last one in an expression they are looked at when a page is compiled."""

TAKE_NONE = frozenset({"json", "_plural_form"})
"""Filters that ``None`` reaches."""

_FIXED: dict[str, Callable[..., object]] = {
    # text
    "capital": strings.capital,
    "clip": strings.clip,
    "lines": strings.lines,
    "lower": strings.lower,
    "paragraphs": strings.paragraphs,
    "replace": strings.replace,
    "slug": strings.slug,
    "split": strings.split,
    "title": strings.title,
    "strip": strings.strip,
    "text": strings.text_,
    "upper": strings.upper,
    "words": strings.words,
    # lists
    "batched": lists.batched,
    "each": lists.each,
    "first": lists.first,
    "group": lists.group,
    "join": lists.join,
    "last": lists.last,
    "len": lists.length,
    "max": lists.max_,
    "min": lists.min_,
    "reversed": lists.reversed_,
    "sorted": lists.sorted_,
    "sum": lists.sum_,
    "unique": lists.unique,
    "where": lists.where,
    # what a value is
    "cleaned": marking.cleaned,
    "html_source": marking.html_source,
    "picture": picture,
    **KNOWN_TO_PLACES,
}
"""Those that are the same for every engine."""


def _a_moment() -> object:
    from datetime import UTC, datetime  # noqa: PLC0415  only for templates that name a pattern

    return datetime(2031, 5, 17, 9, 30, tzinfo=UTC)


SAMPLES: dict[str, Callable[[], object]] = {
    **dict.fromkeys(("clip", "replace", "split", "strip"), lambda: "a"),
    **dict.fromkeys(("bytes", "money", "number", "percent", "plural", "round"), lambda: 1),
    **dict.fromkeys(("ago", "date", "datetime", "iso", "time"), _a_moment),
    **dict.fromkeys(("batched", "each", "first", "group", "join", "last", "listed", "max", "min"), list),
    **dict.fromkeys(("sorted", "sum", "table", "unique", "where"), list),
    "picture": lambda: b"GIF89a",
}
"""A value that each filter accepts, to try constant arguments with."""


def built_in(settings: LocaleSettings) -> dict[str, Callable[..., object]]:
    """Return the built-in filters by name, for an engine's locale, time zone and clock."""
    numbers = number_filters(settings)
    made = {**_FIXED, **numbers, **date_filters(settings), **list_filters(settings)}
    made["table"] = table_filter(numbers["number"])
    return dict(sorted(made.items()))


NAMES = frozenset(built_in(LocaleSettings()))
"""The names of the built-in filters, which no other can have."""
