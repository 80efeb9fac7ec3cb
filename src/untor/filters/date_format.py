"""Dates and times in the patterns of CLDR (UTS #35 part 4 §8), with what is the same for every moment worked out once.

Babel formats each field once for every possible day, month, hour and so on. Patterns with fields that depend on more
than one of these, such as the week of the year, are passed to Babel for every moment.
"""

from __future__ import annotations

import re
from datetime import date, datetime, time
from functools import lru_cache
from operator import attrgetter

from untor.filters import date_patterns
from untor.filters.locales import locale_named

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any, Literal

    from babel import Locale
    from babel.dates import DateTimePattern

    Style = Literal["short", "medium", "long", "full"]
    Moment = date | datetime | time
    Piece = tuple[dict[int, str], Callable[[Any], int]]

_STYLES: dict[str, Style] = {"short": "short", "medium": "medium", "long": "long", "full": "full"}
_PLACE = re.compile(r"\{([01])\}")


def _weekday(moment: date) -> int:
    return moment.weekday()


_DAYS = {day: date(2001, 1, day) for day in range(1, 32)}
_MONTHS = {month: date(2001, month, 1) for month in range(1, 13)}
_WEEKDAYS = {weekday: date(2001, 1, 1 + weekday) for weekday in range(7)}  # the first was a Monday
_HOURS = {hour: time(hour) for hour in range(24)}
_MINUTES = {minute: time(0, minute) for minute in range(60)}
_SECONDS = {second: time(0, 0, second) for second in range(60)}
_DATE_FIELDS: dict[str, tuple[dict[int, Any], Callable[[Any], int]]] = {
    "d": (_DAYS, attrgetter("day")),
    **dict.fromkeys("MLQq", (_MONTHS, attrgetter("month"))),
    **dict.fromkeys("Eec", (_WEEKDAYS, _weekday)),
}
_TIME_FIELDS: dict[str, tuple[dict[int, Any], Callable[[Any], int]]] = {
    **dict.fromkeys("HhKka", (_HOURS, attrgetter("hour"))),
    "m": (_MINUTES, attrgetter("minute")),
    "s": (_SECONDS, attrgetter("second")),
}


class _Years(dict[int, str]):
    """What a field becomes for each year, filled as years come."""

    def __init__(self, field: str, locale: Locale) -> None:
        super().__init__()
        self.field, self.locale = field, locale

    def __missing__(self, year: int) -> str:
        self[year] = _by_babel(date(year, 1, 1), self.field, self.locale)
        return self[year]


def _by_babel(moment: Moment, field: str, locale: Locale) -> str:
    from babel.dates import DateTimeFormat  # noqa: PLC0415  loaded when the first date is printed

    written: str = DateTimeFormat(moment, locale)[field]
    return written


class DateFormat:
    """A pattern in a locale; called with a moment, it returns the moment in that locale's form."""

    __slots__ = ("pieces", "template")

    def __init__(self, template: str, pieces: list[Piece]) -> None:
        self.template = template
        self.pieces = pieces

    def __call__(self, moment: Moment) -> str:
        """Return a moment as the pattern has it."""
        return self.template % tuple([texts[key(moment)] for texts, key in self.pieces])


def _compiled(pattern: str, locale: Locale, *, dates: bool, times: bool) -> DateFormat | None:
    """Return the format of a pattern; ``None`` for one with other fields."""
    from babel.dates import parse_pattern, tokenize_pattern  # noqa: PLC0415

    parse_pattern(pattern)  # raises ValueError for an invalid pattern
    fields = {**(_DATE_FIELDS if dates else {}), **(_TIME_FIELDS if times else {})}
    template = ""
    pieces: list[Piece] = []
    for kind, content in tokenize_pattern(pattern):
        if kind == "chars":
            template += str(content).replace("%", "%%")
            continue
        field = content[0] * int(content[1])
        template += "%s"
        if field[0] == "y" and dates:
            pieces.append((_Years(field, locale), attrgetter("year")))
        elif field[0] in fields:
            samples, key = fields[field[0]]
            texts = {each: _by_babel(sample, field, locale) for each, sample in samples.items()}
            pieces.append((_shared(texts), key))
        else:
            return None
    return DateFormat(template, pieces)


_known: dict[tuple[str, ...], dict[int, str]] = {}
_MOST_KNOWN = 1000


def _shared(texts: dict[int, str]) -> dict[int, str]:
    """Return a table of the same texts that is known already: numbers are written alike in most locales."""
    key = (*map(str, texts), *texts.values())
    return _known.setdefault(key, texts) if len(_known) < _MOST_KNOWN else _known.get(key, texts)


def _pattern_of(style: str, where: Locale, format_in_style: Callable[[Style, Locale], DateTimePattern]) -> str:
    """Return the pattern of a style, or the pattern itself."""
    known = _STYLES.get(style)
    return style if known is None else format_in_style(known, where).pattern


def _checked(style: str, *, dates: bool, times: bool) -> None:
    if style not in _STYLES:
        date_patterns.check(style, dates=dates, times=times)


@lru_cache(256)
def date_format(locale: str, pattern: str) -> DateFormat | None:
    """Return the format of dates for a style or pattern; ``None`` if every date must be formatted by Babel."""
    from babel.dates import get_date_format  # noqa: PLC0415

    _checked(pattern, dates=True, times=False)
    where = locale_named(locale)
    return _compiled(_pattern_of(pattern, where, get_date_format), where, dates=True, times=False)


@lru_cache(256)
def time_format(locale: str, pattern: str) -> DateFormat | None:
    """Return the format of times of day for a style or pattern; ``None`` if every time must be formatted by Babel."""
    from babel.dates import get_time_format  # noqa: PLC0415

    _checked(pattern, dates=False, times=True)
    where = locale_named(locale)
    return _compiled(_pattern_of(pattern, where, get_time_format), where, dates=False, times=True)


@lru_cache(256)
def datetime_format(locale: str, pattern: str, time_style: str = "") -> DateFormat | None:
    """Return the format of datetimes for a style or pattern; ``None`` if every one must be formatted by Babel.

    ``time_style`` is the style of the time of day, where it is another one.
    """
    from babel.dates import get_datetime_format  # noqa: PLC0415

    where = locale_named(locale)
    style = _STYLES.get(pattern)
    if style is None:
        date_patterns.check(pattern, dates=True, times=True)
        return _compiled(pattern, where, dates=True, times=True)
    parts = time_format(locale, time_style or pattern), date_format(locale, pattern)
    template, pieces = "", []
    for index, text in enumerate(_PLACE.split(str(get_datetime_format(style, locale=where)).replace("'", ""))):
        if index % 2 == 0:
            template += text.replace("%", "%%")
            continue
        part = parts[int(text)]
        if part is None:
            return None
        template += part.template
        pieces += part.pieces
    return DateFormat(template, pieces)
