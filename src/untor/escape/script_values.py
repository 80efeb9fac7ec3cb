"""Python's values as values of a script: strings, numbers, lists and objects."""

from __future__ import annotations

from untor.escape import kinds
from untor.escape.fields import columns_of, fields_of, mappings_of, root_of
from untor.escape.kinds import MISSING, is_absent, kind_of, scalar_of, value_of_member
from untor.escape.lazy_patterns import pattern
from untor.escape.printing import NotPrintable, described, not_printable
from untor.escape.trusted import KINDS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from typing import Any

_NUMBER = pattern(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?|-?Infinity")
_NOT_A_NUMBER = pattern(r"[+-]?s?NaN[0-9]*")
_TRUSTED = tuple(KINDS.values())


_MOST_UNWRAPPED = 100
"""How many times a value may wrap another, as a member of an enumeration wraps its value."""


class JsonText:
    """A value with its JSON: prints as JSON in markup, and as the value itself in scripts."""

    __slots__ = ("value",)

    def __init__(self, value: object) -> None:
        self.value = value

    def __str__(self) -> str:
        from untor.escape.javascript import json_value  # noqa: PLC0415  it needs this module

        return json_value(self.value)


class Number(str):
    """The digits of a number of another type than ``int`` and ``float``."""

    __slots__ = ()


def scripted(value: Any) -> object:
    """Return a value as ``None``, ``bool``, ``int``, ``float``, ``str``, ``Number``, ``list`` or ``dict`` (one level).

    Models, named tuples and rows become objects by their fields, data frames lists of such, arrays and other
    collections lists, sets lists in sorted order, dates ISO 8601 text, members of enumerations their values. Raises
    ``NotPrintable`` for what scripts have nothing like; no method such as ``__iter__`` or ``__float__`` decides.
    """
    for _ in range(_MOST_UNWRAPPED):
        kind = kind_of(value)
        inner = _UNWRAP[kind](value) if kind in _UNWRAP else ()
        if not inner:
            return _converted(value, kind)
        value = inner[0]
    raise NotPrintable(f"{described(value)} whose data is the object itself", "Pass on its own data.")


def _converted(value: Any, kind: str) -> object:
    convert = _BY_KIND.get(kind)
    if convert is not None:
        return convert(value)
    if isinstance(value, _TRUSTED):
        return value.value
    if kind in {kinds.BYTES, kinds.FUNCTION, kinds.CLASS, kinds.AWAITABLE}:
        raise not_printable(value)
    raise NotPrintable(
        f"{described(value).partition(',')[0]} as data",
        "Pass a dict, a list, a string, a number or a model, such as a data class.",
    )


def _boolean(value: Any) -> bool:
    return bool(value)


def _integer(value: Any) -> int | bool:
    if isinstance(value, int):
        return value if isinstance(value, bool) else int.__int__(value)
    return int(value)


def _float(value: Any) -> float:
    return float.__float__(value) if isinstance(value, float) else float(value)


def _fraction(value: Any) -> float:
    try:
        return float(value)
    except OverflowError:
        raise NotPrintable("A number that is too large for a script", "Pass on a smaller one, or text.") from None


def _sequence(value: Any) -> object:
    fields = getattr(type(value), "_fields", None) if isinstance(value, tuple) else None
    return dict(zip(fields, value, strict=True)) if fields else list(value)


def _set(value: Any) -> list[object]:
    try:
        return sorted(value)
    except TypeError:
        return sorted(value, key=lambda item: (type(item).__name__, repr(item)))


def _mapping(value: Mapping[object, object]) -> dict[str, object]:
    return {_key(key): value[key] for key in value}


def _row(value: Any) -> dict[str, object]:
    return {_key(key): each for key, each in columns_of(value).items()}


def _scalar(array: Any) -> tuple[object, ...]:
    scalar = scalar_of(array)
    return () if scalar is MISSING else (scalar,)


def _exact(text: str) -> str:
    return str.__str__(text)


def _key(key: object) -> str:
    """Return a key as the text that JavaScript makes of it."""
    if isinstance(key, str):
        return str.__str__(key) if kind_of(key) == kinds.TEXT else str(value_of_member(key))
    if key is None:
        return "null"
    if isinstance(key, bool):
        return "true" if key else "false"
    if isinstance(key, int | float):
        return int.__repr__(key) if isinstance(key, int) else float.__repr__(key)
    plain = scripted(key)
    if isinstance(plain, list | dict):
        raise NotPrintable(f"A key of the type {type(key).__name__} as data", "Use text or numbers for keys.")
    return _key(plain)


def _decimal(value: Any) -> Number:
    """Return the digits of a ``Decimal``, by the method of ``Decimal`` itself: a subclass may print anything."""
    from decimal import Decimal  # noqa: PLC0415  loaded, since there is one

    return number(Decimal.__str__(value))


def number(digits: str) -> Number:
    """Return digits as a number of JavaScript and JSON (RFC 8259 §6). Raises ``NotPrintable`` for anything else."""
    if _NOT_A_NUMBER.fullmatch(digits):
        return Number("NaN")
    if not _NUMBER.fullmatch(digits):
        raise NotPrintable("A number that prints as something else", "Pass on an int, a float or a Decimal.")
    return Number(digits)


def _numpy_moment(value: Any) -> str | None:
    return None if is_absent(value) else str(value)


def _numpy_duration(value: Any) -> float | None:
    if is_absent(value):
        return None
    unit = value.dtype.str.partition("[")[2].strip("0123456789]")
    if unit in {"", "M", "Y"}:
        raise NotPrintable("A number of months or years as data", "Pass on days or seconds.")
    return float(value.astype("timedelta64[us]").astype(int)) / 1_000_000


_UNWRAP: dict[str, Callable[[Any], Sequence[object]]] = {
    kinds.ARRAY: _scalar,
    kinds.ENUM: lambda member: (value_of_member(member),),
    kinds.MODEL: root_of,
    kinds.OBJECT: lambda value: (value.value,) if type(value) is JsonText else (),
}
"""Kinds of values that may wrap another value, and how to get that."""

_BY_KIND: dict[str, Callable[[Any], object]] = {
    kinds.ABSENT: lambda _: None,
    kinds.ARRAY: list,  # not tolist(), which gives numbers for moments that are counted in nanoseconds
    kinds.BOOLEAN: _boolean,
    kinds.DECIMAL: _decimal,
    kinds.DURATION: lambda value: float(value.total_seconds()),
    kinds.FLOAT: _float,
    kinds.FRACTION: _fraction,
    kinds.FRAME: lambda value: list(mappings_of(value)),
    kinds.INTEGER: _integer,
    kinds.ITERATOR: list,
    kinds.MAPPING: _mapping,
    kinds.MODEL: fields_of,
    kinds.MOMENT: lambda value: _exact(value.isoformat()),
    kinds.NUMPY_DURATION: _numpy_duration,
    kinds.NUMPY_MOMENT: _numpy_moment,
    kinds.ROW: _row,
    kinds.SEQUENCE: _sequence,
    kinds.SET: _set,
    kinds.TEXT: str.__str__,
    kinds.WORD: lambda value: _exact(str(value)),
}
