"""Comparisons, whose result is always ``True`` or ``False``."""

from __future__ import annotations

import operator

from untor.escape.kinds import ARRAY, ENUM, MISSING, is_absent, is_array, kind_of, plain_types, value_of_member
from untor.escape.printing import described
from untor.escape.truth import NOT_DATA, NotData, truth
from untor.runtime.filter_error import NotComputable
from untor.runtime.iteration import each

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

_OPERATORS: dict[str, Callable[[Any, Any], object]] = {
    "<": operator.lt,
    "<=": operator.le,
    "==": operator.eq,
    "!=": operator.ne,
    ">": operator.gt,
    ">=": operator.ge,
    "in": lambda item, items: item in items,
    "not in": lambda item, items: item not in items,
}
_NEGATED = {"in": False, "not in": True}


def _is_nan(value: object) -> bool:
    """Return whether a value is NaN or the like, which equals nothing and comes neither before nor after anything."""
    return value is not None and value is not MISSING and is_absent(value)


def _is_ordinary(kind: type) -> bool:
    return kind in plain_types or kind is float


def compare(left: object, right: object, how: str) -> bool:
    """Return whether a comparison holds.

    A member of an enumeration is compared by its value with what is not a member. Raises ``TypeError`` for arrays and
    data frames, which would be compared item by item, and ``NotData`` for functions, classes and awaitables; ``in``
    looks at the items of an array.
    """
    if type(left) in plain_types and type(right) in plain_types:
        return bool(_OPERATORS[how](left, right))
    if _is_ordinary(type(left)) and _is_ordinary(type(right)):
        return bool(_OPERATORS[how](left, right))
    kinds = kind_of(left), kind_of(right)
    for value, kind in zip((left, right), kinds, strict=True):
        if kind in NOT_DATA:
            raise NotData(f"{described(value)} in a comparison")
    if how in _NEGATED and kinds[1] == ARRAY and is_array(right):
        return any(compare(left, item, "==") for item in each(right)) != _NEGATED[how]
    if _is_nan(left) or _is_nan(right):
        return any(item is left for item in each(right)) != _NEGATED[how] if how in _NEGATED else how == "!="
    if is_array(left) or is_array(right):
        raise NotComputable(
            "an array is compared item by item.",
            "Compare its items in a loop, or compute in the view what the page shows.",
        )
    if kinds[0] == ENUM != kinds[1]:
        left = value_of_member(left)
    elif kinds[1] == ENUM != kinds[0]:
        right = value_of_member(right)
    return truth(_OPERATORS[how](left, right))
