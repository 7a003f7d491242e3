"""How much more of each input a pool bears before it misses its target: what the answer is most sensitive to."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ...errors import PoolModelError
from ..quantities import Target, WaitTarget
from ..queues.contention import Contention
from .load import PoolLoad
from .models import choose_model

_LARGEST = 16.0
_EXACTLY, _ROUGHLY = 1e-5, 0.03  # relative; as exactly as a simulation knows anyway


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
    model = choose_model(load)
    if target.shortfall(model.at(size)) > 1:
        raise PoolModelError(f"a pool of {size} misses {target} already")
    varied = ["arrivals", "hold"]
    varied += [name for name in ("hold_cv", "arrival_cv") if getattr(load, name) not in (0, 1) and not load.contention]
    varied += ["contention"] if load.contention else []
    if model.two_moments and isinstance(target, WaitTarget):
        load = load.changed(acquire_timeout=math.inf)  # hardly anybody gives up where the target is met
    found = [Headroom(name, _bear(load, target, size, _GROWN[name][1], simulate=model.simulated)) for name in varied]
    return tuple(sorted(found, key=lambda h: h.factor))


def _missed(load: PoolLoad, target: Target, size: int, *, simulate: bool) -> float:
    """The logarithm of the target's shortfall: met up to 0, minus infinity where nobody waits."""
    try:
        model = choose_model(load)
        shortfall = 0.0 if model.simulated and not simulate else target.shortfall(model.at(size))
    except PoolModelError:  # threads that cannot make so many requests, coefficients beyond their range
        return math.inf
    return math.log(shortfall) if shortfall > 0 else -math.inf


def _bear(
    load: PoolLoad, target: Target, size: int, grow: Callable[[PoolLoad, float], PoolLoad], *, simulate: bool
) -> float:
    exactly = _ROUGHLY if simulate else _EXACTLY

    def missed(factor: float) -> float:
        try:
            return _missed(grow(load, factor), target, size, simulate=simulate)
        except PoolModelError:
            return math.inf

    low, high = 1.0, 1.5
    below, above = missed(low), missed(high)
    while above <= 0:
        low, below, high = high, above, 2 * high
        if high > _LARGEST:
            return math.inf
        above = missed(high)
    while high > low * (1 + exactly):
        middle = math.sqrt(low * high)
        if math.isfinite(above - below):  # the secant, kept off the ends
            share = min(0.95, max(0.05, below / (below - above)))
            middle = low * (high / low) ** share
        found = missed(middle)
        if found <= 0:
            low, below, above = middle, found, above / 2  # halved, so that no end stays (the Illinois rule)
        else:
            high, above, below = middle, found, below / 2
        if -exactly < found <= 0:
            break
    return low
