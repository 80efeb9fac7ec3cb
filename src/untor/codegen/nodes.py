"""Nodes of Python's syntax tree, made cheaply: half of the time of compiling goes into them.

Names and constants can raise nothing, so their place is never needed: they all have the same one, which is that of
their class, and names are made only once.
"""

from __future__ import annotations

import ast
from functools import lru_cache

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

LOAD = ast.Load()
STORE = ast.Store()
APPEND = "_append"
"""What adds to the page. All names of the code's own begin so, as no name of a template does."""


class Name(ast.Name):
    """A variable that is read or written."""

    lineno = end_lineno = 1
    col_offset = end_col_offset = 0


class Constant(ast.Constant):
    """A value that is known when compiling."""

    lineno = end_lineno = 1
    col_offset = end_col_offset = 0


@lru_cache(4096)
def load(name: str) -> ast.Name:
    """Read a variable."""
    return Name(name, LOAD)


@lru_cache(4096)
def store(name: str) -> ast.Name:
    """Write a variable."""
    return Name(name, STORE)


def constant(value: Any) -> ast.Constant:
    """Return a value that is known."""
    return Constant(value)


def call(function: str, *arguments: ast.expr) -> ast.Call:
    """Call a function of the code's own names."""
    return ast.Call(load(function), list(arguments), [])
