"""Compiles templates for which there is not enough room on Python's stack."""

from __future__ import annotations

from untor.diagnostics.problem import Problem
from untor.errors import error_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import TypeVar

    from untor.diagnostics.source import Source

    Result = TypeVar("Result")

_DEEPEST = 200
"""About how many levels there is room for at least."""


def with_whole_stack(work: Callable[[], Result], source: Callable[[], Source]) -> Result:
    """Return what ``work`` does, with all of Python's stack. Raises ``MarkError`` where even that is not enough."""
    from untor.analysis.deep import on_a_stack_of_its_own  # noqa: PLC0415  only for what is that deep

    try:
        return on_a_stack_of_its_own(work)
    except RecursionError:
        raise error_of(Problem("too-deep", source(), 0, 1, most=_DEEPEST)) from None
