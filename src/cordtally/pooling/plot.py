"""Draws wait percentiles against pool size, with the target and the recommendation marked."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import MissingExtra
from .quantities import show_seconds
from .size import PoolSizing, make_row

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_STYLES = {"p99": ("#D55E00", "o", "-", 13), "p95": ("#0072B2", "s", "--", 9), "p50": ("#009E73", "^", ":", 6)}
_MOST_SIZES = 16
_FLOOR = 1e-6


def draw_sizes(sizing: PoolSizing, ax: Axes) -> None:
    """Draw on a Matplotlib axes; waits below 1 µs are drawn on the floor, as none.

    Raises
    ------
    MissingExtra
        When Matplotlib is not installed.
    """
    first = int(sizing.load.erlangs) + 1
    last = max(sizing.recommended or 0, sizing.rows[-1].size, first + 5)
    sizes = range(max(first, last - _MOST_SIZES + 1), last + 1)
    rows = [make_row(sizing.load, size, sizing.target) for size in sizes]
    for name, (colour, marker, line, size) in _STYLES.items():
        waits = [max(getattr(row, name), _FLOOR) for row in rows]
        ax.plot(
            list(sizes),
            waits,
            line,
            color=colour,
            marker=marker,
            markersize=size,
            label=f"{name} of the wait",
            linewidth=2,
        )
    ax.set_yscale("log")
    top = 4 * max([row.p99 for row in rows] + [sizing.target.seconds])
    ax.set_ylim(_FLOOR / 2, top)
    ax.yaxis.set_major_formatter(lambda value, _: "none" if value <= _FLOOR * 1.01 else show_seconds(value))
    ax.axhline(sizing.target.seconds, color="#444444", linewidth=1.2)
    label = f"target: {show_seconds(sizing.target.seconds)} at p{100 * sizing.target.quantile:g}"
    ax.annotate(label, (1, sizing.target.seconds), xycoords=("axes fraction", "data"), xytext=(-6, 5),
                textcoords="offset points", ha="right", color="#222222")  # fmt: skip
    if sizing.recommended is not None:
        ax.axvline(sizing.recommended, color="#CC79A7", linewidth=10, alpha=0.28, zorder=0)
        ax.annotate(f"{sizing.recommended} per instance", (sizing.recommended, 1), xycoords=("data", "axes fraction"),
                    xytext=(8, -18), textcoords="offset points", color="#7a2f5b", fontweight="bold")  # fmt: skip
    ax.set_xticks(list(sizes))
    ax.set_xlabel("pool size (connections per instance)")
    ax.set_ylabel("wait for a connection")
    load = sizing.load
    each = f"{load.instances} instance{'' if load.instances == 1 else 's'}"
    ax.set_title(f"{load.arrivals:g} requests/s, held {show_seconds(load.hold)} on average, {each}")
    ax.grid(visible=True, which="major", color="#dddddd", linewidth=0.8)
    ax.legend(loc="upper right", bbox_to_anchor=(1, 0.93), framealpha=0.95)


def save_plot(sizing: PoolSizing, path: str | Path) -> Path:
    """Draw into a file of 1280 × 800 pixels; the ending says the format (.png, .svg, .pdf).

    Raises
    ------
    MissingExtra
        When Matplotlib is not installed.
    """
    try:
        from matplotlib import rc_context
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure
    except ImportError:
        raise MissingExtra("Matplotlib", "pool", "drawing a plot") from None
    figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained")
    FigureCanvasAgg(figure)
    with rc_context({"font.size": 13, "axes.titlesize": 15, "axes.titlepad": 12}):
        draw_sizes(sizing, figure.add_subplot())
        figure.savefig(path)
    return Path(path)
