"""The attributes that methods give their objects, as the source of a class shows them."""

from __future__ import annotations

import ast
import inspect
import sys
import textwrap
import types
from functools import lru_cache
from typing import NamedTuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping


class Assignment(NamedTuple):
    """Where an attribute comes from: the class, and the parameter of ``__init__`` that it is, if it is nothing else."""

    cls: type
    parameter: str = ""


_DECLARE_ALL = frozenset({"attr", "attrs", "builtins", "msgspec", "pydantic", "sqlalchemy", "typing_extensions"})
"""Packages whose classes give their objects no attributes but those that are declared."""


@lru_cache(maxsize=4096)
def assigned_in(cls: type) -> Mapping[str, Assignment] | None:
    """Return the attributes that methods of a class and its bases assign; ``None`` where that cannot be known."""
    found: dict[str, Assignment] = {}
    for base in reversed(cls.__mro__):
        package = base.__module__.partition(".")[0]
        if package in _DECLARE_ALL or package in sys.stdlib_module_names or not any(_written(base)):
            continue
        own = _of_class(base)
        if own is None:
            return None
        found |= own
    return found


def _written(cls: type) -> Iterator[types.FunctionType]:
    """Yield the methods of a class that stand in its source, and were not made by a library."""
    for value in cls.__dict__.values():
        inner: object = value.fget if isinstance(value, property) else value
        inner = getattr(inner, "__func__", getattr(inner, "func", inner))
        if not isinstance(inner, types.FunctionType) or inner.__module__ != cls.__module__:
            continue
        if "<" not in inner.__code__.co_filename:
            yield inner


def _of_class(cls: type) -> dict[str, Assignment] | None:
    try:
        tree = ast.parse(textwrap.dedent(inspect.getsource(cls)))
    except (OSError, TypeError, SyntaxError, ValueError, IndexError):
        return None
    found: dict[str, Assignment] = {}
    for function in ast.walk(tree):
        if not isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef) or not function.args.args:
            continue
        own = function.args.args[0].arg
        given = {each.arg for each in (*function.args.args[1:], *function.args.kwonlyargs)}
        given -= {node.id for node in ast.walk(function) if isinstance(node, ast.Name) and not _is_load(node)}
        for node in ast.walk(function):
            if _writes_any(node, own):
                return None
            for target, value in _stores(node):
                if isinstance(target, ast.Attribute) and _is_name(target.value, own):
                    is_given = isinstance(value, ast.Name) and value.id in given and function.name == "__init__"
                    is_first = target.attr not in found
                    parameter = value.id if is_first and is_given and isinstance(value, ast.Name) else ""
                    found[target.attr] = Assignment(cls, parameter)
    return found


def _stores(node: ast.AST) -> Iterator[tuple[ast.expr, ast.expr | None]]:
    """Yield what a statement assigns to, with the value where that is one for one."""
    match node:
        case ast.Assign(targets=targets, value=value):
            for target in targets:
                if isinstance(target, ast.Tuple | ast.List):
                    yield from ((each, None) for each in target.elts)
                else:
                    yield target, value
        case ast.AnnAssign(target=target, value=value):
            yield target, value
        case ast.AugAssign(target=target) | ast.For(target=target):
            yield target, None
        case ast.withitem(optional_vars=target) if target is not None:
            yield target, None


def _is_load(node: ast.Name) -> bool:
    return isinstance(node.ctx, ast.Load)


def _is_name(node: ast.expr, name: str) -> bool:
    return isinstance(node, ast.Name) and node.id == name


def _writes_any(node: ast.AST, own: str) -> bool:
    """Return whether a method may give its object attributes that stand nowhere."""
    if isinstance(node, ast.Attribute):
        return node.attr in {"__dict__", "__setattr__"}
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in {"setattr", "vars"}:
        return any(_is_name(each, own) for each in node.args)
    return False
