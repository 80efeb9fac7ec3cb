"""The types of parameters, as ``takes`` and ``part`` write them."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable


def is_mapping(value: object) -> bool:
    """Tell whether dots are keys of a value."""
    if isinstance(value, dict):
        return True
    from collections.abc import Mapping  # noqa: PLC0415  loaded already by almost every program, but not by all

    return isinstance(value, Mapping)


def _is_date(value: object) -> bool:
    from datetime import date  # noqa: PLC0415  only for templates that take a date

    return isinstance(value, date)


def _is_datetime(value: object) -> bool:
    from datetime import datetime  # noqa: PLC0415

    return isinstance(value, datetime)


TYPES: dict[str, tuple[str, Callable[[object], bool]]] = {
    "any": ("anything", lambda _: True),
    "bool": ("True or False (bool)", lambda value: isinstance(value, bool)),
    "date": ("a date", _is_date),
    "datetime": ("a date with a time (datetime)", _is_datetime),
    "dict": ("a mapping (dict)", is_mapping),
    "float": ("a number (float)", lambda value: isinstance(value, int | float) and not isinstance(value, bool)),
    "int": ("a whole number (int)", lambda value: isinstance(value, int) and not isinstance(value, bool)),
    "list": ("a list", lambda value: isinstance(value, list | tuple)),
    "str": ("text (str)", lambda value: isinstance(value, str)),
}
"""Each type's words in messages, and its test."""
