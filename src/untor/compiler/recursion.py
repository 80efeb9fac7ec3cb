"""Compiles templates that are nested deeper than Python's own stack allows."""

from __future__ import annotations

import sys
import time
from _thread import allocate_lock

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from types import FrameType
    from typing import TypeVar

    Result = TypeVar("Result")

_STACK = 256 * 1024 * 1024
_FRAMES = 40_000
_ROOM = 3
_TRIES, _PAUSE = 200, 0.005
_usual = 0
"""The limit to bring back, while another thread was too deep for it; 0 when it is as it was."""

_lock = allocate_lock()


def with_deep_stack(work: Callable[[], Result]) -> Result:
    """Return what ``work`` does, in a thread with a stack for some thousand levels of nesting.

    The templates themselves are limited long before that, so this ends.
    """
    import threading  # noqa: PLC0415  only for what is that deep

    results: list[Result] = []
    errors: list[BaseException] = []

    def run() -> None:
        try:
            results.append(work())
        except BaseException as error:  # noqa: BLE001  raised again in the calling thread
            errors.append(error)

    with _lock:
        limit, size = _usual or sys.getrecursionlimit(), threading.stack_size(_STACK)
        sys.setrecursionlimit(max(limit, _FRAMES))
        try:
            thread = threading.Thread(target=run)
            thread.start()
            thread.join()
        finally:
            threading.stack_size(size)
            _lower(limit)
    if errors:
        raise errors[0]
    return results[0]


def _lower(limit: int) -> None:
    """Bring the recursion limit back as soon as no thread is deeper than that.

    A thread that finds itself deeper than a lowered limit would take the whole interpreter down.
    """
    global _usual  # noqa: PLW0603  there is one limit in an interpreter
    for _ in range(_TRIES):
        interval = sys.getswitchinterval()
        sys.setswitchinterval(1)  # no other thread goes on between the look and the change
        try:
            if all(_depth(frame, limit) < limit - _ROOM for frame in sys._current_frames().values()):  # noqa: SLF001  made for this
                sys.setrecursionlimit(limit)
                _usual = 0
                return
        finally:
            sys.setswitchinterval(interval)
        time.sleep(_PAUSE)
    _usual = limit  # the next one that needs a deep stack brings it back


def _depth(frame: FrameType | None, most: int) -> int:
    depth = 0
    while frame is not None and depth < most:
        frame, depth = frame.f_back, depth + 1
    return depth
