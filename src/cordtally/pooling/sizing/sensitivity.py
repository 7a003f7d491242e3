"""How much more of each input a pool bears before it misses its target: what the answer is most sensitive to."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ...errors import PoolModelError
from ..quantities import Target
from ..queues.contention import Contention
from .load import PoolLoad
from .models import choose_model

_LARGEST = 16.0
_HALVINGS = 12
_COSTLY_HALVINGS = 6


@dataclass(frozen=True, slots=True)
class Headroom:
    """An input, and by which factor it may grow until the pool misses its target; infinite beyond 16 times
    and where no formula holds."""

    name: str
    factor: float


_GROWN: dict[str, tuple[str, Callable[[PoolLoad, float], PoolLoad]]] = {
    "arrivals": ("requests", lambda load, by: load.changed(arrivals=load.arrivals * by)),
    "hold": ("longer holds", lambda load, by: load.changed(hold=load.hold * by)),
    "hold_cv": ("more varied holds", lambda load, by: load.changed(hold_cv=load.hold_cv * by)),
    "arrival_cv": ("more varied gaps", lambda load, by: load.changed(arrival_cv=load.arrival_cv * by)),
    "contention": (
        "contention",
        lambda load, by: load.changed(
            contention=Contention(min(1.0, load.contention.alpha * by), load.contention.beta * by)
        ),
    ),
}


def find_headroom(load: PoolLoad, target: Target, size: int) -> tuple[Headroom, ...]:
    """Find by how much each input may grow, one at a time, until a pool of this size misses its target; least first.

    Raises
    ------
    PoolModelError
        When the pool misses its target as it is.
    """
    if not _meets(load, target, size):
        raise PoolModelError(f"a pool of {size} misses {target} already")
    varied = ["arrivals", "hold"]
    varied += [name for name in ("hold_cv", "arrival_cv") if getattr(load, name) not in (0, 1) and not load.contention]
    varied += ["contention"] if load.contention else []
    costly = choose_model(load).simulated
    found = [Headroom(name, _bear(load, target, size, _GROWN[name][1], costly=costly)) for name in varied]
    return tuple(sorted(found, key=lambda h: h.factor))


def _meets(load: PoolLoad, target: Target, size: int, *, simulate: bool = True) -> bool:
    try:
        model = choose_model(load)
        return (model.simulated and not simulate) or target.shortfall(model.at(size)) <= 1
    except PoolModelError:  # threads that cannot make so many requests, coefficients beyond their range
        return False


def _bear(
    load: PoolLoad, target: Target, size: int, grow: Callable[[PoolLoad, float], PoolLoad], *, costly: bool
) -> float:
    def bears(factor: float) -> bool:
        try:
            return _meets(grow(load, factor), target, size, simulate=costly)
        except PoolModelError:
            return False

    low, high = 1.0, 1.5
    while bears(high):
        low, high = high, 2 * high
        if high > _LARGEST:
            return math.inf
    for _ in range(_COSTLY_HALVINGS if costly else _HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if bears(middle) else (low, middle)
    return low
