"""Draws a fit: rates by hour and the distribution of holds, or throughput against concurrency with the law."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ...errors import PoolModelError
from ...figures import show_rate, show_seconds
from ..plotting import BLUE, GREEN, INK, ORANGE, PALE, PURPLE, VERMILION, save_figure
from ..quantities import show_coefficient
from .fit import PoolFit
from .scalability import ScalabilityFit

if TYPE_CHECKING:
    import numpy as np
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

_AXES = ((86400.0, "days"), (3600.0, "hours"), (60.0, "minutes"), (1.0, "seconds"))
_PLATE = {"facecolor": "white", "edgecolor": "none", "pad": 1.5}


def draw_scalability(law: ScalabilityFit, points: tuple[Array, Array], axes: Axes) -> None:
    """Draw measured throughput (per second) against concurrency, the law, and its peak.

    Parameters
    ----------
    law : ScalabilityFit
        What was fitted.
    points : tuple of ndarray
        Concurrency and throughput per second, each of shape (n,).
    axes : matplotlib.axes.Axes
        What is drawn on.
    """
    import numpy as np

    active, done = points
    far = law.most_measured * 1.15
    if law.peak is not None:
        far = max(far, min(1.3 * law.peak, 1.5 * law.most_measured))
    line = np.linspace(1, far, 300)
    inside = line <= law.most_measured
    axes.plot(active, done, "o", color=BLUE, markersize=9, label="measured")
    axes.plot(line[inside], law.throughput(line[inside]), "-", color=VERMILION, linewidth=2.4, label="law, fitted")
    axes.plot(
        line[~inside], law.throughput(line[~inside]), ":", color=VERMILION, linewidth=2.4, label="beyond the data"
    )
    axes.plot(line, law.gamma * line, "--", color=GREEN, linewidth=1.4, label="without contention")
    axes.set_ylim(0, 1.15 * max(done.max(), float(law.throughput(line).max())))
    axes.set_xlim(0, far)
    if law.peak is not None:
        axes.axvline(law.peak, color=PURPLE, linewidth=10, alpha=0.28, zorder=0)
        axes.annotate(
            f"most work with {law.peak:.0f} active", (law.peak, 0), xycoords=("data", "axes fraction"), xytext=(-8, 14),
            textcoords="offset points", ha="right", color="#7a2f5b", fontweight="bold",
        )  # fmt: skip
    axes.set_xlabel("connections active at the server")
    axes.set_ylabel("throughput (requests per second)")
    axes.set_title(
        f"α = {show_coefficient(law.alpha, law.alpha_interval)}, β = {show_coefficient(law.beta, law.beta_interval)}",
        pad=30,
    )
    # above the axes: the points fill them from corner to corner
    axes.legend(loc="lower center", bbox_to_anchor=(0.5, 1.0), ncols=4, frameon=False)
    axes.grid(visible=True, color=PALE, linewidth=0.8)


def draw_trace(fit: PoolFit, figure: Figure) -> None:
    """Draw the rate in each slot, and the percentiles of the holds.

    Parameters
    ----------
    fit : PoolFit
        Of a trace.
    figure : matplotlib.figure.Figure
        What is drawn on.
    """
    assert fit.arrivals is not None
    assert fit.holds is not None
    above, below = figure.subplots(2, 1)
    slots, slot = fit.to_frame(), fit.arrivals.slot
    unit, name = next((u, n) for u, n in _AXES if fit.arrivals.by_slot[-1][0] + slot > 3 * u or u == 1)
    above.bar((slots["start"] + slot / 2) / unit, slots["rate"], width=0.92 * slot / unit, color=BLUE)
    rate = fit.arrivals.rate
    above.axhline(rate, color=INK, linewidth=1.4, linestyle="--", label=f"mean: {show_rate(rate)}")
    if fit.arrivals.peak_factor > 1:
        peak = rate * fit.arrivals.peak_factor
        label = f"peak × {fit.arrivals.peak_factor:.2f}: {show_rate(peak)}"
        above.axhline(peak, color=ORANGE, linewidth=2, label=label)
    above.set_ylim(0, 1.3 * max(slots["rate"].max(), rate * fit.arrivals.peak_factor))
    above.set_xlabel(f"{name} since the first request")
    above.set_ylabel(f"requests per second,\nin slots of {show_seconds(slot)}")
    above.legend(loc="upper left", framealpha=0.95, ncols=2)
    above.set_title(f"{fit.holds.count:,} requests")
    names = list(fit.holds.percentiles)
    times = list(fit.holds.percentiles.values())
    below.barh(names, times, color=GREEN)
    for name, time in zip(names, times):
        below.annotate(
            show_seconds(time), (time, name), xytext=(6, 0), textcoords="offset points", va="center", bbox=_PLATE
        )
    below.set_xlim(0, 1.15 * max(times))
    label = f"mean: {show_seconds(fit.holds.mean)}"
    below.axvline(fit.holds.mean, color=INK, linestyle="--", linewidth=1.4, label=label)
    below.xaxis.set_major_formatter(lambda value, _: show_seconds(value) if value else "0")
    below.set_xlabel("hold time")
    below.set_ylabel("share of the requests")
    below.legend(loc="lower right", framealpha=0.95)
    for axes in (above, below):
        axes.grid(visible=True, color=PALE, linewidth=0.8)
        axes.set_axisbelow(True)


def save_fit(fit: PoolFit, path: str | Path) -> Path:
    """Draw a fit into a file.

    Parameters
    ----------
    fit : PoolFit
        What `fit_trace` or `fit_measurement` gives.
    path : str or Path
        The ending says the format: .png, .svg or .pdf.

    Raises
    ------
    FieldError, MissingExtra
        As `save_figure`.

    Raises
    ------
    PoolModelError
        When the fit holds nothing to draw.
    MissingExtra
        When Matplotlib is not installed.
    """
    law, points = fit.scalability, fit.points
    if fit.arrivals is not None and fit.holds is not None:
        return save_figure(lambda figure: draw_trace(fit, figure), path)
    if law is not None and points is not None:
        return save_figure(lambda figure: draw_scalability(law, points, figure.add_subplot()), path)
    raise PoolModelError("this fit holds nothing to draw")


def law_frame(law: ScalabilityFit, most: int) -> pd.DataFrame:
    """Give the law as a DataFrame: ``concurrency`` from 1 to ``most``, ``throughput`` per second.

    Parameters
    ----------
    law : ScalabilityFit
        What was fitted.
    most : int
        The last concurrency.
    """
    import numpy as np

    from ...results import frame

    active = np.arange(1, most + 1, dtype=float)
    return frame({"concurrency": active, "throughput": law.throughput(active)})
