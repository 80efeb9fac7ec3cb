"""A progress bar, on a terminal."""

from __future__ import annotations

import sys
from contextlib import contextmanager
from time import monotonic

from untor.cli.common import is_quiet

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator


_SECONDS = 0.1
"""How often the bar is drawn."""


@contextmanager
def progress(what: str) -> Iterator[Callable[[int, int], None] | None]:
    """Give a function that takes how many are done and of how many; ``None`` where nobody would see it."""
    if is_quiet() or not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console  # noqa: PLC0415  only for what prints with it
    from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn  # noqa: PLC0415

    columns = TextColumn("{task.description}"), BarColumn(complete_style="default"), TaskProgressColumn(style="default")
    # Without a thread of its own: the checker forks.
    with Progress(*columns, console=Console(stderr=True), transient=True, auto_refresh=False) as bar:
        task = bar.add_task(what, total=None)
        bar.refresh()
        shown = monotonic()

        def report(done: int, all_: int) -> None:
            nonlocal shown
            if monotonic() - shown > _SECONDS:
                shown = monotonic()
                bar.update(task, completed=done, total=all_)
                bar.refresh()

        yield report
