"""The turns of the tide, and its chart as a figure of Matplotlib, for those who have that."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any

    from untor.demo.harbour import Tide

_SEA, _INK = "#0d5c75", "#14283c"

MEAN = 2.9
"""The mean height of the water, in metres over chart datum."""


def tide_figure(tides: Sequence[Tide]) -> Any:
    """Return the chart of a day's tide, with its high and low waters marked; ``None`` without Matplotlib."""
    try:
        from matplotlib.figure import Figure  # noqa: PLC0415  not everybody has it
    except ImportError:
        return None

    hours = [tide.at.hour + tide.at.minute / 60 + 24 * (tide.at.date() > tides[0].at.date()) for tide in tides]
    heights = [tide.height for tide in tides]
    figure = Figure(figsize=(9.2, 3.6), layout="constrained")
    axes = figure.add_subplot()
    axes.plot(hours, heights, color=_SEA, linewidth=2.5)
    axes.fill_between(hours, heights, color=_SEA, alpha=0.14)
    for index in turning_points(heights):
        axes.plot([hours[index]], [heights[index]], "o", color=_INK)
        axes.annotate(
            f"{tides[index].at:%H:%M}  {heights[index]:.1f} m",
            (hours[index], heights[index]),
            (0, 9 if heights[index] > MEAN else -9),
            textcoords="offset points",
            ha="center",
            va="bottom" if heights[index] > MEAN else "top",
            color=_INK,
        )
    axes.set(xlim=(0, 24), ylim=(0, max(heights) + 0.7), xlabel="hour", ylabel="metres over chart datum")
    axes.set_xticks(range(0, 25, 3))
    axes.spines[["top", "right"]].set_visible(False)
    return figure


def turning_points(heights: Sequence[float]) -> list[int]:
    """Return where the water is highest and lowest, in order."""
    return [
        index
        for index in range(1, len(heights) - 1)
        if (heights[index] - heights[index - 1]) * (heights[index + 1] - heights[index]) <= 0
        and heights[index] != heights[index - 1]
    ]
