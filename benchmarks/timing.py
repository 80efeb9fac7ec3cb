"""Times functions in turn, shuffled, as ratios of the same round: machines change their speed."""

from __future__ import annotations

import gc
import random
import time
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable


def measured(functions: dict[str, Callable[[], object]], rounds: int, base: str) -> dict[str, list[float]]:
    """Return the ratios of all rounds to ``base``, by name; in process time, with the garbage collector off."""
    chance = random.Random(4)  # noqa: S311  an order, no secret
    ratios: dict[str, list[float]] = {name: [] for name in functions}
    for function in functions.values():
        function()
    gc.disable()
    for _ in range(rounds):
        times = {}
        for name in chance.sample(list(functions), len(functions)):
            functions[name]()  # what is first after another, or after the collection of garbage, is slower
            start = time.process_time_ns()
            functions[name]()
            times[name] = time.process_time_ns() - start
        for name, taken in times.items():
            ratios[name].append(taken / times[base])
        gc.collect()
    gc.enable()
    return ratios
