"""How time and memory grow: what a row, a byte and a template cost when there are many, as ratios to when there are few.

Run it as ``python benchmarks/growth.py --output growth.json``.
"""

from __future__ import annotations

import argparse
import gc
import inspect
import json
import platform
import statistics
import subprocess
import sys
import tempfile
import time
import tracemalloc
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pages import PAGES, TABLE

from untor import Engine

if TYPE_CHECKING:
    from collections.abc import Callable

ROW = {"id": 1, "name": "tug & berth", "note": "quay", "length": 21.5, "slug": "pilot-tide", "skipper": "hull keel"}
ROUNDS = 7


def seconds(work: Callable[[], object], rounds: int = ROUNDS) -> float:
    """Return the median of the process time that something takes."""
    found = []
    for _ in range(rounds):
        gc.collect()
        start = time.process_time()
        work()
        found.append(time.process_time() - start)
    return statistics.median(found)


def peak(work: Callable[[], object]) -> int:
    """Return how many bytes Python's memory grows by at most."""
    gc.collect()
    tracemalloc.start()
    work()
    found = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return found


def rows(found: dict[str, Any]) -> None:
    """Measure rows of a table: time a row, memory of the page; streamed, memory at all."""
    template = Engine().compile(TABLE)
    times: dict[int, float] = {}
    for count in (10, 1_000, 100_000, 1_000_000):
        data = [ROW] * count
        repeated = max(1, 20_000 // count)

        def page(data: list[dict[str, Any]] = data, repeated: int = repeated) -> None:
            for _ in range(repeated):
                template.render(title="t", rows=data)

        def streamed(data: list[dict[str, Any]] = data) -> None:
            for _ in template.stream(title="t", rows=data):
                pass

        streamed([])
        times[count] = seconds(page, 3) / (count * repeated)
        length = len(template.render(title="t", rows=data))
        found["memory of a page, to its length"][count] = peak(lambda: page(data, 1)) / length  # noqa: B023  right here
        found["memory while streaming, to a page of 1,000 rows"][count] = peak(streamed)
    found["time of a row"] |= {count: each / times[10] for count, each in times.items()}


def sources(found: dict[str, Any]) -> None:
    """Measure what is compiled: time a byte of fixed text, a loop inside a loop, a value, a template of a site."""
    engine = Engine()

    def compiled(name: str, per: int, count: int, source: str) -> None:
        found[name][count] = seconds(lambda: engine.compile(source), 3) / per

    for count in (10, 1_000, 100_000):
        compiled("compiling a byte of text", count, count, "<p>quay berth</p>\n" * count)
    for count in (2, 8, 32):
        source = "<! for a in b !><div>" * count + "{= c =}" + "</div><! end !>" * count
        compiled("compiling a loop in a loop", count, count, source)
    for count in (10, 100, 1_000):
        compiled("compiling a value", count, count, "<p title='{= a.b =}'>{= c =}</p>\n" * count)
    engine.check()
    with tempfile.TemporaryDirectory() as folder:
        for count in (10, 100, 1_000):
            for number in range(count):
                text = f'<! layout "base" !><p>{{= x{number} =}}</p>'
                Path(folder, f"page{number}.html").write_text(text, "utf-8")
            head = '<meta charset="utf-8"><title>x</title>'
            text = f'<!doctype html>\n<html lang="en"><head>{head}</head><body><! slot !></body></html>'
            Path(folder, "base.html").write_text(text, "utf-8")
            start = time.perf_counter()
            if Engine(folder).check():
                raise SystemExit("the site is not as it should be")
            # Large sites are looked at by several processes.
            found["checking a template"][count] = (time.perf_counter() - start) / count


def starting() -> dict[str, float]:
    """Measure what a page costs before it is rendered: compiled, from the cache, in a new process."""
    found: dict[str, float] = {}
    for name in ("table", "cards", "small"):
        page = PAGES[name]
        by_hand = inspect.getsource(page.by_hand)
        ours = seconds(lambda page=page: Engine().compile(page.template), 21)  # type: ignore[misc]
        python = seconds(lambda by_hand=by_hand: compile(by_hand, "page.py", "exec"), 21)  # type: ignore[misc]
        found[f"compiling {name}, to what Python takes to compile the function by hand"] = ours / python
    with tempfile.TemporaryDirectory() as folder:
        many = "\n".join(PAGES[name].template for name in ("cards", "places", "small")) * 40
        pages = {"table": TABLE, "large": f"<!doctype html><title>x</title><body>{many}"}
        cache = Path(folder, "cache")
        for name, source in pages.items():
            Path(folder, f"{name}.html").write_text(source, "utf-8")
            compiled = seconds(lambda name=name: Engine(folder).template(name), 5)  # type: ignore[misc]

            Engine(folder, cache_folder=cache).template(name)
            cached = seconds(lambda name=name: Engine(folder, cache_folder=cache).template(name), 21)  # type: ignore[misc]
            size = f"{len(source) / 1000:.1f} KB"
            found[f"compiling {name} ({size}), to loading it from the cache"] = compiled / cached
        script = f"from untor import Engine; Engine({folder!r}, cache_folder={str(cache)!r}).render('table', rows=[], title='')"
        ratios = []
        for _ in range(21):
            times = []
            for code in ("pass", script):
                start = time.perf_counter()
                subprocess.run([sys.executable, "-I", "-c", code], check=True)  # noqa: S603  this very Python
                times.append(time.perf_counter() - start)
            ratios.append(times[1] / times[0])
        found["a process that renders a cached page, to one that does nothing"] = statistics.median(ratios)
    return {name: round(ratio, 2) for name, ratio in found.items()}


def main() -> None:
    """Measure, and write the ratios to the first count of each."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--output", help="a file to write the ratios to")
    options = parser.parse_args()
    names = ["time of a row", "memory of a page, to its length", "memory while streaming, to a page of 1,000 rows"]
    names += ["compiling a byte of text", "compiling a loop in a loop", "compiling a value", "checking a template"]
    found: dict[str, Any] = {name: {} for name in names}
    rows(found)
    sources(found)
    for name, counts in found.items():
        if not name.startswith(("time", "memory of")):
            first = counts[1_000] if name.startswith("memory") else next(iter(counts.values()))
            found[name] = {count: each / first for count, each in counts.items()}
        shown = {count: round(each, 2) for count, each in found[name].items()}
        found[name] = dict(sorted(shown.items()))
        print(name, found[name])
    before = starting()
    print(before)
    if options.output:
        made = {"python": platform.python_version(), "growth": found, "starting": before}
        Path(options.output).write_text(json.dumps(made, indent=1) + "\n", "utf-8")


if __name__ == "__main__":
    main()
