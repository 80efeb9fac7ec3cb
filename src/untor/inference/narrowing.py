"""What a test shows of the paths in it, where it is true and where it is false."""

from __future__ import annotations

from dataclasses import replace
from types import NoneType
from typing import TYPE_CHECKING

from untor.escape import kinds
from untor.inference.scope import path_of
from untor.language import tree
from untor.types.members import is_abstract
from untor.types.model import (
    ANY,
    NONE,
    Constant,
    FixedTuple,
    Function,
    Instance,
    Record,
    members_of,
    union,
    without_none,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from untor.inference.scope import Path
    from untor.types.model import Type

    TypeOf = Callable[[tree.Expression], Type]
    Shown = dict[Path, Type]


def shown_by(test: tree.Expression, type_of: TypeOf) -> tuple[Shown, Shown]:
    """Return what a test shows where it is true, and where it is false."""
    match test:
        case tree.Unary(operator="not", operand=operand):
            true, false = shown_by(operand, type_of)
            return false, true
        case tree.Binary(operator="and", left=left, right=right):
            return shown_by(left, type_of)[0] | shown_by(right, type_of)[0], {}
        case tree.Binary(operator="or", left=left, right=right):
            return {}, shown_by(left, type_of)[1] | shown_by(right, type_of)[1]
        case tree.Comparisons(first=first, rest=[(operator, operand)]):
            return _compared(first, operator, operand, type_of)
    path = path_of(test)
    if path is None:
        return {}, {}
    kind = type_of(test)
    return dict(_present(test, type_of)) | {path: truthy(kind)}, {path: falsy(kind)}


def _compared(first: tree.Expression, operator: str, operand: tree.Expression, type_of: TypeOf) -> tuple[Shown, Shown]:
    """Return what a single comparison with ``None``, or with something that is never ``None``, shows."""
    if path_of(first) is None and path_of(operand) is not None and operator in {"==", "!="}:
        first, operand = operand, first
    path = path_of(first)
    # Anything larger would be inferred a second time, and what is in it a fourth time.
    is_small = isinstance(operand, tree.Constant) or path_of(operand) is not None
    if path is None or not is_small or operator not in {"is", "is not", "==", "!="}:
        return {}, {}
    kind, other = type_of(first), type_of(operand)
    if other == NONE:
        is_none: Shown = {path: NONE} if kind != ANY else {}
        is_not = dict(_present(first, type_of)) | {path: without_none(kind)}
        return (is_none, is_not) if operator in {"is", "=="} else (is_not, is_none)
    if other == ANY or NONE in members_of(other):
        return {}, {}
    equal = dict(_present(first, type_of)) | {path: _equal(kind, other)}
    unequal: Shown = {path: _unequal(kind, other)}
    return (equal, unequal) if operator in {"is", "=="} else (unequal, equal)


def _equal(kind: Type, other: Type) -> Type:
    kept = [
        each for each in members_of(without_none(kind)) if not isinstance(each, Constant) or not _differs(each, other)
    ]
    return union(kept) if kept else without_none(kind)


def _unequal(kind: Type, other: Type) -> Type:
    return (
        union(each for each in members_of(kind) if not isinstance(other, Constant) or each != other)
        if kind != ANY
        else ANY
    )


def _differs(one: Constant, other: Type) -> bool:
    return isinstance(other, Constant) and one != other


def _present(test: tree.Expression, type_of: TypeOf) -> Iterator[tuple[Path, Type]]:
    """Yield what is before the last step of a path that has a value: none of it is ``None``."""
    node = test
    while True:
        while isinstance(node, tree.Maybe):
            node = node.value
        if not isinstance(node, tree.Attribute | tree.Item):
            return
        node = node.owner
        path = path_of(node)
        if path is not None:
            yield path, without_none(type_of(node))


def truthy(kind: Type) -> Type:
    """Return what is left of a type where a value is true."""
    if kind == ANY:
        return ANY
    left = [each for each in members_of(kind) if each != NONE and not (isinstance(each, Constant) and _is_false(each))]
    return union(map(_filled, left))


_COLLECTIONS = frozenset({kinds.SEQUENCE, kinds.SET, kinds.MAPPING})


def _filled(kind: Type) -> Type:
    """Return the type of a collection that has items; any other type as it is."""
    if isinstance(kind, Instance) and kinds.kind_of_class(kind.cls) in _COLLECTIONS:
        return replace(kind, is_filled=True)
    return kind


def falsy(kind: Type) -> Type:
    """Return what is left of a type where a value is false."""
    if kind == ANY:
        return ANY
    left = [each for each in members_of(kind) if not is_always_true(each)]
    return union(left)


def _is_false(kind: Constant) -> bool:
    return not isinstance(kind.value, str | int | float) or not kind.value


def is_always_true(kind: Type) -> bool:
    """Return whether every value of a type is true."""
    parts = members_of(kind)
    return bool(parts) and all(map(_is_always_true, parts))


def _is_always_true(kind: Type) -> bool:
    match kind:
        case Constant(value=value):
            return isinstance(value, str | int) and bool(value)
        case FixedTuple(items=items):
            return bool(items)
        case Record(fields=fields):
            return bool(fields)
        case Function():
            return True
        case Instance(cls=cls):
            if cls is NoneType or is_abstract(cls):
                return False
            if kinds.kind_of_class(cls) not in {kinds.OBJECT, kinds.MODEL, kinds.MOMENT, kinds.WORD}:
                return False
            return not any(
                name in base.__dict__ for base in cls.__mro__ for name in ("__bool__", "__len__", "__getattr__")
            )
    return False
