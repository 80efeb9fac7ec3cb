"""What a dot and an item read of the values of a type, as ``runtime.attributes`` reads it of the values."""

from __future__ import annotations

import functools
import inspect
import types
import typing
from collections import abc
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache
from typing import Any

from untor.escape import kinds
from untor.types.annotations import Variables, hints_of, result_of, type_of, variables_of
from untor.types.assignments import assigned_in
from untor.types.model import (
    ANY,
    INT,
    STR,
    Constant,
    FixedTuple,
    Function,
    Instance,
    Record,
    class_of,
    union,
)

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Collection, Iterator

    from untor.types.model import Type


@dataclass(frozen=True, slots=True)
class Member:
    """What is read: its type, and whether it may be missing, as a key that need not be there."""

    type: Type
    may_be_missing: bool = False


@dataclass(frozen=True, slots=True)
class NotThere:
    """What is certain not to be there; the names that are."""

    names: tuple[str, ...]


UNKNOWN = Member(ANY)


# --- classes and their generic bases ---------------------------------------------------------------------------------


@lru_cache(maxsize=4096)
def bases_of(kind: Instance) -> tuple[tuple[type, Variables], ...]:
    """Return a class and its bases, nearest first, each with what its type variables stand for."""
    found: dict[type, Variables] = {}
    todo: list[tuple[type, Variables]] = [(kind.cls, _bound(kind.cls, kind.arguments))]
    while todo:
        cls, variables = todo.pop(0)
        if cls in found:
            continue
        found[cls] = variables
        for base in _generic_bases(cls) or cls.__bases__:
            origin = typing.get_origin(base) or base
            if isinstance(origin, type):
                given = tuple(type_of(each, variables) for each in typing.get_args(base))
                todo.append((origin, _bound(origin, given)))
    return tuple((cls, found.get(cls, {})) for cls in kind.cls.__mro__)


def _generic_bases(cls: type) -> tuple[Any, ...]:
    return tuple(cls.__dict__.get("__orig_bases__", ()))


def _bound(cls: type, arguments: tuple[Type, ...]) -> Variables:
    parameters = variables_of(cls)
    if not parameters:
        # The classes of the standard library have no variables of their own to ask for.
        return dict(enumerate(arguments))
    return dict(zip(parameters, arguments, strict=False))


def argument_of(kind: Instance, base: type, index: int) -> Type:
    """Return what a generic base of a class was given: of ``class Calls(list[Call])``, of ``list``, 0: ``Call``."""
    if kind.cls is base:
        return kind.arguments[index] if index < len(kind.arguments) else ANY
    for cls in kind.cls.__mro__:
        for each in _generic_bases(cls):
            origin = typing.get_origin(each)
            if isinstance(origin, type) and issubclass(origin, base):
                variables = next((known for other, known in bases_of(kind) if other is cls), {})
                given = tuple(type_of(argument, variables) for argument in typing.get_args(each))
                return argument_of(Instance(origin, given), base, index)
    if issubclass(kind.cls, base) and index < len(kind.arguments):
        # One of another name, as Sequence for list: its arguments mean the same.
        return kind.arguments[index]
    return ANY


# --- a dot -----------------------------------------------------------------------------------------------------------


def attribute(kind: Type, name: str) -> Member | NotThere:
    """Return what ``value.name`` reads of a type, which must not be a union."""
    match kind:
        case Record(fields=fields):
            known = dict(fields)
            return Member(known[name]) if name in known else NotThere(tuple(known))
        case FixedTuple():
            return NotThere(())
        case Constant(value=value):
            return attribute(Instance(type(value)), name)
        case Instance():
            return _attribute(kind, name)
    return UNKNOWN


