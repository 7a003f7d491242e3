"""How far the approximation of ``general`` was from our own simulation, on a grid; made by a script of ours."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from itertools import product


@dataclass(frozen=True, slots=True)
class ErrorBound:
    """Lowest and highest error found: of percentiles relative, of the share that gives up absolute."""

    p95: tuple[float, float]
    p99: tuple[float, float]
    timeout_share: tuple[float, float]


@cache
def _errors() -> tuple[list[list[float]], list[list[int] | None]]:
    text = files(__package__).joinpath("approximation-errors.json").read_text(encoding="utf-8")
    document = json.loads(text)
    axes = [[math.inf if value is None else value for value in axis] for axis in document["axes"].values()]
    return axes, document["errors"]


def error_bound(
    connections: int, utilisation: float, arrival_scv: float, hold_scv: float, timeout_in_holds: float = math.inf
) -> ErrorBound | None:
    """Give the lowest and the highest error around such a load: the worst of the grid points on either side.

    Parameters
    ----------
    connections : int
        Connections in the pool.
    utilisation : float
        Offered load over connections; may be above 1 with a timeout.
    arrival_scv, hold_scv : float
        Squared coefficients of variation of gaps and holds.
    timeout_in_holds : float
        Acquire timeout over mean hold; infinite if there is none.

    Returns
    -------
    ErrorBound or None
        Over all shapes of hold tried; waits below a tenth of a hold count as a tenth of a hold. None beyond the grid.
    """
    axes, errors = _errors()
    around = []
    for value, grid in zip((connections, utilisation, arrival_scv, hold_scv, timeout_in_holds), axes):
        if not grid[0] - 1e-9 <= value <= grid[-1] + 1e-9:
            return None
        below = max(i for i, g in enumerate(grid) if g <= value + 1e-9)
        around.append({below, below if value <= grid[below] + 1e-9 else below + 1})
    cells = []
    for corner in product(*around):
        place = 0
        for index, grid in zip(corner, axes):
            place = place * len(grid) + index
        cells.append(errors[place])
    found = [cell for cell in cells if cell is not None]
    if len(found) < len(cells):
        return None
    low = [min(cell[i] for cell in found) for i in (0, 2, 4)]
    high = [max(cell[i] for cell in found) for i in (1, 3, 5)]
    return ErrorBound(
        p95=(low[0] / 1000, high[0] / 1000), p99=(low[1] / 1000, high[1] / 1000),
        timeout_share=(low[2] / 10_000, high[2] / 10_000),
    )  # fmt: skip
