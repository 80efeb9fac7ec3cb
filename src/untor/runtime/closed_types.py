"""Types whose attributes lead out of the data into the program; no template reads them."""

from __future__ import annotations

from types import (
    AsyncGeneratorType,
    CodeType,
    CoroutineType,
    FrameType,
    GeneratorType,
    ModuleType,
    TracebackType,
)

from untor.escape.kinds import FUNCTIONS

CLOSED = (
    *FUNCTIONS,
    ModuleType,
    FrameType,
    CodeType,
    GeneratorType,
    CoroutineType,
    AsyncGeneratorType,
    TracebackType,
)

CODE = (*FUNCTIONS, type)
"""Types of what is code, not data."""


def is_code(value: object) -> bool:
    """Return whether a value is a function, a method, a partial one or a class."""
    if isinstance(value, CODE):
        return True
    if not callable(value):
        return False
    from functools import partial, partialmethod  # noqa: PLC0415  loaded already; needed only for what can be called

    return isinstance(value, partial | partialmethod)


def kind_of_code(value: object) -> str:
    """Return the word for a value that is code: ``class`` or ``method``."""
    return "class" if isinstance(value, type) else "method"
