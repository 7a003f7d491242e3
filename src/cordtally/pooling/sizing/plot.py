"""Draws wait percentiles against pool size, with the target and the recommendation marked."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ...figures import show_rate, show_seconds, show_share
from ..plotting import BLUE, GREEN, INK, ORANGE, PALE, PURPLE, VERMILION, save_figure
from ..quantities import TimeoutTarget
from .answer import PoolRow, PoolSizing
from .models import choose_model
from .size import make_row

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

_STYLES = {"p99": (VERMILION, "o", "-", 13), "p95": (BLUE, "s", "--", 9), "p50": (GREEN, "^", ":", 6)}
_MOST_SIZES = 16
_FLOOR = 1e-6


def plotted_rows(sizing: PoolSizing) -> list[PoolRow]:
    """Give the sizes that are drawn."""
    first = min(sizing.rows[0].size, int(sizing.load.erlangs) + 1)
    last = max(sizing.recommended or 0, sizing.rows[-1].size, first + 5)
    model = choose_model(sizing.load)
    sizes = range(max(first, last - _MOST_SIZES + 1), last + 1)
    return [make_row(sizing.load, size, sizing.target, model) for size in sizes]


def plot_frame(sizing: PoolSizing) -> pd.DataFrame:
    """Give what is drawn as a DataFrame; times in seconds, shares from 0 to 1."""
    from ...results import frame

    return frame([{name: getattr(row, name) for name in PoolRow.__slots__} for row in plotted_rows(sizing)])


def draw_sizes(sizing: PoolSizing, figure: Figure) -> None:
    """Draw on a Matplotlib figure; waits below 1 µs are drawn on the floor, as none.

    Where requests give up, their share is drawn below.

    Parameters
    ----------
    sizing : PoolSizing
        Times in seconds.
    figure : matplotlib.figure.Figure
        What is drawn on.
    """
    rows = plotted_rows(sizing)
    patient = any(row.timeout_share > 0 for row in rows)
    panels = figure.subplots(2 if patient else 1, 1, sharex=True, squeeze=False, height_ratios=[2.4, 1][: 1 + patient])
    above: Axes = panels[0][0]
    _draw_waits(sizing, rows, above)
    if patient:
        _draw_timeouts(sizing, rows, panels[1][0])
    bottom: Axes = panels[-1][0]
    bottom.set_xticks([row.size for row in rows])
    bottom.set_xlabel("pool size (connections per instance)")
    load = sizing.load
    each = f"{load.instances} instance{'' if load.instances == 1 else 's'}"
    above.set_title(f"{show_rate(load.arrivals * load.peak_factor)}, held {show_seconds(load.hold)} on average, {each}")


def _draw_waits(sizing: PoolSizing, rows: list[PoolRow], axes: Axes) -> None:
    sizes = [row.size for row in rows]
    for name, (colour, marker, line, size) in _STYLES.items():
        waits = [max(getattr(row, name), _FLOOR) for row in rows]
        axes.plot(
            sizes, waits, line, color=colour, marker=marker, markersize=size, label=f"{name} of the wait", linewidth=2
        )
    axes.set_yscale("log")
    finite = [row.p99 for row in rows if row.p99 != float("inf")]
    wanted = None if isinstance(sizing.target, TimeoutTarget) else sizing.target
    axes.set_ylim(_FLOOR / 2, 4 * max([*finite, wanted.seconds if wanted else 1e-3]))
    axes.yaxis.set_major_formatter(lambda value, _: "none" if value <= _FLOOR * 1.01 else show_seconds(value))
    if wanted is not None:
        _line(axes, wanted.seconds, f"target: {show_seconds(wanted.seconds)} at p{100 * wanted.quantile:g}")
    _mark(sizing, axes, label=True)
    axes.set_ylabel("wait for a connection")
    axes.grid(visible=True, which="major", color=PALE, linewidth=0.8)
    axes.legend(loc="best", framealpha=0.95)


def _draw_timeouts(sizing: PoolSizing, rows: list[PoolRow], axes: Axes) -> None:
    shares = [max(row.timeout_share, 1e-9) for row in rows]
    axes.plot([row.size for row in rows], shares, "-", color=ORANGE, marker="D", markersize=8, linewidth=2)
    axes.set_yscale("log")
    axes.set_ylim(max(1e-7, min(shares) / 3), 3 * max(shares))
    axes.yaxis.set_major_formatter(lambda value, _: show_share(value))
    if isinstance(sizing.target, TimeoutTarget):
        _line(axes, sizing.target.share, f"target: {show_share(sizing.target.share)}")
    _mark(sizing, axes, label=False)
    axes.set_ylabel("requests that give up")
    axes.grid(visible=True, which="major", color=PALE, linewidth=0.8)


def _line(axes: Axes, value: float, label: str) -> None:
    axes.axhline(value, color="#444444", linewidth=1.2)
    axes.annotate(
        label, (1, value), xycoords=("axes fraction", "data"), xytext=(-6, 5), textcoords="offset points", ha="right",
        color=INK,
    )  # fmt: skip


def _mark(sizing: PoolSizing, axes: Axes, *, label: bool) -> None:
    if sizing.recommended is None:
        return
    axes.axvline(sizing.recommended, color=PURPLE, linewidth=10, alpha=0.28, zorder=0)
    if label:
        axes.annotate(
            f"{sizing.recommended} per instance", (sizing.recommended, 1), xycoords=("data", "axes fraction"),
            xytext=(8, -18), textcoords="offset points", color="#7a2f5b", fontweight="bold",
        )  # fmt: skip


def save_plot(sizing: PoolSizing, path: str | Path) -> Path:
    """Draw into a file of 1280 × 800 pixels; the ending says the format (.png, .svg, .pdf).

    Parameters
    ----------
    sizing : PoolSizing
        What `size_pool` gives.
    path : str or Path
        The ending says the format: .png, .svg or .pdf.

    Raises
    ------
    FieldError, MissingExtra
        As `save_figure`.
    """
    return save_figure(lambda figure: draw_sizes(sizing, figure), path)
