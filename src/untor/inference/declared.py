"""The types that templates and engines declare: of ``takes``, ``Engine(types=…)``, ``inputs``, globals and helpers."""

from __future__ import annotations

import types
from collections import abc
from datetime import date, datetime
from decimal import Decimal
from typing import TYPE_CHECKING

from untor.messages.locale_codes import PageLocale
from untor.types.annotations import hints_of, result_of, type_of
from untor.types.model import (
    ANY,
    BOOL,
    FLOAT,
    INT,
    NONE,
    STR,
    Constant,
    FixedTuple,
    Function,
    Instance,
    union,
)

if TYPE_CHECKING:
    from collections.abc import Mapping

    from untor.language import tree
    from untor.types.model import Type

_SINGLE: dict[str, Type] = {
    "None": NONE,
    "bool": BOOL,
    "date": Instance(date),
    "datetime": Instance(datetime),
    "decimal": Instance(Decimal),
    "Decimal": Instance(Decimal),
    "float": FLOAT,
    "int": INT,
    "str": STR,
}
_COLLECTIONS: dict[str, tuple[type, int]] = {
    "Iterable": (abc.Iterable, 1),
    "Mapping": (abc.Mapping, 2),
    "Sequence": (abc.Sequence, 1),
    "dict": (dict, 2),
    "frozenset": (frozenset, 1),
    "list": (list, 1),
    "set": (set, 1),
}
"""The classes of collections, and how many arguments they have."""


def declared_type(node: tree.Annotation, known: Mapping[str, object]) -> Type:
    """Return the type that ``takes`` or ``part`` writes; ``known`` are the classes of ``Engine(types=…)``."""
    name = node.name.rpartition(".")[2]
    if node.name in known:
        return _of_known(known[node.name], [declared_type(each, known) for each in node.arguments])
    if name in _SINGLE:
        return _SINGLE[name]
    if name == "Literal":
        return union(NONE if each.value is None else Constant(each.value) for each in node.arguments)
    inner = [declared_type(each, known) for each in node.arguments]
    if name in {"|", "Union"}:
        return union(inner)
    if name == "Optional":
        return union([*inner, NONE])
    if name == "Annotated" and inner:
        return inner[0]
    if name == "tuple":
        return FixedTuple(tuple(inner)) if inner else Instance(tuple, (ANY,))
    if name in _COLLECTIONS:
        cls, count = _COLLECTIONS[name]
        return Instance(cls, tuple([*inner, ANY, ANY][:count]))
    return ANY


def _of_known(given: object, arguments: list[Type]) -> Type:
    kind = type_of(given)
    if isinstance(kind, Instance) and arguments:
        return Instance(kind.cls, tuple(arguments))
    return kind


def parameter_type(parameter: tree.Parameter, known: Mapping[str, object]) -> Type | None:
    """Return the declared type of a parameter; ``None`` for one that says nothing."""
    if parameter.annotation is None:
        return None
    kind = declared_type(parameter.annotation, known)
    return union([kind, NONE]) if parameter.optional and kind != ANY else kind


def inputs_of(cls: type) -> dict[str, Type]:
    """Return the values that a class says a page is given: its annotations, and its properties."""
    hints, _ = hints_of(cls)
    found = {name: type_of(hint) for name, hint in hints.items()}
    for base in cls.__mro__:
        for name, value in base.__dict__.items():
            if isinstance(value, property) and value.fget is not None and not name.startswith("_"):
                found.setdefault(name, result_of(value.fget))
    return found


def type_of_value(name: str, value: object) -> Type:
    """Return the type of a global or a helper of an engine, which every page sees.

    Only the types of functions are known: a view may pass any value under the name of another global.
    """
    if name == "locale" and type(value) is PageLocale:
        return Instance(PageLocale)
    if isinstance(value, types.FunctionType | types.MethodType | types.BuiltinFunctionType):
        return Function(name, result_of(value))
    return ANY
