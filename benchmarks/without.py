"""What each thing that makes pages fast is worth: how long they take without it, as a ratio to with it.

Run it as ``python benchmarks/without.py --output without.json``.
"""

from __future__ import annotations

import argparse
import gc
import json
import logging
import platform
import random
import statistics
import time
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple
from unittest.mock import patch

from pages import PAGES

from untor import Engine
from untor.build import builder, code, parameters, runs
from untor.build.expressions import Expressions
from untor.escape.fast import IS_BUILT

if TYPE_CHECKING:
    from collections.abc import Callable

ROW = '<li title="{= row.note =}">{= row.name =} {= row.skipper =}</li>'
CARD = '<! part card(title) !><li title="{= title =}"><! slot !></li><! end !>'
TEMPLATES = {name: page.template for name, page in PAGES.items()} | {
    "include": f"<! part row(row) !>{ROW}<! end !><! for row in rows !><! include row row !><! end !>",
    "component": CARD
    + "<! for row in rows !><! use card title=row.note !>{= row.name =} {= row.skipper =}<! end !><! end !>",
}
ROWS = {"rows": PAGES["table"].data["rows"]}
DATA = {name: page.data for name, page in PAGES.items()} | {"include": ROWS, "component": ROWS}


class Plainly(Expressions):
    """Expressions that look at each dot."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self.plain = True


class Without(NamedTuple):
    """Something that is left out: what of the compiler is put in its place."""

    words: str
    patches: tuple[tuple[object, str, object], ...]


WITHOUT = {
    "joins": Without(
        "a run is written in one go, into a page",
        ((code, "IS_BUILT", False), (runs, "_SPECIAL", {})),  # each value is escaped by a function in C
    ),
    "guards": Without(
        "types are looked up once, not at each dot", ((builder, "Expressions", Plainly), (runs, "MOST_OWNERS", 0))
    ),
    "kinds": Without(
        "a loop looks up types again only when they change",
        (
            (Expressions, "kind_found", lambda self, name: self.kinds_known([name])),
            (Expressions, "test_of_last", lambda self, _, value: self.test("", value, items=False)),
        ),
    ),
    "tails": Without("branches write the text that follows them", ((builder, "LONGEST_TAIL", -1),)),
    "names": Without("values are parameters of the function", ((parameters, "MOST_NAMED", 0),)),
    "quick": Without("a page of values alone asks for nothing else", ((runs.Runs, "quick", lambda *_: []),)),
    "tests": Without("text is tested in place", ((runs, "_SPECIAL", {}),)),
    "pieces": Without("small pieces are part of the loop", ((builder, "MOST_INCLUDED", 0),)),
}


def variants_of(name: str) -> dict[str, Callable[[], object]]:
    """Return what renders a page with everything, and without each thing."""
    data = DATA[name]
    found: dict[str, Callable[[], object]] = {}
    repeated = range(200 if name == "small" else 20 if name == "article" else 1)
    for without in ("", *WITHOUT):
        with ExitStack() as stack:
            for owner, attribute, value in WITHOUT[without].patches if without else ():
                stack.enter_context(patch.object(owner, attribute, value))
            render = Engine().compile(TEMPLATES[name]).render

        def run(render: Callable[..., str] = render) -> None:
            for _ in repeated:
                render(**data)

        found[without] = run
    return found


def measured(functions: dict[str, Callable[[], object]], rounds: int) -> dict[str, float]:
    """Return the median of the ratios to the time with everything, of the same round."""
    ratios: dict[str, list[float]] = {name: [] for name in functions if name}
    chance = random.Random(4)  # noqa: S311  an order, no secret
    for function in functions.values():
        function()
    gc.disable()
    for _ in range(rounds):
        times = {}
        for name in chance.sample(list(functions), len(functions)):
            start = time.process_time_ns()
            functions[name]()
            times[name] = time.process_time_ns() - start
        for name, each in ratios.items():
            each.append(times[name] / times[""])
        gc.collect()
    gc.enable()
    return {name: round(statistics.median(each), 2) for name, each in ratios.items()}


def main() -> None:
    """Measure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=60, help="how many ratios to take the median of (60)")
    parser.add_argument("--output", help="a file to write the medians to")
    options = parser.parse_args()
    logging.getLogger("untor.blocked").disabled = True  # what is blocked is no part of what is compared
    found = {name: measured(variants_of(name), options.rounds) for name in TEMPLATES}
    for name, ratios in found.items():
        print(name, ratios)
    if options.output:
        made = {"python": platform.python_version(), "extension": IS_BUILT, "without": found}
        Path(options.output).write_text(json.dumps(made, indent=1) + "\n", "utf-8")


if __name__ == "__main__":
    main()
