"""How long pages take, as ratios to the function that one would write by hand.

All variants of a page are timed in turn in one process, shuffled, in process time and with the garbage collector off;
each round gives a ratio to the hand-written function of the same round, and a figure is the median of the rounds::

    python benchmarks/run.py --output 3.11.json
"""

from __future__ import annotations

import argparse
import html
import importlib
import json
import logging
import os
import platform
import statistics
import sys
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any

from more_pages import MORE_PAGES, ROUTES
from pages import PAGES as FIRST_PAGES
from timing import measured

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor import Engine, Template


PAGES = FIRST_PAGES | MORE_PAGES
ROW = '<li title="{= row.note =}">{= row.name =} {= row.skipper =}</li>'
LOOP = f"<! part row(row) !>{ROW}<! end !><! for row in rows !><! include row row !><! end !>"
PLACE = f"<! for row in rows !>{ROW}<! end !>"


def compiled(folder: str, *, extension: bool) -> tuple[Engine, dict[str, Template]]:
    """Return an engine and all pages, compiled by a package of its own, loaded with or without the extension."""
    for name in [name for name in sys.modules if name.partition(".")[0] == "untor"]:
        del sys.modules[name]
    os.environ["UNTOR_EXTENSION"] = "on" if extension else "off"
    engine: Engine = importlib.import_module("untor").Engine(folder, links=ROUTES, locale="en")
    return engine, {name: engine.template(name) for name in SOURCES}


SOURCES = {name: page.template for name, page in PAGES.items()} | {"included": LOOP, "placed": PLACE}
with TemporaryDirectory() as made:
    for title, source in SOURCES.items():
        Path(made, f"{title}.html").write_text(source, "utf-8")
    _, PURE = compiled(made, extension=False)
    ENGINE, FAST = compiled(made, extension=True)
IS_BUILT: bool = importlib.import_module("untor.escape.accelerated").IS_BUILT


def variants_of(name: str) -> dict[str, Callable[[], object]]:
    """Return the functions that are measured for a page."""
    page = PAGES[name]
    data, given = page.data, ", ".join(f"{key}={key}" for key in page.data)
    pure, template = PURE[name], FAST[name]

    def repeated(function: Callable[..., object], page: str = "function({})") -> Callable[[], object]:
        once = page.replace("{}", given)
        return called(f"def run():\n    for _ in times: {once}\n    return {once}", function)

    def called(source: str, function: Callable[..., object]) -> Callable[[], object]:
        """Make what calls a function as one writes it, with its values by name."""
        namespace: dict[str, Any] = {**data, "function": function, "times": range(page.calls - 1)}
        exec(source, namespace)  # noqa: S102  made right here
        made: Callable[[], object] = namespace["run"]
        return made

    found: dict[str, Callable[[], object]] = {"hand": repeated(page.by_hand)}
    if page.unescaped is not None:
        found["limit"] = repeated(page.unescaped)
    found["pure"] = repeated(pure.render)
    if IS_BUILT:
        found["extension"] = repeated(template.render)
        mapping = "{" + ", ".join(f"'{key}': {key}" for key in page.data) + "}"
        found["mapping"] = repeated(template.render, f"function({mapping})")
        found["named"] = repeated(ENGINE.render, f"function({name!r}, {mapping})")
        found["answer"] = repeated(answered, f"function({name!r}, {mapping})")
    awaits = f"async def run():\n    for _ in times: await function({given})\n    return await function({given})"
    awaited = called(awaits, template.render_async)
    chunks = f"async def run():\n    for _ in times: [each async for each in function({given})]\n"
    joined = called(f"{chunks}    return ''.join([each async for each in function({given})])", template.stream_async)
    found |= {"stream": repeated(template.stream, "''.join(function({}))"), "async": lambda: finished(awaited())}
    found["stream async"] = lambda: finished(joined())
    expected = html.unescape(str(found["pure"]()))
    for variant, function in found.items():
        if variant not in {"limit", "hand"} and html.unescape(str(function())) != expected:
            raise SystemExit(f"{name}: {variant} makes another page")
    if name not in {"places", "dashboard"} and html.unescape(str(found["hand"]())) != expected:
        raise SystemExit(f"{name}: the page written by hand is another one")
    return found


def answered(name: str, context: dict[str, Any]) -> str:
    """Return the page that the application of a page sends as an answer to a request."""
    sent: list[Any] = []

    async def send(message: Any) -> None:
        sent.append(message)

    finished(ENGINE.page(name, context)({"type": "http", "method": "GET", "headers": []}, send, send))
    body: bytes = sent[1]["body"]
    return body.decode()


def finished(coroutine: Any) -> object:
    """Return the result of a coroutine that awaits nothing that takes time: no event loop is measured."""
    try:
        coroutine.send(None)
    except StopIteration as done:
        return done.value
    raise SystemExit("a page awaits something that takes time")


def pieces() -> dict[str, Callable[[], object]]:
    """Return a loop with an include, and the same with the markup in place."""
    rows = PAGES["table"].data["rows"]
    included, placed = FAST["included"], FAST["placed"]
    return {"hand": lambda: placed.render(rows=rows), "included": lambda: included.render(rows=rows)}


def measure(rounds: int) -> dict[str, Any]:
    """Return everything that is measured, as medians."""
    found: dict[str, Any] = {"python": platform.python_version(), "rounds": rounds, "pages": {}}
    for name in PAGES:
        ratios = measured(variants_of(name), rounds, "hand")
        found["pages"][name] = {variant: round(statistics.median(each), 3) for variant, each in ratios.items()}
        print(name, found["pages"][name])
    found["included"] = round(statistics.median(measured(pieces(), rounds, "hand")["included"]), 3)
    print("an include in a loop, to the same markup in place:", found["included"])
    return found


def main() -> None:
    """Measure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=40, help="how many ratios to take the median of (40)")
    parser.add_argument("--output", help="a file to write the medians to")
    options = parser.parse_args()
    logging.getLogger("untor.blocked").disabled = True  # what is blocked is no part of what is compared
    found = measure(options.rounds)
    if options.output:
        Path(options.output).write_text(json.dumps(found, indent=1) + "\n", "utf-8")


if __name__ == "__main__":
    main()
