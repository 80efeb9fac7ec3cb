"""What filters of dates and times take for a moment."""

from __future__ import annotations

from datetime import UTC, date, datetime, time

from untor.escape.kinds import FLOAT, INTEGER, NUMPY_MOMENT, kind_of
from untor.runtime.filter_error import FilterProblem, unfit

TYPE_CHECKING = False
if TYPE_CHECKING:
    from datetime import tzinfo
    from typing import Any

_MILLISECONDS_FROM = 100_000_000_000
"""Numbers from here on are milliseconds: as seconds they would be after the year 5000."""


def moment_of(value: object, zone: tzinfo | None, *, needs: str) -> date | datetime:
    """Return a date or datetime, one with a time zone converted to ``zone``."""
    if type(value) is date:
        return value
    kind = kind_of(value)
    if isinstance(value, str):
        value = _read(value)
    elif kind in {INTEGER, FLOAT} and not isinstance(value, bool):
        number: Any = value
        seconds = float(number / 1000 if abs(number) >= _MILLISECONDS_FROM else number)
        try:
            value = datetime.fromtimestamp(seconds, UTC)
        except (ValueError, OverflowError, OSError):
            raise FilterProblem(f"{value!r} is not a valid timestamp.") from None
    elif kind == NUMPY_MOMENT:
        value = _of_numpy(value)
    if not isinstance(value, date):
        raise unfit(needs, value)
    if isinstance(value, datetime) and value.tzinfo is not None and zone is not None:
        try:
            return value.astimezone(zone)
        except (ValueError, OverflowError):
            return value
    return value


def _of_numpy(value: Any) -> object:
    """Return a moment of NumPy as one of Python: a date where it counts days or more."""
    moment = value.item()
    if isinstance(moment, int):  # it counts in nanoseconds, say
        moment = value.astype("datetime64[us]").item()
    if isinstance(moment, int):
        raise FilterProblem(f"{value} is not a date from the years 1 to 9999.")
    return moment


def _read(text: str) -> date | datetime:
    text = text.strip()
    try:
        return date.fromisoformat(text)
    except ValueError:
        pass
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        raise FilterProblem(f"{text[:40]!r} is not a valid date; write dates like 2031-05-17.") from None


def time_of(value: object) -> time | None:
    """Return a time of day, given as one or as ISO 8601 text; ``None`` for anything else."""
    if isinstance(value, time):
        return value
    if isinstance(value, str) and "-" not in value[:5]:
        try:
            return time.fromisoformat(value.strip())
        except ValueError:
            return None
    return None
