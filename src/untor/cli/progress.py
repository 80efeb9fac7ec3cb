"""A bar that shows how far a command has come, on a terminal."""

from __future__ import annotations

import sys
from contextlib import contextmanager

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator


@contextmanager
def progress(what: str) -> Iterator[Callable[[int, int], None] | None]:
    """Give a function that takes how many are done and of how many; ``None`` where nobody would see it."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console  # noqa: PLC0415  only for what prints with it
    from rich.progress import Progress  # noqa: PLC0415

    with Progress(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=None)
        yield lambda done, all_: bar.update(task, completed=done, total=all_)
