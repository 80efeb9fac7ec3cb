"""Filters for dates."""

from __future__ import annotations

from untor.filters.problem import FilterProblem, unfit

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import date


def date_filter(locale: str) -> Callable[..., str]:
    """Make the filter ``date`` for a locale."""

    def date(value: object, pattern: str = "medium") -> str:
        """Return the date for people: in a style (short, medium, long, full) or by a CLDR pattern (``d MMMM y``).

        Takes dates, datetimes and ISO 8601 text.
        """
        from babel import Locale, UnknownLocaleError  # noqa: PLC0415  loaded when the first date is printed
        from babel.dates import format_date  # noqa: PLC0415

        day = _as_date(value)
        if not isinstance(pattern, str) or not pattern:
            raise FilterProblem("the pattern must be text, like 'd MMMM y', or a style: short, medium, long, full.")
        try:
            return format_date(day, pattern, locale=Locale.parse(locale, sep="-" if "-" in locale else "_"))
        except (UnknownLocaleError, ValueError) as error:
            raise FilterProblem(f"the locale {locale!r} is not known ({error}).") from None
        except (AttributeError, KeyError, TypeError):
            raise FilterProblem(f"{pattern!r} is no pattern for a date.") from None

    return date


def _as_date(value: object) -> date:
    from datetime import date, datetime  # noqa: PLC0415  loaded when the first date is printed

    if isinstance(value, datetime):
        return value.date()
    if isinstance(value, date):
        return value
    if not isinstance(value, str):
        raise unfit("dates", value)
    try:
        return datetime.fromisoformat(value.strip()).date()
    except ValueError:
        raise FilterProblem(f"{value[:40]!r} is no date; dates are written like 2031-05-17.") from None
