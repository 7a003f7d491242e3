"""How far the approximation of ``general`` was from our own simulation, on a grid; made by a script of ours."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files
from itertools import product

_COLUMNS = {0.95: 2, 0.99: 4}


@cache
def _errors() -> tuple[dict[str, list[float]], dict[tuple[float, ...], list[float] | None]]:
    text = files(__package__).joinpath("approximation-errors.json").read_text(encoding="utf-8")
    document = json.loads(text)
    return document["axes"], {tuple(row[:4]): row[4] for row in document["errors"]}


def error_bound(
    connections: int, utilisation: float, arrival_scv: float, hold_scv: float, *, quantile: float = 0.99
) -> tuple[float, float] | None:
    """Give the lowest and the highest relative error of an approximate percentile around such a load.

    Parameters
    ----------
    connections : int
        Connections in the pool.
    utilisation : float
        Share of them in use on average.
    arrival_scv, hold_scv : float
        Squared coefficients of variation of gaps and holds.
    quantile : float
        0.95 or 0.99.

    Returns
    -------
    tuple of float or None
        The worst of the grid points on either side, of all shapes of hold tried; waits below a tenth of a hold
        count as a tenth of a hold. None beyond the grid.
    """
    axes, errors = _errors()
    around = []
    for value, grid in zip((connections, utilisation, arrival_scv, hold_scv), axes.values()):
        if not grid[0] - 1e-9 <= value <= grid[-1] + 1e-9:
            return None
        around.append({max(g for g in grid if g <= value + 1e-9), min(g for g in grid if g >= value - 1e-9)})
    cells = [cell for corner in product(*around) if (cell := errors.get(corner)) is not None]
    at = _COLUMNS[quantile]
    return (min(cell[at] for cell in cells), max(cell[at + 1] for cell in cells)) if cells else None
