"""The matrix of an inventory: services by databases, each cell with what is the least protected in it."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from ..pooling.plotting import BLUE, INK, ORANGE, PALE, VERMILION, save_figure
from .inventory import Inventory, Row

if TYPE_CHECKING:
    from matplotlib.axes import Axes

SIGNS = {"secret in a file": "✗", "not encrypted": "!", "protected": "✓"}
_COLOURS = {"secret in a file": VERMILION, "not encrypted": ORANGE, "protected": BLUE}
SAID = {"secret in a file": "secret", "not encrypted": "plain", "protected": "safe"}
_LONGEST = 34  # characters of a label
_UNPROTECTED = frozenset([None, "off", "prefer", "allow"])
_LOCAL = ("localhost", "127.", "::1", "/")


def state_of(rows: Iterable[Row]) -> str:
    """Say what is the least protected of some connections."""
    kept = list(rows)
    if any(row.secret == "in the file" for row in kept):
        return "secret in a file"
    plain = [row for row in kept if row.tls in _UNPROTECTED and row.server and not row.server.startswith(_LOCAL)]
    return "not encrypted" if plain else "protected"


def cells_of(inventory: Inventory) -> tuple[list[str], list[str], dict[tuple[str, str], str]]:
    """Give the services, the targets, and the state of each pair that is connected."""
    services = sorted({row.service for row in inventory.rows})
    targets = sorted({row.target for row in inventory.rows})
    held: dict[tuple[str, str], list[Row]] = {}
    for row in inventory.rows:
        held.setdefault((row.service, row.target), []).append(row)
    return services, targets, {pair: state_of(rows) for pair, rows in held.items()}


def save_matrix(inventory: Inventory, path: str | Path) -> Path:
    """Draw the matrix as .png, .svg or .pdf.

    Parameters
    ----------
    inventory : Inventory
        What is drawn.
    path : str or Path
        The file; its ending says the format.

    Raises
    ------
    FieldError
        For another ending.
    MissingExtra
        When Matplotlib is not installed.
    """
    return save_figure(lambda figure: draw_matrix(inventory, figure.add_subplot()), path)


def draw_matrix(inventory: Inventory, axes: Axes) -> None:
    """Draw services by databases.

    Parameters
    ----------
    inventory : Inventory
        What is drawn.
    axes : matplotlib.axes.Axes
        What is drawn on.
    """
    from matplotlib.patches import Patch, Rectangle

    services, targets, cells = cells_of(inventory)
    size = max(7.0, min(13.0, 150.0 / max(len(services), len(targets), 1)))
    for (service, target), state in cells.items():
        x, y = targets.index(target), services.index(service)
        axes.add_patch(Rectangle((x - 0.45, y - 0.36), 0.9, 0.72, color=_COLOURS[state]))
        axes.annotate(SAID[state], (x, y), ha="center", va="center", color="white", fontsize=size, fontweight="bold")
    axes.set_xticks(range(len(targets)), [label_of(one) for one in targets], rotation=35, ha="right", fontsize=size)
    axes.set_yticks(range(len(services)), [_short(one) for one in services], fontsize=size + 1)
    axes.set_xlim(-0.6, len(targets) - 0.4)
    axes.set_ylim(len(services) - 0.4, -0.6)
    axes.grid(color=PALE)
    axes.set_axisbelow(True)
    axes.tick_params(length=0, labelcolor=INK)
    for side in axes.spines.values():
        side.set_visible(False)
    name = inventory.root.resolve().name
    axes.set_title(f"{len(services)} services of {name}, and the {len(targets)} databases that they reach", loc="left")
    signs = [Patch(color=colour, label=state) for state, colour in _COLOURS.items()]
    axes.legend(handles=signs, loc="lower left", bbox_to_anchor=(0, 1.06), ncols=3, frameon=False)


def label_of(target: str) -> str:
    """A database below its name: of several servers the first, without its port."""
    server, slash, database = target.rpartition("/")
    first, *others = (server if slash else target).split(",")
    host = first.rpartition(":")[0] or first
    shown = f"{host} and {len(others)} more" if others else host
    return f"{_short(database)}\n{_short(shown)}" if slash else _short(shown)


def _short(label: str) -> str:
    return label if len(label) <= _LONGEST else f"{label[: _LONGEST - 1]}…"
