"""Whether a value counts as true: in conditions, and in filters that test a key."""

from __future__ import annotations

from untor.diagnostics.problem import Problem
from untor.errors import RenderError
from untor.runtime.closed_types import is_code, kind_of_code


def truth(value: object) -> bool:
    """Return whether a value counts as true; an array or a data frame does when it has any item."""
    if hasattr(type(value), "__array__"):
        return bool(len(value))  # type: ignore[arg-type]
    if is_code(value):
        raise RenderError(Problem("function-as-value", what=f"A {kind_of_code(value)} as a condition"))
    return bool(value)