@lru_cache(maxsize=16384)
def _attribute(kind: Instance, name: str) -> Member | NotThere:
    cls: Any = kind.cls
    if typing.is_typeddict(cls):
        return _key(cls, kind, name)
    shape = kinds.kind_of_class(cls)
    if shape == kinds.MAPPING or issubclass(cls, abc.Mapping):
        key, value = argument_of(kind, abc.Mapping, 0), argument_of(kind, abc.Mapping, 1)
        if isinstance(key, Instance) and key.cls is int:
            return UNKNOWN
        return Member(value)
    if shape in {kinds.ROW, kinds.FRAME, kinds.ARRAY, kinds.ELEMENT} or _answers_anything(cls, "__getattribute__"):
        return UNKNOWN
    found = _declared(kind, name)
    if found is not None:
        return _as_data(found, name)
    if _answers_anything(cls, "__getattr__"):
        return UNKNOWN
    if _has(cls, "__getitem__") and shape not in {kinds.SEQUENCE, kinds.TEXT}:
        return UNKNOWN
    names = assigned_in(cls)
    if names is None or name in names:
        return Member(_assigned(kind, name))
    return NotThere(tuple(sorted(each for each in readable(kind) if not each.startswith("_"))))


def _as_data(found: Member, name: str) -> Member:
    """Return what a dot reads of an object, where functions are methods: they can't be called."""
    if not isinstance(found.type, Function):
        return found
    return Member(Function(found.type.name or name, found.type.result, can_be_called=False))


def _key(cls: type, kind: Instance, name: str) -> Member | NotThere:
    hints, _ = hints_of(cls)
    if name not in hints:
        return NotThere(tuple(hints)) if hints or not cls.__annotations__ else UNKNOWN
    required: Collection[str] = getattr(cls, "__required_keys__", hints)
    variables = _bound(cls, kind.arguments)
    return Member(type_of(hints[name], variables), may_be_missing=_is_optional(name, hints[name], required))


def _is_optional(name: str, hint: Any, required: Collection[str]) -> bool:
    """PEP 655; where annotations are strings, a class does not know itself which of its keys are required."""
    wrapper = getattr(typing.get_origin(hint), "_name", "")
    return wrapper == "NotRequired" if wrapper in {"Required", "NotRequired"} else name not in required


def _declared(kind: Instance, name: str) -> Member | None:
    """Return an attribute that a class or one of its bases declares; ``None`` for none."""
    for cls, variables in bases_of(kind):
        table = cls.__dict__.get("__pydantic_fields__")
        if isinstance(table, dict) and name in table:
            # The fields of a generic model have the types that it was made for.
            return Member(type_of(table[name].annotation))
        if name in inspect.get_annotations(cls):
            hints, _ = hints_of(cls)
            if name in hints and not _is_init_only(hints[name]):
                return Member(type_of(hints[name], variables))
            if name not in hints:
                return UNKNOWN
        if name in cls.__dict__:
            return Member(_of_class_attribute(name, cls.__dict__[name], kind, cls, variables))
    return None


def _is_init_only(hint: Any) -> bool:
    return type(hint).__name__ == "InitVar"


def _of_class_attribute(name: str, value: object, kind: Instance, cls: type, variables: Variables) -> Type:
    if name in _WHOLE and cls.__module__ == "datetime":
        return INT
    if issubclass(cls, Enum):
        return _of_enum(kind.cls, name, value)
    if isinstance(value, property):
        return ANY if value.fget is None else result_of(value.fget, variables)
    if isinstance(value, functools.cached_property):
        return result_of(value.func, variables)
    if isinstance(value, types.FunctionType | classmethod | staticmethod) and callable(value):
        return Function(name, result_of(value, variables), can_be_called=False)
    if isinstance(value, _METHODS):
        return Function(name, ANY, can_be_called=False)
    plain = type(value)
    return Instance(plain) if plain in {str, int, float, bool} else ANY


_METHODS = (
    types.BuiltinFunctionType,
    types.MethodDescriptorType,
    types.WrapperDescriptorType,
    types.ClassMethodDescriptorType,
)
_WHOLE = frozenset({"year", "month", "day", "hour", "minute", "second", "microsecond", "days", "seconds"})
"""Attributes of dates and times that are integers."""


