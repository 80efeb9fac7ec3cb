"""What kind of value something is, decided by its type and looked up once for each type.

Classes of the libraries that views take data from are known by their names: none of these libraries is imported.
"""

from __future__ import annotations

from types import (
    BuiltinFunctionType,
    ClassMethodDescriptorType,
    FunctionType,
    GeneratorType,
    MappingProxyType,
    MethodDescriptorType,
    MethodType,
    MethodWrapperType,
    WrapperDescriptorType,
)

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import Any


class Missing:
    """The value of what is not there and may be missing; prints as nothing, is false, equals ``None``, has no items."""

    __slots__ = ()

    def __bool__(self) -> bool:
        return False

    def __len__(self) -> int:
        return 0

    def __iter__(self) -> Iterator[object]:
        return iter(())

    def __eq__(self, other: object) -> bool:
        return other is None or other is self

    def __hash__(self) -> int:
        return hash(None)

    def __repr__(self) -> str:
        return "missing"

    def __reduce__(self) -> str:
        return "MISSING"


MISSING = Missing()
"""The one instance of ``Missing``."""

FUNCTIONS = (
    FunctionType,
    BuiltinFunctionType,
    MethodType,
    MethodDescriptorType,
    MethodWrapperType,
    WrapperDescriptorType,
    ClassMethodDescriptorType,
)

# Single values
TEXT, BOOLEAN, INTEGER, FLOAT, COMPLEX = "text", "boolean", "integer", "float", "complex"
DECIMAL, FRACTION, MOMENT, DURATION, WORD = "decimal", "fraction", "moment", "duration", "word"
NUMPY_MOMENT, NUMPY_DURATION, ENUM, ABSENT, BYTES = "NumPy moment", "NumPy duration", "enum", "absent", "bytes"
# Several values
SEQUENCE, SET, ITERATOR, ARRAY, FRAME = "sequence", "set", "iterator", "array", "frame"
# Values with names
MAPPING, ROW, MODEL, ELEMENT, OBJECT = "mapping", "row", "model", "element", "object"
# What is not data
FUNCTION, CLASS, AWAITABLE = "function", "class", "awaitable"

_BUILT_IN: dict[type, str] = {
    **dict.fromkeys(FUNCTIONS, FUNCTION),
    **dict.fromkeys((bytes, bytearray, memoryview), BYTES),
    **dict.fromkeys((list, tuple, range), SEQUENCE),
    **dict.fromkeys((set, frozenset), SET),
    **dict.fromkeys((dict, MappingProxyType), MAPPING),
    **dict.fromkeys((type(None), Missing), ABSENT),
    str: TEXT,
    int: INTEGER,
    float: FLOAT,
    complex: COMPLEX,
    type: CLASS,
    GeneratorType: ITERATOR,
}

_BY_NAME: dict[str, str] = {
    # the standard library
    "array.array": SEQUENCE,
    "collections.deque": SEQUENCE,
    "datetime.date": MOMENT,
    "datetime.time": MOMENT,
    "datetime.timedelta": DURATION,
    "datetime.tzinfo": WORD,
    "decimal.Decimal": DECIMAL,
    "fractions.Fraction": FRACTION,
    "functools._lru_cache_wrapper": FUNCTION,
    "functools.partial": FUNCTION,
    "functools.partialmethod": FUNCTION,
    "ipaddress._IPAddressBase": WORD,
    "pathlib.PurePath": WORD,
    "pathlib._local.PurePath": WORD,  # Python 3.13
    "uuid.UUID": WORD,
    "xml.etree.ElementTree.Element": ELEMENT,
    # NumPy: scalars; those of structured arrays are rows
    "numpy.bool": BOOLEAN,
    "numpy.bool_": BOOLEAN,  # NumPy 1
    "numpy.complexfloating": COMPLEX,
    "numpy.datetime64": NUMPY_MOMENT,
    "numpy.floating": FLOAT,
    "numpy.integer": INTEGER,
    "numpy.timedelta64": NUMPY_DURATION,
    "numpy.void": ROW,
    "numpy.ma.MaskedConstant": ABSENT,
    "numpy.ma.core.MaskedConstant": ABSENT,
    # pandas
    "pandas.Interval": WORD,
    "pandas.Period": WORD,
    "pandas._libs.interval.Interval": WORD,
    "pandas._libs.missing.NAType": ABSENT,
    "pandas._libs.tslibs.nattype.NaTType": ABSENT,
    "pandas._libs.tslibs.period.Period": WORD,
    "pandas.api.typing.NAType": ABSENT,
    "pandas.api.typing.NaTType": ABSENT,
    # others
    "lxml.etree._Element": ELEMENT,
    "pydantic.main.BaseModel": MODEL,
    "pydantic.v1.main.BaseModel": MODEL,
    "sqlalchemy.engine.row.Row": ROW,  # a sequence, too
}

_FIELD_TABLES = ("__dataclass_fields__", "__attrs_attrs__", "__struct_fields__", "__mapper__")
"""Where libraries keep the fields of their classes: dataclasses, attrs, msgspec, SQLAlchemy."""

