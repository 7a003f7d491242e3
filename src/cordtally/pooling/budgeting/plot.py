"""Draws a budget: a stacked bar for each stage against the server's limit."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..plotting import COLOURS, HATCHES, INK, PALE, save_figure
from .budget import STAGES, Budget

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_CALLED = {
    "now": "now",
    "scaled": "autoscaled",
    "deploying": "autoscaled,\nall deploying",
    "failover": "and a server\nlost",
}


def draw_budget(budget: Budget, axes: Axes) -> None:
    """Draw connections at the server for each stage, a part for each service, and the limit.

    Parameters
    ----------
    budget : Budget
        In connections.
    axes : matplotlib.axes.Axes
        What is drawn on; the x axis counts connections.
    """
    stages = [stage for stage in STAGES if stage != "failover" or budget.server.servers > 1]
    names = [_CALLED[stage] for stage in stages]
    bottom = [0.0] * len(stages)
    most = max(
        [budget.server.limit, *(budget.total(stage) + budget.server.limit - budget.server.left for stage in stages)]
    )
    parts = [("kept for administrators", [budget.server.reserve] * len(stages), "#888888", "")]
    parts += [("replication and jobs", [budget.server.jobs] * len(stages), "#bbbbbb", "..")]
    for number, row in enumerate(budget.rows):
        hatch = HATCHES[number // len(COLOURS) % len(HATCHES)]
        parts.append((row.name, [getattr(row, stage) for stage in stages], COLOURS[number % len(COLOURS)], hatch))
    for name, values, colour, hatch in parts:
        if not any(values):
            continue
        bars = axes.barh(
            names,
            values,
            left=bottom,
            color=colour,
            hatch=hatch,
            label=name,
            edgecolor="white",
            linewidth=1.2,
            height=0.62,
        )
        for bar, value in zip(bars, values):
            if value > 0.03 * most:
                x, y = bar.get_x() + bar.get_width() / 2, bar.get_y() + bar.get_height() / 2
                axes.annotate(str(value), (x, y), ha="center", va="center", color="white", fontweight="bold")
        bottom = [left + value for left, value in zip(bottom, values)]
    axes.axvline(budget.server.limit, color=INK, linewidth=2.4, linestyle="--")
    axes.annotate(
        f"limit: {budget.server.limit}", (budget.server.limit, 1), xycoords=("data", "axes fraction"), xytext=(-6, -16),
        textcoords="offset points", ha="right", color=INK, fontweight="bold",
    )  # fmt: skip
    for name, total in zip(names, bottom):
        axes.annotate(f"{total:.0f}", (total, name), xytext=(6, 0), textcoords="offset points", va="center")
    axes.invert_yaxis()
    axes.set_xlim(0, 1.08 * most)
    axes.set_ylim(len(stages) - 0.4, -0.75)
    axes.set_xlabel("connections at the server")
    axes.set_title("the worst case fits" if budget.fits else "the worst case does not fit")
    axes.grid(visible=True, axis="x", color=PALE, linewidth=0.8)
    axes.set_axisbelow(True)
    axes.legend(loc="upper center", bbox_to_anchor=(0.5, -0.1), ncols=4, frameon=False)


def save_budget(budget: Budget, path: str | Path) -> Path:
    """Draw a budget into a file.

    Parameters
    ----------
    budget : Budget
        What `make_budget` gives.
    path : str or Path
        The ending says the format: .png, .svg or .pdf.

    Raises
    ------
    FieldError, MissingExtra
        As `save_figure`.
    """
    return save_figure(lambda figure: draw_budget(budget, figure.add_subplot()), path)
