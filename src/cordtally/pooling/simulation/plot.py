"""Draws a replay: the time-line of its first run, and how long requests wait."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ...figures import show_seconds
from ..plotting import BLUE, COLOURS, GREEN, INK, ORANGE, PALE, PURPLE, VERMILION, save_figure
from .replay import SHARES, Case, Replay
from .rules import LINE
from .scenario import Scenario

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

_STYLES = ("-", "--", "-.", ":")
_FLOOR = 1e-5


def draw_line(case: Case, figure: Figure) -> None:
    """Draw connections and requests of one run against time, on four axes of the figure.

    Parameters
    ----------
    case : Case
        With a time-line; times in seconds.
    figure : matplotlib.figure.Figure
        What is drawn on.
    """
    above, middle, below = figure.subplots(3, 1, sharex=True, height_ratios=[2.2, 1.3, 1])
    seconds = case.scenario.duration / len(case.line) * np.arange(1, len(case.line) + 1)
    unit, scale = ("min", 60.0) if case.scenario.duration > 300 else ("s", 1.0)
    at = seconds / scale
    column = {name: case.line[:, k] for k, name in enumerate(LINE)}
    above.stackplot(
        at, column["in_use"], column["leaked"], column["idle"], column["connecting"],
        labels=["in use", "leaked", "idle", "being opened"] if column["leaked"].any() else
               ["in use", "_", "idle", "being opened"],
        colors=[BLUE, PURPLE, "#bfe0f2", ORANGE], step="pre",
    )  # fmt: skip
    limit = case.scenario.pool_rules.server_limit
    if limit < 2**31:
        above.axhline(limit, color=INK, linewidth=1.4, linestyle="--", label=f"server's limit: {limit}")
    above.set_ylim(
        0, max(above.get_ylim()[1], min(limit, 2 * column["open_at_server"].max()) if limit < 2**31 else 0) * 1.3
    )
    above.set_ylabel("connections")
    above.legend(loc="upper left", ncols=4, framealpha=0.9)
    middle.fill_between(at, column["waiting"], step="pre", color=VERMILION, alpha=0.85)
    middle.set_ylabel("requests waiting")
    middle.set_ylim(0, max(1.0, 1.15 * column["waiting"].max()))
    bottom = np.zeros(len(at))
    for name, colour, hatch in (("timed_out", VERMILION, ""), ("refused", PURPLE, "//"), ("broken", INK, "xx")):
        ended = np.diff(column[name], prepend=0.0)
        below.bar(at, ended, 1.6 * (at[1] - at[0]), bottom, color=colour, hatch=hatch, label=name.replace("_", " "))
        bottom = bottom + ended
    below.set_ylabel(f"failed per {show_seconds(float(seconds[1] - seconds[0]))}")
    below.set_ylim(0, max(1.0, 1.5 * bottom.max()))
    below.legend(loc="upper left", ncols=3, framealpha=0.9)
    below.set_xlabel(f"time ({unit})")
    for axes in (above, middle, below):
        axes.set_xlim(0, at[-1])
        axes.grid(visible=True, color=PALE, linewidth=0.8)
        axes.set_axisbelow(True)
        _mark_events(axes, case.scenario, scale)
    _name_events(above, case.scenario, scale)
    instances = case.scenario.instances
    above.set_title(f"one run: {case.name}, {instances} instance{'' if instances == 1 else 's'}", pad=34)


def _events(scenario: Scenario) -> list[tuple[float, float, str, str]]:
    events = [(b.at, b.lasts, f"burst × {b.factor:g}", ORANGE) for b in scenario.bursts]
    events += [(at, lasts, "server restart", INK) for at, lasts in scenario.restarts]
    events += [(at, 0.0, "deploy", GREEN) for at in scenario.deploys]
    return sorted(events)


def _mark_events(axes: Axes, scenario: Scenario, scale: float) -> None:
    for at, lasts, _, colour in _events(scenario):
        axes.axvspan(at / scale, (at + max(lasts, scenario.duration / 400)) / scale, color=colour, alpha=0.22, zorder=0)


def _name_events(axes: Axes, scenario: Scenario, scale: float) -> None:
    """Write the names above the axes, on two levels where they are close."""
    last, level = -1.0, 0
    for at, lasts, label, _ in _events(scenario):
        place = (at + lasts / 2) / scenario.duration
        level = 1 - level if place - last < 0.14 else 0
        axes.annotate(
            label, (place, 1.01 + 0.075 * level), xycoords="axes fraction", ha="center", va="bottom", color=INK,
            fontsize=11, fontweight="bold",
        )  # fmt: skip
        last = place


def draw_waits(replay: Replay, axes: Axes) -> None:
    """Draw what share of the requests waits longer than a time, a line for each case; mean over the runs.

    Parameters
    ----------
    replay : Replay
        Waits in seconds.
    axes : matplotlib.axes.Axes
        What is drawn on.
    """
    top = _FLOOR
    for number, case in enumerate(replay.cases):
        waits = np.maximum(case.waits, _FLOOR)
        top = max(top, float(waits.max()))
        axes.plot(
            waits, 1 - SHARES, drawstyle="steps-pre", color=COLOURS[number % len(COLOURS)],
            linestyle=_STYLES[number % len(_STYLES)], linewidth=2.4, label=case.name,
        )  # fmt: skip
    axes.set_xscale("log")
    axes.set_yscale("log")
    axes.set_xlim(_FLOOR, 1.4 * top)
    axes.set_ylim(1e-4, 1.15)
    for share, name in ((0.5, "p50"), (0.05, "p95"), (0.01, "p99"), (0.001, "p99.9")):
        axes.axhline(share, color=PALE, linewidth=1, zorder=0)
        axes.annotate(
            name, (1, share), xycoords=("axes fraction", "data"), xytext=(6, 0), textcoords="offset points", va="center"
        )  # fmt: skip
    axes.xaxis.set_major_formatter(lambda value, _: show_seconds(value) if value > _FLOOR * 1.01 else "≤ 10 µs")
    axes.yaxis.set_major_formatter(lambda value, _: f"{100 * value:g} %")
    axes.set_xlabel("wait for a connection")
    axes.set_ylabel("share of the requests that waits longer")
    runs = f"mean of {replay.replications} run{'' if replay.replications == 1 else 's'}"
    axes.set_title(f"how long requests wait, {runs}, seed {replay.seed}")
    axes.legend(loc="lower left", framealpha=0.95)
    axes.grid(visible=True, which="major", axis="x", color=PALE, linewidth=0.8)


def save_line(case: Case, path: str | Path) -> Path:
    """Draw the time-line into a file.

    Parameters
    ----------
    case : Case
        With a time-line.
    path : str or Path
        The ending says the format: .png, .svg or .pdf.

    Raises
    ------
    FieldError, MissingExtra
        As `save_figure`.
    """
    return save_figure(lambda figure: draw_line(case, figure), path)


def save_waits(replay: Replay, path: str | Path) -> Path:
    """Draw the distribution of waits into a file.

    Parameters
    ----------
    replay : Replay
        What `replay` gives.
    path : str or Path
        The ending says the format: .png, .svg or .pdf.

    Raises
    ------
    FieldError, MissingExtra
        As `save_figure`.
    """
    return save_figure(lambda figure: draw_waits(replay, figure.add_subplot()), path)