_MOST_TYPES = 1000
_kinds: dict[type, str] = {}

_PLAIN_AT_FIRST = (bool, str, int, type(None), list, dict, tuple)

plain_types: set[type] = set(_PLAIN_AT_FIRST)
"""Types whose values are not absent (except ``None``), are compared and tested as Python does it, and not awaited."""

SINGLE = frozenset({
    TEXT, BOOLEAN, INTEGER, FLOAT, COMPLEX, DECIMAL, FRACTION, MOMENT, DURATION, WORD, NUMPY_MOMENT, NUMPY_DURATION,
    ENUM, ABSENT, BYTES,
})  # fmt: skip
"""Kinds of single values."""

_PLAIN = frozenset({
    TEXT, INTEGER, MOMENT, DURATION, WORD, BYTES, SEQUENCE, SET, ITERATOR, MAPPING, ROW, MODEL, OBJECT
})  # fmt: skip


def kind_of(value: object) -> str:
    """Return the kind of a value."""
    kind = type(value)
    return _kinds.get(kind) or _classified(kind)


def _classified(kind: type) -> str:
    if len(_kinds) >= _MOST_TYPES:
        _kinds.clear()
        plain_types.clear()
        plain_types.update(_PLAIN_AT_FIRST)
    found = kind_of_class(kind)
    _kinds[kind] = found
    if found in _PLAIN and not (hasattr(kind, "__array__") or stands_for_root(kind)):
        plain_types.add(kind)
    return found


def kind_of_class(kind: type) -> str:
    """Return the kind that the values of a class have."""
    return _by_base(kind) or _by_protocol(kind)


def full_name(kind: type) -> str:
    """Return the name of a class with that of its module."""
    return f"{kind.__module__}.{kind.__qualname__}"


def bases_by_name(kind: type) -> set[str]:
    """Return the full names of a class and of its bases."""
    return {full_name(base) for base in kind.__mro__}


def has_method(kind: type, name: str) -> bool:
    """Return whether the values of a type have a method; what their class can do itself does not count."""
    return any(name in base.__dict__ for base in kind.__mro__)


def _by_base(kind: type) -> str | None:
    if "enum.Enum" in bases_by_name(kind):
        return ENUM
    if has_method(kind, "__await__"):
        return AWAITABLE
    for base in kind.__mro__:
        found = _BY_NAME.get(full_name(base)) or _BUILT_IN.get(base)
        if found is not None:
            # A list with names for its items is a row of a database.
            return ROW if base is list and hasattr(kind, "keys") else found
    return None


def _by_protocol(kind: type) -> str:
    from collections import abc  # noqa: PLC0415  loaded by almost every program

    is_frame = hasattr(kind, "columns") and (hasattr(kind, "itertuples") or hasattr(kind, "iter_rows"))
    has_items = hasattr(kind, "keys") and hasattr(kind, "__getitem__")
    is_iterator = hasattr(kind, "__next__") and kind.__module__ in {"builtins", "itertools"}
    tests: tuple[tuple[str, bool], ...] = (
        (FRAME, is_frame),
        (ARRAY, hasattr(kind, "__array__")),
        (MAPPING, issubclass(kind, abc.Mapping)),
        (MODEL, any(hasattr(kind, table) for table in _FIELD_TABLES)),
        (ROW, has_items),
        (SEQUENCE, issubclass(kind, abc.Sequence)),
        (SET, issubclass(kind, abc.Set)),
        (ITERATOR, is_iterator or issubclass(kind, abc.MappingView)),
    )
    return next((found for found, holds in tests if holds), OBJECT)


def scalar_of(array: Any) -> object:
    """Return the only value of an array without dimensions; ``MISSING`` for any other array."""
    if getattr(array, "shape", None) != ():
        return MISSING
    return array[()] if "numpy.ndarray" in bases_by_name(type(array)) else array.item()


def is_array(value: object) -> bool:
    """Return whether a value is an array or a data frame, which is compared and calculated item by item."""
    kind = kind_of(value)
    return kind == FRAME or (kind == ARRAY and scalar_of(value) is MISSING)


def is_absent(value: Any) -> bool:
    """Return whether a value is ``None``, missing, or what a data library holds to be missing: NaN, NaT, NA."""
    if value is None:
        return True
    if type(value) in plain_types:
        return False
    kind = kind_of(value)
    if kind in {FLOAT, COMPLEX, NUMPY_MOMENT, NUMPY_DURATION}:
        return bool(value != value if not isinstance(value, float) else float.__ne__(value, value))  # noqa: PLR0124
    if kind == DECIMAL:
        return bool(value.is_nan())
    if kind == ARRAY and (scalar := scalar_of(value)) is not MISSING:
        return is_absent(scalar)
    return kind == ABSENT


def stands_for_root(kind: type) -> bool:
    """Return whether a type is one of pydantic's models that consist of one value, ``root``."""
    return bool(getattr(kind, "__pydantic_root_model__", False))


def value_of_member(member: Any) -> object:
    """Return the value of a member of an enumeration."""
    return member._value_
