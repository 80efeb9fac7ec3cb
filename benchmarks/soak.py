"""What shows only after long use: the demo under load, pages rendered very often, files that change under threads.

``python benchmarks/soak.py demo --minutes 20``, ``python benchmarks/soak.py renders --count 1000000`` and
``python benchmarks/soak.py reload --minutes 5`` print what they measure, and end with status 1 where something grows or a
page is not what it should be. Memory and descriptors are those that Linux shows in ``/proc``.
"""

from __future__ import annotations

import argparse
import logging
import os
import random
import re
import sys
import tempfile
import threading
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from itertools import cycle
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from more_pages import MORE_PAGES, ROUTES
from pages import PAGES
from serving import ask, running

from untor import Engine, MarkError, PlacementError, RenderError
from untor.demo.visit import PATHS

CLIENTS = 8
PAUSE = 0.02
"""Seconds that a client of the demo waits after each answer."""

MIB = 2**20
BLOCKS = 1000
"""How many blocks of memory may be left after the renders of a page; a byte kept of each render is more."""
STEP = 10.0
"""Seconds between two looks at the memory of the demo."""


def memory(process: int | str = "self") -> int:
    """Return the bytes of memory that a process holds."""
    return int(Path(f"/proc/{process}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")


def descriptors(process: int) -> int:
    """Return how many descriptors a process holds."""
    return len(list(Path(f"/proc/{process}/fd").iterdir()))


def flat(samples: list[int], slack: int) -> bool:
    """Tell whether the last quarter of the samples is no higher than the second one."""
    quarter = len(samples) // 4
    return max(samples[-quarter:]) <= max(samples[quarter : 2 * quarter]) + slack


def demo(minutes: float) -> bool:
    """Ask for all pages of the demo, and for what is not there, from some clients for some time."""
    end = time.monotonic() + minutes * 60
    statuses: Counter[int] = Counter()
    held: list[int] = []
    opened: list[int] = []
    with (
        tempfile.TemporaryDirectory() as folder,
        running("untor", "demo", "--port", "0", folder=Path(folder)) as (url, process),
    ):

        def client(seed: int) -> None:
            chance = random.Random(seed)  # noqa: S311  the same order each time
            paths = [*PATHS, "/nowhere", "/vessels/nowhere", "/static/%2e%2e/secret"]
            chance.shuffle(paths)
            for path in cycle(paths):
                if time.monotonic() > end:
                    return
                statuses[ask(url + path).status] += 1
                if path == "/notices":
                    statuses[ask(f"{url}/notices", "POST", b"author=&text=").status] += 1
                time.sleep(PAUSE)

        # What the server prints is read, so that it never waits for us.
        threading.Thread(target=process.communicate, daemon=True).start()
        with ThreadPoolExecutor(CLIENTS) as pool:
            clients = [pool.submit(client, seed) for seed in range(CLIENTS)]
            while time.monotonic() < end:
                time.sleep(STEP)
                held.append(memory(process.pid))
                opened.append(descriptors(process.pid))
            for each in clients:
                each.result()
        time.sleep(1)
        opened.append(descriptors(process.pid))
    quarters = [max(held[part * len(held) // 4 : (part + 1) * len(held) // 4]) / MIB for part in range(4)]
    print(f"demo: {sum(statuses.values())} answers {dict(sorted(statuses.items()))}")
    print("memory in MiB, highest of each quarter:", *(f"{each:.1f}" for each in quarters))
    print(f"descriptors: {min(opened)} to {max(opened)}, {opened[-1]} at the end")
    return flat(held, MIB) and opened[-1] <= opened[0] and not statuses[500]


def shortened(value: Any, items: int) -> Any:
    """Return the value with no list longer than that, so that a page can be rendered a million times."""
    if isinstance(value, list):
        return [shortened(item, items) for item in value[:items]]
    if isinstance(value, dict):
        return {key: shortened(item, items) for key, item in value.items()}
    return value


def renders(count: int, items: int) -> bool:
    """Render each page of the benchmarks often; the blocks and the memory that Python holds must not grow."""
    logging.disable()
    right = True
    engine = Engine(links=ROUTES, locale="en")
    for name, page in (PAGES | MORE_PAGES).items():
        data = {key: shortened(value, items) for key, value in page.data.items()}
        template = engine.compile(page.template)
        expected = template.render(data)
        for _ in range(1000):
            template.render(data)
        blocks, held = sys.getallocatedblocks(), memory()
        for _ in range(count):
            template.render(data)
        blocks, held = sys.getallocatedblocks() - blocks, memory() - held
        same = template.render(data) == expected
        print(
            f"{name}: {count} renders of {len(expected)} characters, {blocks:+} blocks, {held / MIB:+.2f} MiB",
            flush=True,
        )
        right &= same and blocks < BLOCKS and held < MIB
    return right


WRITTEN = {
    "page": """<! layout "frame" !>page %d <! include "piece" value=value !>""",
    "frame": "<!doctype html><title>frame %d</title><main><! slot !></main>",
    "piece": "<b>piece %d {= value =}</b>",
}
BROKEN = "<p {= value =}"
READ = re.compile(r"<!doctype html><title>frame (\d+)</title><main>page (\d+) <b>piece (\d+) &lt;x&gt;</b></main>")


def reload(minutes: float, threads: int) -> bool:
    """Render from many threads while the page, its layout and its include change, and are wrong now and then."""
    end = time.monotonic() + minutes * 60
    counts: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        engine = Engine(folder, reload=True)

        def write(name: str, text: str) -> None:
            new = Path(folder, f"{name}.new")
            new.write_text(text, "utf-8")
            new.replace(Path(folder, f"{name}.html"))

        def reader() -> None:
            last: tuple[int, ...] = (0, 0, 0)
            while time.monotonic() < end:
                try:
                    page = engine.render("page", value="<x>")
                except (MarkError, PlacementError):
                    counts["refused"] += 1
                    continue
                except RenderError:
                    counts["failed"] += 1
                    continue
                found = READ.fullmatch(page)
                versions = tuple(int(each) for each in found.groups()) if found else (0, 0, 0)
                counts["wrong"] += not found
                counts["older"] += any(now < before for now, before in zip(versions, last, strict=True))
                counts["rendered"] += 1
                counts["changed"] += versions != last
                last = versions

        for name, text in WRITTEN.items():
            write(name, text % 1)
        held = []
        with ThreadPoolExecutor(threads) as pool:
            readers = [pool.submit(reader) for _ in range(threads)]
            version = 1
            while time.monotonic() < end:
                version += 1
                for name, text in WRITTEN.items():
                    if version % 10 == 0:
                        write(name, BROKEN)
                    time.sleep(0.01)
                    write(name, text % version)
                    time.sleep(0.01)
                held.append(memory())
            for each in readers:
                each.result()
        last_page = READ.fullmatch(engine.render("page", value="<x>"))
        newest = last_page is not None and set(last_page.groups()) == {str(version)}
    quarter = len(held) // 4
    print(f"{threads} threads, {version} versions: {dict(counts)}")
    print(
        f"memory in MiB: {max(held[:quarter]) / MIB:.1f} in the first quarter, {max(held[-quarter:]) / MIB:.1f} in the last"
    )
    return newest and not counts["wrong"] and not counts["older"] and not counts["failed"] and flat(held, MIB)


def main() -> int:
    """Run what is asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["demo", "renders", "reload"])
    parser.add_argument("--minutes", type=float, default=5)
    parser.add_argument("--count", type=int, default=1_000_000)
    parser.add_argument("--items", type=int, default=20, help="items of each list of a page that is rendered")
    parser.add_argument("--threads", type=int, default=32)
    given = parser.parse_args()
    measured = {
        "demo": lambda: demo(given.minutes),
        "renders": lambda: renders(given.count, given.items),
        "reload": lambda: reload(given.minutes, given.threads),
    }
    return 0 if measured[given.what]() else 1


if __name__ == "__main__":
    sys.exit(main())
