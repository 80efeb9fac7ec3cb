"""Arithmetic and comparisons: what comes out for which types, and what never can."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from types import NoneType
from typing import TYPE_CHECKING

from untor.escape import kinds
from untor.types.members import argument_of, is_abstract, items_of
from untor.types.model import ANY, FLOAT, INT, STR, Constant, Function, Instance, class_of, members_of, union

if TYPE_CHECKING:
    from untor.types.model import Type

_NUMBERS = (bool, int, float, Decimal)

_GROUPS: dict[str, str] = {
    **dict.fromkeys(
        (kinds.INTEGER, kinds.FLOAT, kinds.DECIMAL, kinds.FRACTION, kinds.BOOLEAN, kinds.COMPLEX), "number"
    ),
    kinds.TEXT: "string",
    kinds.MOMENT: "moment",
    kinds.DURATION: "duration",
    kinds.SEQUENCE: "list",
    kinds.MAPPING: "mapping",
    kinds.SET: "set",
    kinds.BYTES: "bytes",
}
"""Kinds whose values are never equal to those of another group."""


def _group(kind: Type) -> str:
    """Return the group of a type, which must not be a union; empty if its class defines its own equality."""
    cls = class_of(kind)
    if cls is None or is_abstract(cls):
        return ""
    if issubclass(cls, Enum):
        # A member is compared by its value with what is not a member.
        return ""
    if cls in {list, tuple}:
        return cls.__name__
    of_kind = kinds.kind_of_class(cls)
    group = _GROUPS.get(of_kind, "")
    # A class of one's own may say itself what it is equal to.
    return group if cls.__module__ in _TRUSTED or not group else ""


_TRUSTED = frozenset({"builtins", "datetime", "decimal", "fractions"})


def can_be_equal(left: Type, right: Type) -> bool:
    """Return whether values of two types may be equal; ``None`` may be compared with everything."""
    for one in members_of(left):
        for other in members_of(right):
            groups = _group(one), _group(other)
            if NoneType in {class_of(one), class_of(other)} or not all(groups):
                return True
            if groups[0] == groups[1]:
                same = isinstance(one, Constant) and isinstance(other, Constant)
                if not same or one.value == other.value:  # type: ignore[union-attr]
                    return True
    return not (members_of(left) and members_of(right))


def can_be_in(value: Type, collection: Type) -> bool:
    """Return whether a value of a type may be found in a collection of another; in a string, only strings are."""
    found = [items_of(each) for each in members_of(collection)]
    items = [each for each in found if each is not None]
    if len(items) < len(found):
        return all(class_of(each) in {str, None} for each in members_of(collection))
    return can_be_equal(value, union(items)) if items else True


def can_be_ordered(left: Type, right: Type) -> bool:
    """Return whether values of two types can be compared by order, as far as it is known."""
    for one in members_of(left):
        for other in members_of(right):
            groups = _group(one), _group(other)
            if all(groups) and groups[0] != groups[1]:
                return False
    return True


def result_of_operation(operator: str, left: Type, right: Type) -> Type | None:
    """Return the type of a calculation; ``None`` where it is certain to fail for some values."""
    results = []
    for one in members_of(left):
        for other in members_of(right):
            result = _of_two(operator, one, other)
            if result is None:
                return None
            results.append(result)
    return union(results) if results else ANY


def _of_two(operator: str, left: Type, right: Type) -> Type | None:
    first, second = class_of(left), class_of(right)
    if first is None or second is None:
        return None if isinstance(left, Function) or isinstance(right, Function) else ANY
    if first is NoneType or second is NoneType:
        return None
    if first in _NUMBERS and second in _NUMBERS:
        return _of_numbers(operator, first, second)
    known = (*_NUMBERS, str, date, datetime, timedelta, list, dict)
    if first not in known or second not in known:
        return ANY
    return _of_others(operator, left, right, first, second)


def _of_numbers(operator: str, first: type, second: type) -> Type | None:
    if {first, second} == {float, Decimal}:
        return None
    if Decimal in {first, second}:
        return Instance(Decimal)
    return FLOAT if float in {first, second} or operator == "/" else INT


def _of_others(operator: str, left: Type, right: Type, first: type, second: type) -> Type | None:
    if operator == "*" and ({first, second} in ({str, int}, {str, bool})):
        return STR
    if operator == "*" and list in {first, second} and {first, second} & {int, bool}:
        return left if first is list else right
    if operator == "+" and first is second is str:
        return STR
    if operator == "+" and isinstance(left, Instance) and isinstance(right, Instance) and first is second is list:
        return Instance(list, (union([argument_of(left, list, 0), argument_of(right, list, 0)]),))
    if (
        {first, second} & {date, datetime, timedelta}
        and first not in {str, list, dict}
        and second not in {str, list, dict}
    ):
        return ANY
    return None
