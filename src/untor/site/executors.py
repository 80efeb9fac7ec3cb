"""How many batches of pages an executor is given ahead."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from concurrent.futures import Executor

_AHEAD = 2
"""How many batches are waiting for each worker."""
_WORKERS = 8
"""The number of workers assumed for an executor that does not report it."""


def batches_ahead(executor: Executor) -> int:
    """Return how many batches are submitted before the first result is waited for."""
    workers = getattr(executor, "_max_workers", None)
    return _AHEAD * (workers if isinstance(workers, int) else _WORKERS)
