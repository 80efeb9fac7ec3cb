"""Room for what is nested deep: Python's stack is of a limited size, and it is one for each thread."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import TypeVar

    Result = TypeVar("Result")

LEVELS = 60
"""How many levels of steps are walked on one stack."""


def on_a_stack_of_its_own(work: Callable[[], Result]) -> Result:
    """Return what ``work`` does, or raise what it raises, in a thread whose stack nothing is on yet.

    So nothing has to be changed that the rest of the process depends on.
    """
    import threading  # noqa: PLC0415  only for what is that deep

    results: list[Result] = []
    errors: list[BaseException] = []

    def run() -> None:
        try:
            results.append(work())
        except BaseException as error:  # noqa: BLE001  raised again in the calling thread
            errors.append(error)

    thread = threading.Thread(target=run)
    thread.start()
    thread.join()
    if errors:
        raise errors[0]
    return results[0]
