"""What each thing that makes pages fast is worth: how long they take without it, as a ratio to with it.

Run it as ``python benchmarks/without.py --output without.json``.
"""

from __future__ import annotations

import argparse
import json
import logging
import platform
import statistics
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple
from unittest.mock import patch

from pages import PAGES
from timing import measured

from untor import Engine
from untor.codegen import functions, loops, module, output, parameters
from untor.codegen.expression_code import ExpressionGenerator
from untor.escape.accelerated import IS_BUILT

if TYPE_CHECKING:
    from ast import expr
    from collections.abc import Callable

    from untor.language.tree import Attribute

ROW = '<li title="{= row.note =}">{= row.name =} {= row.skipper =}</li>'
CARD = '<! part card(title) !><li title="{= title =}"><! slot !></li><! end !>'
TEMPLATES = {name: page.template for name, page in PAGES.items()} | {
    "include": f"<! part row(row) !>{ROW}<! end !><! for row in rows !><! include row row !><! end !>",
    "component": CARD
    + "<! for row in rows !><! use card title=row.note !>{= row.name =} {= row.skipper =}<! end !><! end !>",
}
ROWS = {"rows": PAGES["table"].data["rows"]}
DATA = {name: page.data for name, page in PAGES.items()} | {"include": ROWS, "component": ROWS}


class Plainly(ExpressionGenerator):
    """Expressions that look at each dot."""

    def _attribute(self, node: Attribute, lenient: bool) -> expr:  # noqa: FBT001  as in what it overrides
        before, self.plain = self.plain, True
        built = super()._attribute(node, lenient)
        self.plain = before
        return built


class Without(NamedTuple):
    """Something that is left out: what of the compiler is put in its place."""

    words: str
    patches: tuple[tuple[object, str, object], ...]


WITHOUT = {
    "joins": Without(
        "a run is written in one go, into a page",
        ((module, "IS_BUILT", False), (output, "_SPECIAL", {})),  # each value is escaped by a function in C
    ),
    "loops": Without("the extension runs whole loops", ((loops.LoopGenerator, "may_be_run", lambda *_: False),)),
    "guards": Without(
        "types are looked up once, not at each dot",
        ((functions, "ExpressionGenerator", Plainly), (output, "MOST_OWNERS", 0)),
    ),
    "kinds": Without(
        "a loop looks up types again only when they change",
        (
            (ExpressionGenerator, "kind_found", lambda self, name: self.kinds_known([name])),
            (ExpressionGenerator, "test_of_last", lambda self, _, value: self.test("", value, items=False)),
        ),
    ),
    "tails": Without("branches write the text that follows them", ((functions, "LONGEST_TAIL", -1),)),
    "names": Without("values are parameters of the function", ((parameters, "MOST_NAMED", 0),)),
    "quick": Without("a page of values alone asks for nothing else", ((output.OutputWriter, "quick", lambda *_: []),)),
    "tests": Without("text is tested in place", ((output, "_SPECIAL", {}),)),
    "pieces": Without("small pieces are part of the loop", ((functions, "MOST_INCLUDED", 0),)),
}
for _name in ("tests",) if IS_BUILT else ("joins", "loops"):
    del WITHOUT[_name]  # there is no such thing in this mode


def variants_of(name: str) -> dict[str, Callable[[], object]]:
    """Return what renders a page with everything, and without each thing."""
    data = DATA[name]
    found: dict[str, Callable[[], object]] = {}
    repeated = range(200 if name == "small" else 60 if name == "article" else 1)
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


def worth(name: str, rounds: int) -> dict[str, float]:
    """Return how long a page takes without each thing, to with everything."""
    ratios = measured(variants_of(name), rounds, "")
    return {without: round(statistics.median(each), 2) for without, each in ratios.items() if without}


def main() -> None:
    """Measure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=60, help="how many ratios to take the median of (60)")
    parser.add_argument("--output", help="a file to write the medians to")
    options = parser.parse_args()
    logging.getLogger("untor.blocked").disabled = True  # what is blocked is no part of what is compared
    found = {name: worth(name, options.rounds) for name in TEMPLATES}
    for name, ratios in found.items():
        print(name, ratios)
    if options.output:
        made = {"python": platform.python_version(), "extension": IS_BUILT, "without": found}
        Path(options.output).write_text(json.dumps(made, indent=1) + "\n", "utf-8")


if __name__ == "__main__":
    main()
