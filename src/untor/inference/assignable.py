"""Whether a value of one type may be passed where another is declared."""

from __future__ import annotations

from collections import abc
from datetime import date, datetime
from decimal import Decimal
from typing import TYPE_CHECKING

from untor.escape import kinds
from untor.types.members import argument_of, is_abstract
from untor.types.model import ANY, Constant, FixedTuple, Function, Instance, Record, class_of, members_of, union

if TYPE_CHECKING:
    from untor.types.model import Type

_NUMERIC: dict[type, frozenset[str]] = {
    float: frozenset({kinds.INTEGER, kinds.FLOAT, kinds.DECIMAL, kinds.FRACTION}),
    Decimal: frozenset({kinds.INTEGER, kinds.DECIMAL}),
    int: frozenset({kinds.INTEGER}),
}
_SINGLE = kinds.SINGLE - {kinds.ENUM, kinds.ABSENT}
"""What the types of numbers accept, as they are checked when a value is passed."""


def is_assignable(kind: Type, declared: Type) -> bool:
    """Return whether every value of a type may be passed as another; ``True`` for what is not known."""
    return all(any(_fits(one, other) for other in members_of(declared)) for one in members_of(kind))


def _fits(one: Type, other: Type) -> bool:
    if ANY in {one, other} or one == other:
        return True
    if isinstance(other, Constant):
        # A value of the class of a literal may be that literal.
        return not isinstance(one, Constant) and class_of(one) is type(other.value)
    if isinstance(one, Function) or isinstance(other, Function):
        return isinstance(one, Function) and isinstance(other, Function)
    first, second = class_of(one), class_of(other)
    if first is None or second is None or is_abstract(first) or is_abstract(second):
        return _fits_abstract(first, second)
    if second in _NUMERIC and kinds.kind_of_class(first) in _SINGLE:
        return kinds.kind_of_class(first) in _NUMERIC[second]
    if kinds.kind_of_class(first) == kinds.ENUM:
        return issubclass(first, second) or (second in _NUMERIC and issubclass(first, int))
    if isinstance(one, Record):
        return issubclass(second, dict) or issubclass(dict, second)
    if second is list:
        return _is_sequence(first) and _items_fit(one, other)
    if second is dict and issubclass(first, abc.Mapping):
        return _arguments_fit(one, other, abc.Mapping, 2)
    if second is date and first is datetime:
        return True
    return issubclass(first, second) or _may_stand_for(first, second)


def _fits_abstract(first: type | None, second: type | None) -> bool:
    """Return whether a class may have the methods of an abstract one; single values are not collections."""
    if second is None or first is None or second.__module__ != "collections.abc":
        return True
    if first in {int, float, bool, Decimal, date, datetime}:
        return False
    return not (first is str and second in {abc.Mapping, abc.MutableMapping, abc.Set})


def _is_sequence(cls: type) -> bool:
    return kinds.kind_of_class(cls) in {kinds.SEQUENCE, kinds.ARRAY, kinds.ROW}


def _items_fit(one: Type, other: Type) -> bool:
    if isinstance(one, FixedTuple):
        items = union(one.items) if one.items else ANY
    else:
        items = argument_of(one, abc.Sequence, 0) if isinstance(one, Instance) else ANY
    return not isinstance(other, Instance) or not other.arguments or is_assignable(items, other.arguments[0])


def _arguments_fit(one: Type, other: Type, base: type, count: int) -> bool:
    if not isinstance(one, Instance) or not isinstance(other, Instance):
        return True
    return all(is_assignable(argument_of(one, base, at), argument_of(other, base, at)) for at in range(count))


def _may_stand_for(first: type, second: type) -> bool:
    """Return whether two classes are of the kind that is described by keys: dicts and typed dicts."""
    return {kinds.kind_of_class(first), kinds.kind_of_class(second)} == {kinds.MAPPING}
