"""Draws a measurement: throughput with the law and the knee, and the time that a statement takes."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ...errors import PoolModelError
from ...figures import show_seconds
from ..fitting.plot import draw_scalability
from ..plotting import BLUE, GREEN, INK, PALE, VERMILION, save_figure
from .measure import Measurement

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def draw_measurement(found: Measurement, figure: Figure) -> None:
    """Draw throughput and statement times against concurrency.

    Parameters
    ----------
    found : Measurement
        Throughput per second, statement times in seconds.
    figure : matplotlib.figure.Figure
        What is drawn on.

    Raises
    ------
    PoolModelError
        When fewer than 4 concurrencies were measured.
    """
    if found.law is None:
        raise PoolModelError("fewer than 4 concurrencies were measured: there is no law to draw")
    above, below = figure.subplots(2, 1, sharex=True, height_ratios=[1.7, 1])
    active = np.array([step.concurrency for step in found.steps], dtype=float)
    draw_scalability(found.law, (active, np.array([step.throughput for step in found.steps])), above)
    above.set_xlabel("")
    for name, colour, marker, line in (
        ("p99", VERMILION, "o", "-"),
        ("p95", BLUE, "s", "--"),
        ("p50", GREEN, "^", ":"),
    ):
        times = [getattr(step, name) for step in found.steps]
        below.plot(active, times, line, color=colour, marker=marker, markersize=7, label=f"{name} of a statement")
    below.set_yscale("log")
    below.yaxis.set_major_formatter(lambda value, _: show_seconds(value))
    below.yaxis.set_minor_formatter(lambda _value, _: "")
    below.set_xlabel("connections active at the server")
    below.set_ylabel("time of a statement")
    low, high = below.get_ylim()
    below.set_ylim(low, high * (high / low) ** 0.35)  # room for the legend
    below.legend(loc="upper left", framealpha=0.95, ncols=3)
    below.grid(visible=True, which="both", color=PALE, linewidth=0.8)
    if found.knee is not None:
        for axes in (above, below):
            axes.axvline(found.knee, color=INK, linewidth=1.6, linestyle="-.")
        above.annotate(
            f"knee: {found.knee}", (found.knee, 1), xycoords=("data", "axes fraction"), xytext=(6, -18),
            textcoords="offset points", color=INK, fontweight="bold",
        )  # fmt: skip


def save_measurement(found: Measurement, path: str | Path) -> Path:
    """Draw a measurement into a file.

    Parameters
    ----------
    found : Measurement
        What `measure` gives.
    path : str or Path
        The ending says the format: .png, .svg or .pdf.

    Raises
    ------
    FieldError, MissingExtra
        As `save_figure`.
    """
    return save_figure(lambda figure: draw_measurement(found, figure), path)