def _of_enum(cls: type, name: str, value: object) -> Type:
    if name == "name":
        return STR
    if name == "value" and issubclass(cls, Enum):
        return union(Instance(type(member.value)) for member in cls) if len(cls) else ANY
    if isinstance(value, types.FunctionType):
        return Function(name, ANY, can_be_called=False)
    return result_of(value.fget) if isinstance(value, property) and value.fget else ANY


# --- what a class has ------------------------------------------------------------------------------------------------

_BUILT_IN = frozenset({str, int, float, bool, complex, bytes, list, tuple, dict, set, frozenset, type, range})


@lru_cache(maxsize=4096)
def _answers_anything(cls: type, method: str) -> bool:
    """Return whether a class has a method that makes attributes when they are read, or a base that is not known."""
    for base in cls.__mro__:
        package = base.__module__.partition(".")[0]
        if base is object or base in _BUILT_IN or package == "enum":
            continue
        if package == "pydantic" and not _allows_more(cls):
            continue
        if base is Any or isinstance(base.__dict__.get(method), types.FunctionType):
            return True
        if method == "__getattr__" and method in base.__dict__:
            return True
    return False


def _allows_more(cls: type) -> bool:
    """Return whether a model of pydantic keeps fields that it does not declare."""
    settings = getattr(cls, "model_config", None)
    return isinstance(settings, abc.Mapping) and settings.get("extra") == "allow"


def _has(cls: type, *names: str) -> bool:
    return any(name in base.__dict__ for base in cls.__mro__ if base is not object for name in names)


def is_abstract(cls: type) -> bool:
    """Return whether values of a class are always of another one, which may be able to do more."""
    is_protocol = getattr(cls, "_is_protocol", False) is True
    return inspect.isabstract(cls) or is_protocol or cls.__module__ == "collections.abc"


def _assigned(kind: Instance, name: str) -> Type:
    """Return the type of an attribute that methods assign: that of the parameter that it is, else not known."""
    assignment = (assigned_in(kind.cls) or {}).get(name)
    if assignment is None or not assignment.parameter:
        return ANY
    hints, _ = hints_of(assignment.cls.__dict__["__init__"])
    variables = next((known for cls, known in bases_of(kind) if cls is assignment.cls), {})
    return type_of(hints[assignment.parameter], variables) if assignment.parameter in hints else ANY


def readable(kind: Instance) -> Iterator[str]:
    """Yield the names of the data that a dot reads of a class."""
    if issubclass(kind.cls, Enum):
        yield from ("name", "value")
    seen: set[str] = set()
    for cls, _ in bases_of(kind):
        if cls is object or cls in _BUILT_IN:
            continue
        names = [*inspect.get_annotations(cls)]
        names += [
            name
            for name, value in cls.__dict__.items()
            if isinstance(
                value, property | functools.cached_property | types.GetSetDescriptorType | types.MemberDescriptorType
            )
        ]
        for name in (*names, *(assigned_in(kind.cls) or ())):
            if name not in seen:
                seen.add(name)
                yield name


# --- items -----------------------------------------------------------------------------------------------------------


def as_tuple(kind: Type) -> Type:
    """Return a named tuple as a tuple of its fields; any other type as it is."""
    fields: Any = getattr(kind.cls, "_fields", None) if isinstance(kind, Instance) else None
    if isinstance(kind, Instance) and isinstance(fields, tuple) and issubclass(kind.cls, tuple):
        hints, _ = hints_of(kind.cls)
        return FixedTuple(tuple(type_of(hints.get(name, Any)) for name in fields))
    return kind


