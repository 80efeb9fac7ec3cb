"""Compiles templates that are nested deeper than Python's own stack allows."""

from __future__ import annotations

import sys
import threading

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import TypeVar

    Result = TypeVar("Result")

_STACK = 256 * 1024 * 1024
_FRAMES = 40_000
_lock = threading.Lock()


def with_deep_stack(work: Callable[[], Result]) -> Result:
    """Return what ``work`` does, in a thread with a stack for some thousand levels of nesting.

    The templates themselves are limited long before that, so this ends.
    """
    results: list[Result] = []
    errors: list[BaseException] = []

    def run() -> None:
        try:
            results.append(work())
        except BaseException as error:  # noqa: BLE001  raised again in the calling thread
            errors.append(error)

    with _lock:
        limit, size = sys.getrecursionlimit(), threading.stack_size(_STACK)
        sys.setrecursionlimit(max(limit, _FRAMES))
        try:
            thread = threading.Thread(target=run)
            thread.start()
            thread.join()
        finally:
            sys.setrecursionlimit(limit)
            threading.stack_size(size)
    if errors:
        raise errors[0]
    return results[0]
