"""Python's annotations as types: what a class, a function or a template says about values.

They are read as ``typing.get_type_hints`` reads them (PEP 484, 526, 585, 604, 655, 589, 593). A name that is imported
for type checkers only is taken from a module that is loaded already, or of the standard library; else it is not known,
since importing it would run code of the site.
"""

from __future__ import annotations

import ast
import importlib
import inspect
import sys
import types
import typing
from collections import abc
from functools import lru_cache
from typing import Any, Literal, TypeVar

from untor.types.model import ANY, NONE, Constant, FixedTuple, Function, Instance, union

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.types.model import Type

Variables = dict[object, "Type"]
"""What the type variables of a generic class stand for."""

_MOST_NAMES = 200

_WRAPPERS = frozenset({"ClassVar", "Final", "Required", "NotRequired", "ReadOnly", "Annotated", "InitVar", "Unpack"})
"""Annotations around the type that counts."""

_LIBRARY_WRAPPERS = frozenset({"Mapped", "SQLCoreOperations", "DynamicMapped", "WriteOnlyMapped"})
"""Those of SQLAlchemy, around the type of a column."""


def type_of(annotation: Any, variables: Mapping[object, Type] | None = None) -> Type:
    """Return the type that an annotation stands for; ``ANY`` for what says nothing here."""
    if annotation is None or annotation is types.NoneType:
        return NONE
    if isinstance(annotation, TypeVar):
        return (variables or {}).get(annotation) or _of_bound(annotation)
    if isinstance(annotation, typing.NewType):
        return type_of(annotation.__supertype__, variables)
    if type(annotation).__name__ == "TypeAliasType":  # Python 3.12
        return type_of(annotation.__value__, variables)
    origin, arguments = typing.get_origin(annotation), typing.get_args(annotation)
    if origin is None:
        return _of_class(annotation) if isinstance(annotation, type) else ANY
    if origin in {typing.Union, types.UnionType}:
        return union(type_of(each, variables) for each in arguments)
    if origin is Literal:
        return union(_of_value(each) for each in arguments)
    name = getattr(origin, "__name__", None) or getattr(origin, "_name", None) or ""
    if name in _WRAPPERS or (name in _LIBRARY_WRAPPERS and origin.__module__.startswith("sqlalchemy.")):
        return (
            type_of(arguments[0], variables) if arguments and name not in {"DynamicMapped", "WriteOnlyMapped"} else ANY
        )
    if origin is tuple:
        return _of_tuple(arguments, variables)
    if origin is abc.Callable:
        return Function("", type_of(arguments[-1], variables)) if arguments else ANY
    if not isinstance(origin, type):
        return ANY
    return Instance(origin, tuple(type_of(each, variables) for each in arguments))


def _of_class(cls: type) -> Type:
    if cls is object or cls is Any or cls.__module__ in {"typing", "typing_extensions"}:
        return ANY
    return Instance(cls, tuple(ANY for _ in variables_of(cls)))


def variables_of(cls: type) -> tuple[object, ...]:
    """Return the type variables of a generic class; a metaclass may answer anything."""
    found = getattr(cls, "__parameters__", ())
    return found if isinstance(found, tuple) else ()


def _of_tuple(arguments: tuple[Any, ...], variables: Mapping[object, Type] | None) -> Type:
    if len(arguments) == 2 and arguments[1] is Ellipsis:  # noqa: PLR2004  tuple[int, ...]
        return Instance(tuple, (type_of(arguments[0], variables),))
    return FixedTuple(tuple(type_of(each, variables) for each in arguments if each != ()))


def _of_value(value: object) -> Type:
    if value is None:
        return NONE
    return Constant(value) if isinstance(value, str | int) or hasattr(value, "_value_") else ANY  # type: ignore[arg-type]


def _of_bound(variable: TypeVar) -> Type:
    return ANY if variable.__bound__ is None else type_of(variable.__bound__)


@lru_cache(maxsize=4096)
def hints_of(owner: Any) -> tuple[Mapping[str, Any], frozenset[str]]:
    """Return the annotations of a class, a function or a module, and the names in them that are not known.

    If they can't be evaluated for any other reason, there are none, and that reason is in place of the names.
    """
    extra: dict[str, Any] = {}
    unknown: set[str] = set()
    for _ in range(_MOST_NAMES):
        try:
            return typing.get_type_hints(owner, localns=extra or None, include_extras=True), frozenset(unknown)
        except NameError as error:
            name = getattr(error, "name", None)
            if not name or name in extra:
                break
            found = _imported_for_checkers(owner, name)
            if found is None:
                unknown.add(name)
            extra[name] = Any if found is None else found
        except Exception as error:  # noqa: BLE001  an annotation may be any expression
            return {}, frozenset({f"{type(error).__name__}: {error}"})
    return {}, frozenset(unknown)


def _imported_for_checkers(owner: Any, name: str) -> Any:
    """Return what a module imports under a name for type checkers only, where that is loaded; else ``None``."""
    for base in getattr(owner, "__mro__", (owner,)):
        module, attribute = _imports(base.__module__).get(name, ("", ""))
        loaded = sys.modules.get(module) or _of_standard_library(module)
        if loaded is not None:
            return getattr(loaded, attribute, None) if attribute else loaded
    return None


_SIDE_EFFECTS = frozenset({"antigravity", "idlelib", "test", "this", "tkinter", "turtle", "turtledemo"})
"""What does something when it is imported, or is not always there."""


def _of_standard_library(module: str) -> object:
    """Import a module of the standard library, which runs nothing of a site; ``None`` for any other."""
    package = module.partition(".")[0]
    if package not in sys.stdlib_module_names or package in _SIDE_EFFECTS:
        return None
    try:
        return importlib.import_module(module)
    except ImportError:
        return None


@lru_cache(maxsize=1024)
def _imports(module: str) -> Mapping[str, tuple[str, str]]:
    """Return the imports of a module by the names that they give; for each, the module and the name in it."""
    try:
        tree = ast.parse(inspect.getsource(sys.modules[module]))
    except (OSError, TypeError, KeyError, SyntaxError, ValueError):
        return {}
    package = getattr(sys.modules[module], "__package__", "") or ""
    found: dict[str, tuple[str, str]] = {}
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom):
            base = package.rsplit(".", node.level - 1)[0] if node.level else ""
            origin = ".".join(filter(None, [base, node.module or ""]))
            found |= {each.asname or each.name: (origin, each.name) for each in node.names}
        elif isinstance(node, ast.Import):
            found |= {each.asname or each.name.partition(".")[0]: (each.name, "") for each in node.names}
    return found


def result_of(function: Callable[..., object], variables: Mapping[object, Type] | None = None) -> Type:
    """Return what a function returns; ``ANY`` if it does not say, or returns something to be awaited."""
    inner = inspect.unwrap(function)
    while hasattr(inner, "func") and not isinstance(inner, type):
        inner = inner.func
    inner = getattr(inner, "__func__", inner)
    if isinstance(inner, type):
        return _of_class(inner)
    if inspect.iscoroutinefunction(inner) or not hasattr(inner, "__annotations__"):
        return ANY
    hints, _ = hints_of(inner)
    return type_of(hints["return"], variables) if "return" in hints else ANY
