"""The types of values, as far as a checker reasons about them.

``ANY`` is what is not known: nothing is ever said about it.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from types import NoneType
from typing import TypeAlias

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable


@dataclass(frozen=True, slots=True)
class AnyType:
    """The type of what is not known."""

    def __str__(self) -> str:
        return "any"


@dataclass(frozen=True, slots=True)
class Instance:
    """A value of a class; ``arguments`` are those of a generic class: of a list, the type of its items."""

    cls: type
    arguments: tuple[Type, ...] = ()
    is_filled: bool = False
    """Whether a test has shown that a collection has items."""

    def __str__(self) -> str:
        if self.cls is NoneType:
            return "None"
        shown = ", ".join(map(str, self.arguments)) if any(each != ANY for each in self.arguments) else ""
        return (
            f"{_NAMES.get(self.cls, self.cls.__name__)}[{shown}]" if shown else _NAMES.get(self.cls, self.cls.__name__)
        )


@dataclass(frozen=True, slots=True)
class FixedTuple:
    """A tuple of which each item has a type of its own."""

    items: tuple[Type, ...]

    def __str__(self) -> str:
        return f"tuple[{', '.join(map(str, self.items)) or '()'}]"


@dataclass(frozen=True, slots=True, eq=False)
class Constant:
    """One value: a string, a number, ``True`` or ``False``, or a member of an enumeration."""

    value: str | float | bool | Enum

    def __eq__(self, other: object) -> bool:
        # 1 equals True, and is another type.
        return isinstance(other, Constant) and type(other.value) is type(self.value) and other.value == self.value

    def __hash__(self) -> int:
        return hash((type(self.value), self.value))

    def __str__(self) -> str:
        shown = f"{type(self.value).__name__}.{self.value.name}" if isinstance(self.value, Enum) else repr(self.value)
        return f"Literal[{shown}]"


@dataclass(frozen=True, slots=True)
class Record:
    """A mapping that a template writes down, with a type for each of its keys."""

    fields: tuple[tuple[str, Type], ...]

    def __str__(self) -> str:
        return f"{{{', '.join(f'{name!r}: {each}' for name, each in self.fields)}}}"


@dataclass(frozen=True, slots=True)
class Function:
    """Something that can be called: a helper or a function of the context; what it returns."""

    name: str
    result: Type
    can_be_called: bool = True
    """Whether a template may call it; methods of data it may not."""

    def __str__(self) -> str:
        return "a function" if self.can_be_called else "a method"


@dataclass(frozen=True, slots=True)
class Either:
    """A value of one of several types; made by ``union`` only."""

    members: tuple[Type, ...]

    def __str__(self) -> str:
        values = [each for each in self.members if isinstance(each, Constant)]
        shown = [f"Literal[{', '.join(str(each)[8:-1] for each in values)}]"] if values else []
        rest = [str(each) for each in self.members if not isinstance(each, Constant) and each != NONE]
        return " | ".join([*shown, *rest, *(["None"] if NONE in self.members else [])])


Type: TypeAlias = AnyType | Instance | FixedTuple | Constant | Record | Function | Either

ANY = AnyType()
NONE = Instance(NoneType)
NEVER = Either(())
"""The type of no value at all."""

STR, INT, FLOAT, BOOL = Instance(str), Instance(int), Instance(float), Instance(bool)

_NAMES: dict[type, str] = {}

_MOST_MEMBERS = 40
"""A union of more types than these is not followed."""


def union(types: Iterable[Type]) -> Type:
    """Return the type of a value that has one of some types; ``ANY`` if one of them is not known."""
    members: dict[Type, None] = {}
    for each in types:
        if isinstance(each, AnyType):
            return ANY
        members.update(dict.fromkeys(each.members if isinstance(each, Either) else (each,)))
    for each in [*members]:
        # A literal adds nothing to a union that has its class.
        if isinstance(each, Constant) and Instance(type(each.value)) in members:
            del members[each]
    if len(members) == 1:
        return next(iter(members))
    return Either(tuple(members)) if len(members) <= _MOST_MEMBERS else ANY


def members_of(kind: Type) -> tuple[Type, ...]:
    """Return the types that a union consists of; any other type alone."""
    return kind.members if isinstance(kind, Either) else (kind,)


def without_none(kind: Type) -> Type:
    """Return a type without ``None``."""
    return union(each for each in members_of(kind) if each != NONE)


def may_be_none(kind: Type) -> bool:
    """Return whether a value of a type may be ``None``, as far as it is known."""
    return NONE in members_of(kind)


def class_of(kind: Type) -> type | None:
    """Return the class that the values of a type have; ``None`` if that is not one, or not known."""
    match kind:
        case Instance(cls=cls):
            return cls
        case Constant(value=value):
            return type(value)
        case FixedTuple():
            return tuple
        case Record():
            return dict
    return None


def widened(kind: Type) -> Type:
    """Return the type that a literal has when it is one of many values; members of enumerations stay."""
    if kind == ANY:
        return ANY
    return union(Instance(type(each.value)) if _is_literal(each) else each for each in members_of(kind))  # type: ignore[union-attr]


def _is_literal(kind: Type) -> bool:
    return isinstance(kind, Constant) and not isinstance(kind.value, Enum)


def shown(kind: Type) -> str:
    """Return a type as messages show it: a literal by the class that it has."""
    return str(widened(kind))
