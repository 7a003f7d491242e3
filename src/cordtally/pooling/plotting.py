"""What all plots share: size, fonts, colours that colour-blind readers tell apart, and how they are saved."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import FieldError, MissingExtra, quoted

if TYPE_CHECKING:
    from matplotlib.figure import Figure

# Okabe and Ito, "Color Universal Design" (2008): told apart by all kinds of colour vision
VERMILION, BLUE, GREEN, ORANGE, SKY, PURPLE, YELLOW = (
    "#D55E00", "#0072B2", "#009E73", "#E69F00", "#56B4E9", "#CC79A7", "#F0E442",
)  # fmt: skip
COLOURS = (BLUE, VERMILION, GREEN, PURPLE, ORANGE, SKY, YELLOW)
HATCHES = ("", "//", "..", "xx", "\\\\", "oo", "++")
INK, PALE = "#222222", "#dddddd"
_FORMATS = {".png", ".svg", ".pdf"}


@contextmanager
def _style() -> Iterator[None]:
    try:
        from matplotlib import rc_context
    except ImportError:
        raise MissingExtra("Matplotlib", "pool", "drawing a plot") from None
    with rc_context({"font.size": 13, "axes.titlesize": 15, "axes.titlepad": 12, "svg.hashsalt": "cordtally"}):
        yield


def save_figure(draw: Callable[[Figure], None], path: str | Path) -> Path:
    """Draw into a file of 1280 × 800 pixels; the ending says the format (.png, .svg, .pdf).

    Parameters
    ----------
    draw : callable
        Takes the figure and draws on it.
    path : str or Path
        The ending says the format: .png, .svg or .pdf.

    Raises
    ------
    FieldError
        For another ending.
    MissingExtra
        When Matplotlib is not installed.
    """
    path = Path(path)
    if path.suffix.lower() not in _FORMATS:
        raise FieldError(
            f"a plot is written as {', '.join(sorted(_FORMATS))}, not {quoted(path.suffix or 'without an ending')}"
        )
    with _style():
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure

        figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained")
        FigureCanvasAgg(figure)
        draw(figure)
        figure.savefig(path)
    return path
