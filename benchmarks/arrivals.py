"""How long the arrivals board of 1,000 calls takes, as a ratio to the function one would write by hand.

Both are timed in turn in one process, in process time and with the garbage collector off; each round gives one
ratio, and the figure is the median of the rounds::

    python benchmarks/arrivals.py            # prints a line of Markdown
    python benchmarks/arrivals.py --rounds 80 --output ratios.json   # and keeps the ratios, for pyperf
"""

from __future__ import annotations

import argparse
import gc
import html
import random
import statistics
import time
from dataclasses import dataclass
from datetime import date, timedelta
from typing import TYPE_CHECKING
from urllib.parse import quote

import pyperf

from untor import Engine

if TYPE_CHECKING:
    from collections.abc import Callable

TEMPLATE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Arrivals</title></head>
<body><h1>Arrivals</h1>
<table>
<! for call in calls !>
<tr class="{= call.state =}"><td>{= call.number =}</td>\
<td><a href="/vessels/{= call.vessel.id =}">{= call.vessel.name =}</a></td>\
<td>{= call.vessel.skipper =}</td><td>{= call.day =}</td><td>{= call.cargo =}</td></tr>
<! else !>
<tr><td>No calls today.</td></tr>
<! end !>
</table></body></html>
"""


@dataclass
class Vessel:
    """A made-up vessel."""

    id: str
    name: str
    skipper: str


@dataclass
class Call:
    """A made-up call."""

    number: int
    state: str
    vessel: Vessel
    day: str
    cargo: str


def made_up_calls(count: int) -> list[Call]:
    """Return calls from a fixed seed; one text in ten needs escaping."""
    chance = random.Random(17)  # noqa: S311  the same data every time

    def text(*words: str) -> str:
        chosen = " ".join(chance.choice(words) for _ in range(2))
        return f"{chosen} <&> {chosen}" if chance.random() < 0.1 else chosen  # noqa: PLR2004  one in ten

    return [
        Call(
            number,
            chance.choice(["due", "late", "berthed"]),
            Vessel(text("sh-1", "sh-2", "gr-7"), text("Sea", "Holly", "Gannet"), text("Runa", "Osk", "Tolliver")),
            str(date(2031, 5, 17) + timedelta(days=number % 9)),
            text("Herring", "Timber", "Gravel", "Passengers"),
        )
        for number in range(count)
    ]


def by_hand(calls: list[Call]) -> str:
    """Return the same page from the code that one would write by hand."""
    escape = html.escape
    out = [
        '<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>Arrivals</title></head>\n'
        "<body><h1>Arrivals</h1>\n<table>\n"
    ]
    out.extend(
        f'<tr class="{escape(str(call.state))}"><td>{escape(str(call.number))}</td>'
        f'<td><a href="/vessels/{quote(str(call.vessel.id), safe="")}">{escape(str(call.vessel.name))}</a></td>'
        f"<td>{escape(str(call.vessel.skipper))}</td><td>{escape(str(call.day))}</td>"
        f"<td>{escape(str(call.cargo))}</td></tr>\n"
        for call in calls
    )
    if not calls:
        out.append("<tr><td>No calls today.</td></tr>\n")
    out.append("</table></body></html>\n")
    return "".join(out)


def timed(function: Callable[[], str]) -> float:
    """Return the process time of one call."""
    start = time.process_time_ns()
    function()
    return time.process_time_ns() - start


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=60, help="how many ratios to take the median of (60)")
    parser.add_argument("--calls", type=int, default=1000, help="how many rows the board has (1000)")
    parser.add_argument("--output", help="a file to write the ratios to, as a pyperf benchmark")
    options = parser.parse_args()
    calls = made_up_calls(options.calls)
    template = Engine().compile(TEMPLATE, "arrivals.html")
    if html.unescape(template.render(calls=calls)) != html.unescape(by_hand(calls)):
        raise SystemExit("the two pages differ")
    chance = random.Random(4)  # noqa: S311  an order, no secret
    ratios = []
    gc.disable()
    for _ in range(options.rounds):
        variants = {"untor": lambda: template.render(calls=calls), "hand": lambda: by_hand(calls)}
        order = chance.sample(list(variants), 2)
        times = {name: timed(variants[name]) for name in order}
        ratios.append(times["untor"] / times["hand"])
        gc.collect()
    low, _, high = statistics.quantiles(ratios, n=4)
    print(f"| arrivals, {options.calls} calls | hand-written 1.00 | untor {statistics.median(ratios):.2f} |"
          f" quartiles {low:.2f} to {high:.2f} of {options.rounds} rounds |")  # fmt: skip
    if options.output:
        run = pyperf.Run(ratios, metadata={"name": "arrivals, ratio to hand-written", "unit": "integer"})
        pyperf.Benchmark([run]).dump(options.output, replace=True)


if __name__ == "__main__":
    main()
