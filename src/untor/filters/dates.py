"""Filters for dates and times, in the format of a locale (CLDR, UTS #35 part 4)."""

from __future__ import annotations

from functools import lru_cache, partial

from untor.filters.locales import locale_named, zone_named
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import datetime, time, tzinfo
    from types import ModuleType
    from typing import Any

    from untor.filters.locale_settings import LocaleSettings


def date_filters(settings: LocaleSettings) -> dict[str, Callable[..., object]]:
    """Make the filters of dates and times for an engine's locale, time zone and clock."""

    def zone_of(timezone: str | None) -> tzinfo | None:
        name = settings.timezone if timezone is None else timezone
        return zone_named(name) if name else None

    def name_of(locale: str | None) -> str:
        return settings.locale if locale is None else locale

    def date_(value: object, pattern: str = "medium", *, locale: str | None = None, timezone: str | None = None) -> str:
        """Return the date for people: in a style (short, medium, long, full) or by a CLDR pattern (``d MMMM y``).

        Takes dates, datetimes, ISO 8601 text and POSIX timestamps. A datetime with a time zone is converted to
        ``timezone``, else in that of the engine.
        """
        moment: Any = moments().moment_of(value, zone_of(timezone), needs="dates")
        day = moment.date() if hasattr(moment, "date") else moment
        where = name_of(locale)

        def by_babel() -> str:
            from babel.dates import format_date  # noqa: PLC0415

            return format_date(day, pattern, locale=locale_named(where))

        return _written(day, formats().date_format, by_babel, where, pattern, "a date")

    def time_(value: object, pattern: str = "short", *, locale: str | None = None, timezone: str | None = None) -> str:
        """Return the time of day for people, in a style or by a CLDR pattern (``HH:mm``)."""
        zone = zone_of(timezone)
        moment: Any = moments().time_of(value)
        moment = moments().moment_of(value, zone, needs="times") if moment is None else moment
        if not hasattr(moment, "hour"):
            raise FilterProblem("it works on times, and this is a date without one.")
        where = name_of(locale)
        pattern = _zoneless(moment, pattern) or pattern

        def by_babel() -> str:
            from babel.dates import format_time  # noqa: PLC0415

            return format_time(moment, pattern, tzinfo=_own(moment, zone), locale=locale_named(where))

        return _written(moment, formats().time_format, by_babel, where, pattern, "a time")

    def datetime_(
        value: object, pattern: str = "medium", *, locale: str | None = None, timezone: str | None = None
    ) -> str:
        """Return date and time for people, in a style or by a CLDR pattern (``d MMM y HH:mm``)."""
        zone = zone_of(timezone)
        moment: Any = moments().moment_of(value, zone, needs="datetimes")
        if not hasattr(moment, "hour"):
            raise FilterProblem("it works on dates with a time, and this is a date alone: use date.")
        where = name_of(locale)

        def by_babel() -> str:
            from babel.dates import format_datetime  # noqa: PLC0415

            return format_datetime(moment, pattern, tzinfo=_own(moment, zone), locale=locale_named(where))

        format_of = partial(formats().datetime_format, time_style=_zoneless(moment, pattern))
        return _written(moment, format_of, by_babel, where, pattern, "a date with a time")

    def iso(value: object, *, timezone: str | None = None) -> str:
        """Return a date, time or datetime for machines (ISO 8601): for ``datetime="…"``, feeds and sitemaps.

        An aware datetime keeps its time zone, unless ``timezone`` converts it.
        """
        at_day = moments().time_of(value)
        zone = zone_named(timezone) if timezone else None
        moment: Any = at_day if at_day is not None else moments().moment_of(value, zone, needs="dates")
        written: str = moment.isoformat()
        return written

    def ago(value: object, *, locale: str | None = None) -> str:
        """Return how long ago something was, or in what time it will be, by the engine's clock."""
        return _ago(moments().moment_of(value, None, needs="datetimes"), settings, zone_of(None), name_of(locale))

    return {"date": date_, "time": time_, "datetime": datetime_, "iso": iso, "ago": ago}


def _ago(moment: Any, settings: LocaleSettings, zone: tzinfo | None, locale: str) -> str:
    from datetime import datetime, time  # noqa: PLC0415

    from babel.dates import format_timedelta  # noqa: PLC0415  loaded when the first moment is printed

    now = _now(settings)
    if not hasattr(moment, "hour"):
        moment = datetime.combine(moment, time(0))
    moment, now = (each if each.tzinfo else each.replace(tzinfo=zone) for each in (moment, now))
    if (moment.tzinfo is None) != (now.tzinfo is None):
        moment, now = moment.astimezone(), now.astimezone()
    return format_timedelta(moment - now, add_direction=True, locale=locale_named(locale))


def _now(settings: LocaleSettings) -> datetime:
    from datetime import UTC, datetime  # noqa: PLC0415

    return settings.clock() if settings.clock is not None else datetime.now(UTC)


@lru_cache(1)
def moments() -> ModuleType:
    """Return the module that reads moments, loaded when the first one is printed."""
    from untor.filters import moments as module  # noqa: PLC0415

    return module


@lru_cache(1)
def formats() -> ModuleType:
    """Return the module that writes dates and times, loaded when the first one is printed."""
    from untor.filters import date_format  # noqa: PLC0415

    return date_format


def _written(  # noqa: PLR0917  what writes a moment, and with what
    moment: object,
    format_of: Callable[[str, str], Callable[[object], str] | None],
    by_babel: Callable[[], str],
    locale: str,
    pattern: object,
    what: str,
) -> str:
    """Format a moment, with Babel if the pattern has no format of its own."""
    if not isinstance(pattern, str) or not pattern:
        raise FilterProblem("the pattern must be text, like 'd MMMM y', or a style: short, medium, long, full.")
    try:
        own = format_of(locale, pattern)
        return by_babel() if own is None else own(moment)
    except FilterProblem:
        raise
    except (AttributeError, KeyError, TypeError, ValueError):
        raise FilterProblem(f"{pattern!r} is not a valid pattern for {what}.") from None


def _zoneless(moment: time | datetime, pattern: object) -> str:
    """Return the style for a time of day that has no time zone, where the one that is wanted would print one.

    Raises ``FilterProblem`` for a pattern with a field for it.
    """
    if moment.tzinfo is not None or not isinstance(pattern, str):
        return ""
    if pattern in {"long", "full"}:
        return "medium"
    from untor.filters.date_patterns import ZONE_FIELDS, fields_of  # noqa: PLC0415  loaded with the first date

    zones = sorted(ZONE_FIELDS & fields_of(pattern)) if pattern not in {"short", "medium"} else []
    if zones:
        raise FilterProblem(f"{zones[0]} in {pattern!r} is the time zone, and this has none: pass a datetime with one.")
    return ""


def _own(moment: time | datetime, zone: tzinfo | None) -> tzinfo | None:
    """Return the time zone to print a moment in: its own if it has one and no other is requested."""
    return zone or moment.tzinfo if moment.tzinfo is not None else None
