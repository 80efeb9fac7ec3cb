"""Locales and time zones by name, from CLDR and the IANA database."""

from __future__ import annotations

from functools import lru_cache

from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from babel import Locale


@lru_cache(maxsize=64)
def locale_named(name: str) -> Locale:
    """Return a locale by its BCP 47 or CLDR name. Raises ``FilterProblem`` for an unknown one."""
    from babel import Locale, UnknownLocaleError  # noqa: PLC0415  loaded when the first number or date is printed

    try:
        return Locale.parse(name, sep="-" if "-" in name else "_")
    except (UnknownLocaleError, ValueError, TypeError, AttributeError):
        raise FilterProblem(f"the locale {name!r} is not known; names look like en or pt-BR.") from None


@lru_cache(maxsize=64)
def zone_named(name: str) -> ZoneInfo:
    """Return a time zone by its IANA name. Raises ``FilterProblem`` for an unknown one."""
    from zoneinfo import ZoneInfo  # noqa: PLC0415  loaded when the first time is printed

    try:
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError, TypeError):
        raise FilterProblem(f"the time zone {name!r} is not known; names look like Europe/Lisbon.") from None
