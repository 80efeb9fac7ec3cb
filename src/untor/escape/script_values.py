"""Python's values as values of a script: strings, numbers, lists and objects."""

from __future__ import annotations

from untor.escape.lazy_patterns import pattern
from untor.escape.printing import NotPrintable, printed
from untor.escape.trusted import KINDS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from typing import Any

_NUMBER = pattern(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?|-?Infinity")
_NOT_A_NUMBER = pattern(r"[+-]?s?NaN[0-9]*")
_TRUSTED = tuple(KINDS.values())


class Number(str):
    """The digits of a number of another type than ``int`` and ``float``."""

    __slots__ = ()


def scripted(value: Any) -> object:
    """Return a value as ``None``, ``bool``, ``int``, ``float``, ``str``, ``Number``, ``list`` or ``dict`` (one level).

    Data classes, named tuples and rows become objects by their fields, sets lists in sorted order, dates ISO 8601
    text, enumerations their values. Raises ``NotPrintable`` for what scripts have nothing like.
    """
    kind = type(value)
    for base, convert in _BY_TYPE:
        if isinstance(value, base):
            return convert(value)
    if hasattr(kind, "__dataclass_fields__"):
        return {name: getattr(value, name) for name in kind.__dataclass_fields__}
    by_name = _BY_NAME.get(_full_name(kind)) or next(
        (found for base in kind.__mro__ if (found := _BY_NAME.get(_full_name(base)))), None
    )
    if by_name is not None:
        return by_name(value)
    if hasattr(kind, "keys") and hasattr(kind, "__getitem__"):
        return _object(value)
    converters: tuple[tuple[str, Callable[[Any], object]], ...]
    converters = (("__index__", int), ("__iter__", list), ("__float__", float))
    for method, convert in converters:
        if hasattr(kind, method) and not hasattr(kind, "__await__"):
            return convert(value)
    raise NotPrintable(
        f"A value of the type {kind.__name__} in a script",
        "Pass on what the script needs as text, numbers, lists or a dict, or as a data class.",
    )


def _full_name(kind: type) -> str:
    return f"{kind.__module__}.{kind.__qualname__}"


def _refused(value: object) -> object:
    printed(value)  # says what is the matter with bytes
    raise AssertionError(type(value))


def _tuple(value: tuple[object, ...]) -> object:
    fields = getattr(type(value), "_fields", None)
    return dict(zip(fields, value, strict=True)) if fields else list(value)


def _set(value: set[object]) -> list[object]:
    try:
        return sorted(value)  # type: ignore[type-var]
    except TypeError:
        return sorted(value, key=lambda item: (type(item).__name__, repr(item)))


def _object(value: Mapping[object, object]) -> dict[str, object]:
    result: dict[str, object] = {}
    for key in value.keys():  # noqa: SIM118  rows of databases have keys, but go through their values
        result[_key(key)] = value[key]
    return result


def _key(key: object) -> str:
    """Return a key as the text that JavaScript makes of it."""
    if isinstance(key, str):
        return str.__str__(key)
    if key is None:
        return "null"
    if isinstance(key, bool):
        return "true" if key else "false"
    if isinstance(key, int | float):
        return int.__repr__(key) if isinstance(key, int) else float.__repr__(key)
    plain = scripted(key)
    if isinstance(plain, list | dict):
        raise NotPrintable(f"A key of the type {type(key).__name__} in a script", "Use text or numbers for keys.")
    return _key(plain)


def _decimal(value: Any) -> object:
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


_BY_TYPE: tuple[tuple[type | tuple[type, ...], Callable[..., object]], ...] = (
    (str, str.__str__),
    (bool, bool),
    (int, int.__int__),
    (float, float.__float__),
    (_TRUSTED, str),
    ((bytes, bytearray, memoryview), _refused),
    (tuple, _tuple),
    (list, list),
    ((set, frozenset), _set),
    (dict, _object),
)

# Types of modules that are not loaded unless a value of theirs is there.
_BY_NAME: dict[str, Callable[..., object]] = {
    "enum.Enum": lambda value: value.value,
    "datetime.date": lambda value: value.isoformat(),
    "datetime.time": lambda value: value.isoformat(),
    "datetime.timedelta": lambda value: value.total_seconds(),
    "decimal.Decimal": _decimal,
    "fractions.Fraction": float,
    "uuid.UUID": str,
    "pathlib.PurePath": str,
    "pathlib._local.PurePath": str,  # Python 3.13
    "untor.escape.javascript.JsonText": lambda value: value.value,
}
