"""The types of parameters, as ``takes`` and ``part`` write them."""

from __future__ import annotations

from untor.escape import kinds
from untor.escape.kinds import is_absent, is_array, kind_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable


def is_mapping(value: object) -> bool:
    """Return whether dots are keys of a value."""
    if isinstance(value, dict):
        return True
    from collections.abc import Mapping  # noqa: PLC0415  loaded already by almost every program, but not by all

    return isinstance(value, Mapping)


def _is_date(value: object) -> bool:
    from datetime import date  # noqa: PLC0415  only for templates that take a date

    return isinstance(value, date) and not is_absent(value)


def _is_datetime(value: object) -> bool:
    from datetime import datetime  # noqa: PLC0415

    return isinstance(value, datetime) and not is_absent(value)


def _is_bool(value: object) -> bool:
    return isinstance(value, bool) or kind_of(value) == kinds.BOOLEAN


def _is_int(value: object) -> bool:
    return (kind_of(value) == kinds.INTEGER or isinstance(value, int)) and not isinstance(value, bool)


def _is_decimal(value: object) -> bool:
    return kind_of(value) == kinds.DECIMAL or _is_int(value)


def _is_float(value: object) -> bool:
    if kind_of(value) in {kinds.FLOAT, kinds.FRACTION} or _is_decimal(value):
        return True
    from numbers import Real  # noqa: PLC0415  only for other numbers

    return isinstance(value, Real) and not _is_bool(value) and kind_of(value) != kinds.NUMPY_DURATION


def _is_list(value: object) -> bool:
    kind = kind_of(value)
    return kind == kinds.SEQUENCE or (kind == kinds.ARRAY and is_array(value)) or isinstance(value, list | tuple)


TYPES: dict[str, tuple[str, Callable[[object], bool]]] = {
    "any": ("anything", lambda _: True),
    "bool": ("True or False (bool)", _is_bool),
    "date": ("a date", _is_date),
    "datetime": ("a date with a time (datetime)", _is_datetime),
    "decimal": ("a decimal number (Decimal or int)", _is_decimal),
    "dict": ("a mapping (dict)", is_mapping),
    "float": ("a number (float)", _is_float),
    "int": ("an integer (int)", _is_int),
    "list": ("a list", _is_list),
    "str": ("a string (str)", lambda value: isinstance(value, str)),
}
"""Each type's words in messages, and its test."""

NAMES = {
    "Any": "any",
    "Decimal": "decimal",
    "Iterable": "any",
    "Mapping": "dict",
    "Sequence": "list",
    "frozenset": "any",
    "object": "any",
    "set": "any",
    "tuple": "list",
}
"""Other names that Python's annotations have for them; what is not checked when a value is passed is ``any``."""


def type_of(name: str) -> tuple[str, Callable[[object], bool]]:
    """Return the words and the test of a type, or of several with ``|`` between them."""
    if name in TYPES:
        return TYPES[name]
    members = [TYPES[each] for each in name.split(" | ")]
    words = f"{', '.join(words for words, _ in members[:-1])} or {members[-1][0]}"
    return words, lambda value: any(fits(value) for _, fits in members)
