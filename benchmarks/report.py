"""Writes the report of what was measured: docs/benchmarks.md and its plot.

Run it as ``python benchmarks/report.py docs 3.11.json … growth.json``, with what ``run.py`` and ``growth.py`` have written.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from matplotlib.figure import Figure

VARIANTS = {
    "hand": "written by hand",
    "limit": "without any escaping",
    "pure": "Untor, pure Python",
    "extension": "Untor, with the extension",
    "mapping": "with a mapping",
    "named": "by the engine",
    "answer": "an answer",
    "stream": "in chunks",
    "async": "asynchronous",
    "stream async": "chunks, asynchronous",
}
COLOURS = {"hand": "#9aa5ad", "limit": "#d5cfc0", "pure": "#0d5c75", "extension": "#b3401f"}
HEAD = """# Benchmarks

Made by the scripts in `benchmarks/`: ratios of times of the same run; less is faster. How they are measured and what makes
pages fast is in [Performance](performance.md). Machines differ, and so do their ratios, by a tenth or so.

![Ratios of all pages to the function written by hand](pictures/benchmarks.png)
"""


def table(head: list[str], rows: list[list[str]]) -> list[str]:
    """Return a table of Markdown."""
    return ["", *(f"| {' | '.join(row)} |" for row in (head, ["---"] * len(head), *rows))]


def pages(run: dict[str, Any]) -> list[str]:
    """Return the figures of one version of Python."""
    shown = [variant for variant in VARIANTS if variant in run["pages"]["table"]]
    rows = [
        [name, *(f"{ratios[variant]:.2f}" if variant in ratios else "" for variant in shown)]
        for name, ratios in run["pages"].items()
    ]
    lines = ["", f"## Python {run['python']}, {run['rounds']} rounds"]
    lines += table(["page", *(VARIANTS[variant] for variant in shown)], rows)
    return [*lines, "", f"An include in a loop takes {run['included']:.2f} of the same markup in place."]


def growth(found: dict[str, Any]) -> list[str]:
    """Return how everything grows."""
    rows = [
        [name, ", ".join(f"{int(count):,}: {ratio:.2f}" for count, ratio in counts.items())]
        for name, counts in found["growth"].items()
    ]
    lines = ["", f"## Growth, Python {found['python']}", "", "Of each, how much one costs when there are so many."]
    lines += table(["what", "how many: ratio"], rows)
    lines += ["", "And what else a page costs before it is there:"]
    return lines + table(["what", "ratio"], [[name, f"{ratio:.1f}"] for name, ratio in found["starting"].items()])


def plot(runs: list[dict[str, Any]], file: Path) -> None:
    """Draw the ratios of all pages."""
    figure = Figure(figsize=(12, 1.5 + 2.6 * len(runs)), layout="constrained")
    for axes, run in zip(figure.subplots(len(runs), 1, squeeze=False, sharex=True)[:, 0], runs, strict=True):
        for index, (variant, colour) in enumerate(COLOURS.items()):
            heights = [ratios.get(variant, 0) for ratios in run["pages"].values()]
            places = [number + (index - 1.5) * 0.2 for number in range(len(heights))]
            bars = axes.bar(places, heights, 0.19, color=colour, label=VARIANTS[variant])
            axes.bar_label(bars, [f"{height:.2f}" if height else "" for height in heights], fontsize=6)
        axes.set(title=f"Python {run['python']}", ylabel="ratio to by hand", ylim=(0, 1.6))
        axes.set_xticks(range(len(run["pages"])), run["pages"])
        axes.spines[["top", "right"]].set_visible(False)
    figure.axes[0].legend(ncols=4, loc="upper left", fontsize=8, frameon=False)
    figure.savefig(file, dpi=110)


def main() -> None:
    """Write the report."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path, help="where the report goes")
    parser.add_argument("files", nargs="+", type=Path, help="what has been measured")
    options = parser.parse_args()
    found = [json.loads(file.read_text("utf-8")) for file in options.files]
    runs = [each for each in found if "pages" in each]
    lines = HEAD.splitlines()
    for each in found:
        lines += pages(each) if "pages" in each else growth(each)
    (options.folder / "benchmarks.md").write_text("\n".join([*lines, ""]), "utf-8")
    plot(runs, options.folder / "pictures/benchmarks.png")


if __name__ == "__main__":
    main()
