"""Whether a value counts as true: in conditions, in boolean attributes, and in filters that test a key."""

from __future__ import annotations

from untor.escape import kinds
from untor.escape.kinds import MISSING, is_absent, kind_of, plain_types, scalar_of, stands_for_root
from untor.escape.printing import NotPrintable, described

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


NOT_DATA = frozenset({kinds.FUNCTION, kinds.CLASS, kinds.AWAITABLE})
"""Kinds of values that are not data."""


class NotData(NotPrintable):
    """A function, a class or an awaitable where data is needed."""

    def __init__(self, what: str) -> None:
        super().__init__(what, "Call it in the view, and pass on what it returns.")


def truth(value: Any) -> bool:
    """Return whether a value counts as true.

    An array or a data frame does when it has any item, an array without dimensions by its value, an XML element
    always; NaN and the like do not. Raises ``NotData`` for functions, methods, classes and awaitables.
    """
    if value is None or type(value) in plain_types:
        return bool(value)
    kind = kind_of(value)
    if kind in NOT_DATA:
        raise NotData(f"{described(value)} as a condition")
    if is_absent(value):
        return False
    if kind == kinds.FRAME:
        return len(value) > 0
    if kind == kinds.ARRAY:
        scalar = scalar_of(value)
        return len(value) > 0 and 0 not in _shape(value) if scalar is MISSING else truth(scalar)
    if stands_for_root(type(value)):
        return truth(value.root)
    # An element without children is false to Python, until a later version.
    return kind == kinds.ELEMENT or bool(value)


def _shape(array: object) -> tuple[int, ...]:
    shape = getattr(array, "shape", ())
    return shape if isinstance(shape, tuple) else ()


def settled(value: object) -> object:
    """Return a value as whole attributes have it: ``None`` for what is absent, ``True`` or ``False`` for a truth."""
    if value is None or type(value) in plain_types:
        return value
    if kind_of(value) == kinds.BOOLEAN:
        return bool(value)
    return None if is_absent(value) else value
