"""The fast path of some functions in C, if the package was built with it; see ``module.c``."""

from __future__ import annotations

import os

_extension: Any = None
WHY_NOT = "UNTOR_EXTENSION=off"
"""Why the extension is not in use; empty if it is."""
if os.environ.get("UNTOR_EXTENSION") != "off":  # pragma: no cover  what is measured are the functions in Python
    try:
        from untor.escape import _extension
    except ImportError as error:
        WHY_NOT = "it was not built" if "cannot import name" in str(error) else f"it cannot be loaded: {error}"
    else:
        WHY_NOT = ""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any, TypeVar

    from untor.escape._extension import Program

    Function = TypeVar("Function", bound=Callable[..., Any])

IS_BUILT = _extension is not None
"""Whether there is one; the environment variable ``UNTOR_EXTENSION=off`` leaves it out."""


plain_data: Callable[[object, bool], str | None] | None = getattr(_extension, "plain_data", None)
"""Returns plain data as JSON, or as JavaScript; ``None`` for any other data, and for this without the extension."""


def is_in_program() -> bool:
    """Return whether a program of the extension has called, in this thread, what calls this."""
    return IS_BUILT and _extension.is_in_program()


def accelerated(function: Function) -> Function:
    """Return what does the same as a function, faster for the most common values; without the extension, itself."""
    return _extension.install(function.__name__, function) if IS_BUILT else function


def program(*tables: object) -> Program:  # pragma: no cover  as above
    """Return a program of the extension. Raises ``ValueError`` and ``TypeError`` for tables that are not of one."""
    return _extension.program(*tables)  # type: ignore[no-any-return]


def configure(**known: object) -> None:
    """Tell the extension what it has to know of the values of pages, and which functions do what it leaves to them.

    ``direct`` is the set of types whose dots are attributes, ``plain`` that of those whose values are true or false as
    Python has it, and ``missing`` the value of what is not there.
    """
    if IS_BUILT:  # pragma: no cover  as above
        for name, value in known.items():
            _extension.install(name, value)
