"""The figure of several dials: how long connecting and a round trip took, and where one broke."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ..dialing import DialResult
from ..pooling.plotting import BLUE, GREEN, VERMILION, save_figure
from .screen import clean

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def save_repeated(results: Sequence[tuple[float, DialResult]], path: Path) -> Path:
    """Draw the times of dials, each with the time at which it began (s); the ending of the path says the format.

    Raises
    ------
    FieldError
        For another ending.
    MissingExtra
        When Matplotlib is not installed.
    """

    def draw(figure: Figure) -> None:
        axes = figure.subplots()
        held = [(x, one) for x, one in results if one.held]
        connecting = [one.connecting * 1000 for _, one in held]
        asking = [one.round_trips.median * 1000 for _, one in held if one.round_trips is not None]
        axes.plot([x for x, _ in held], connecting, "o-", color=BLUE, markersize=4, label="to connect")
        axes.plot([x for x, _ in held], asking, "s-", color=GREEN, markersize=4, label="a round trip (median)")
        for number, x in enumerate([x for x, one in results if not one.held]):
            axes.axvline(x, color=VERMILION, linestyle="--", label="broke" if number == 0 else None)
        axes.set_xlabel("time since the first dial (s)")
        axes.set_ylabel("time (ms)")
        axes.set_yscale("log")
        axes.set_title(f"{len(results):,} dials of {clean(results[0][1].target)}")
        axes.legend()
        axes.grid(visible=True, alpha=0.3)

    return save_figure(draw, path)