def item(kind: Type, key: Type) -> Member | NotThere:
    """Return what ``value[key]`` reads of a type, which must not be a union."""
    kind = as_tuple(kind)
    match kind:
        case Record(fields=fields) if isinstance(key, Constant):
            known = dict(fields)
            return Member(known[str(key.value)]) if key.value in known else NotThere(tuple(known))
        case FixedTuple(items=items):
            if isinstance(key, Constant) and isinstance(key.value, int):
                return Member(items[key.value]) if -len(items) <= key.value < len(items) else NotThere(())
            return Member(union(items))
        case Constant(value=value):
            return Member(STR) if isinstance(value, str) else UNKNOWN
        case Instance(cls=cls):
            if typing.is_typeddict(cls) and isinstance(key, Constant) and isinstance(key.value, str):
                return attribute(kind, key.value)
            if issubclass(cls, str):
                return Member(STR)
            if issubclass(cls, abc.Mapping):
                return Member(argument_of(kind, abc.Mapping, 1))
            if issubclass(cls, abc.Sequence):
                return Member(argument_of(kind, abc.Sequence, 0))
    return UNKNOWN


def sliced(kind: Type) -> Type:
    """Return what a slice of a type, which must not be a union, is."""
    match as_tuple(kind):
        case FixedTuple(items=items):
            return Instance(tuple, (union(items) if items else ANY,))
        case Constant(value=str()):
            return STR
        case Instance(cls=cls) if cls in {str, list, tuple}:
            return kind
    return ANY


# --- loops -----------------------------------------------------------------------------------------------------------


def items_of(kind: Type) -> Type | None:
    """Return the items of a type, which must not be a union, in a loop with one name; ``None`` if it has none."""
    match kind:
        case Record():
            return STR
        case FixedTuple(items=items):
            return union(items) if items else ANY
        case Constant() | Function():
            return None
        case Instance(cls=cls):
            shape = kinds.kind_of_class(cls)
            if typing.is_typeddict(cls):
                return STR
            if shape in kinds.SINGLE | {kinds.FUNCTION, kinds.CLASS}:
                return None
            for base in (abc.Mapping, abc.Iterable, abc.AsyncIterable):
                if issubclass(cls, base):
                    return argument_of(kind, base, 0)
            if _has(cls, "__iter__", "__getitem__", "__aiter__") or shape not in {kinds.OBJECT, kinds.MODEL}:
                return ANY
            return ANY if is_abstract(cls) else None
    return ANY


def pair_of(kind: Type) -> tuple[Type, Type]:
    """Return the items of a type, which must not be a union, in a loop with two names: keys and values of a mapping."""
    match kind:
        case Record(fields=fields):
            return STR, union(each for _, each in fields) if fields else ANY
        case Instance(cls=cls) if issubclass(cls, abc.Mapping) and not typing.is_typeddict(cls):
            return argument_of(kind, abc.Mapping, 0), argument_of(kind, abc.Mapping, 1)
        case Instance() | FixedTuple():
            inner = as_tuple(items_of(kind) or ANY)
            if isinstance(inner, FixedTuple) and len(inner.items) == 2:  # noqa: PLR2004
                return inner.items[0], inner.items[1]
    return ANY, ANY


def _is_collection(kind: Instance) -> bool:
    """Return whether an abstract collection is none that a string is, too."""
    if issubclass(kind.cls, abc.Mapping | abc.Set):
        return True
    item = argument_of(kind, abc.Iterable, 0)
    return issubclass(kind.cls, abc.Iterable) and class_of(item) not in {None, str}


def prints(kind: Type) -> bool:
    """Return whether a value of a type, which must not be a union, can be printed as text."""
    from untor.escape.printing import has_text  # noqa: PLC0415  beside what else it needs

    cls = class_of(kind)
    if isinstance(kind, Function):
        return False
    if isinstance(kind, Instance) and kind.cls.__module__ == "collections.abc":
        return not _is_collection(kind)
    if cls is None or is_abstract(cls) or kinds.has_method(cls, "__html__"):
        return True
    return not typing.is_typeddict(cls) and has_text(cls)
