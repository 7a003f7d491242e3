"""How much more of each input a pool bears before it misses its target: what the answer is most sensitive to."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from ...errors import PoolModelError
from ..quantities import Target
from ..queues.contention import Contention
from .load import PoolLoad
from .models import Model, choose_model

_LARGEST = 16.0
_EXACTLY, _ROUGHLY = 1e-5, 0.03  # relative; as exactly as a simulation knows anyway


@dataclass(frozen=True, slots=True)
class Headroom:
    """An input, and by which factor it may grow until the pool misses its target; infinite beyond 16 times
    and where no formula holds."""

    name: str
    factor: float


_Grow = Callable[[PoolLoad, float], PoolLoad]
_GROWN: dict[str, _Grow] = {
    "arrivals": lambda load, by: load.changed(arrivals=load.arrivals * by),
    "hold": lambda load, by: load.changed(hold=load.hold * by),
    "hold_cv": lambda load, by: load.changed(hold_cv=load.hold_cv * by),
    "arrival_cv": lambda load, by: load.changed(arrival_cv=load.arrival_cv * by),
    "contention": lambda load, by: load.changed(
        contention=Contention(min(1.0, load.contention.alpha * by), load.contention.beta * by)
    ),
}


def find_headroom(load: PoolLoad, target: Target, size: int, model: Model | None = None) -> tuple[Headroom, ...]:
    """Find by how much each input may grow, one at a time, until a pool of this size misses its target; least first.

    Parameters
    ----------
    load : PoolLoad
        Rates per second, times in seconds.
    target : WaitTarget or TimeoutTarget
        What has to be met.
    size : int
        Connections per instance.
    model : Model
        The queue that computes the waits.

    Raises
    ------
    PoolModelError
        When the pool misses its target as it is.
    """
    model = model or choose_model(load)
    shortfall = target.shortfall(model.at(size))
    if shortfall > 1:
        raise PoolModelError(f"a pool of {size} misses {target} already")
    varied = ["arrivals", "hold"]
    if not load.contention:
        spreads = ["arrival_cv"] if model.simulated else ["hold_cv", "arrival_cv"]  # holds so wild already say little
        varied += [name for name in spreads if getattr(load, name) not in (0, 1)]
    varied += ["contention"] if load.contention else []
    exactly = _ROUGHLY if model.simulated else _EXACTLY
    found = []
    for name in varied:
        missed = partial(_missed, load, _GROWN[name], target, size, simulate=model.simulated)
        found.append(Headroom(name, _bear(missed, _log(shortfall), exactly)))
    return tuple(sorted(found, key=lambda h: h.factor))


def _log(shortfall: float) -> float:
    """Met up to 0, minus infinity where nobody waits."""
    return math.log(shortfall) if shortfall > 0 else -math.inf


def _missed(load: PoolLoad, grow: _Grow, target: Target, size: int, factor: float, *, simulate: bool) -> float:
    """The logarithm of the target's shortfall with an input grown by a factor."""
    try:
        model = choose_model(grow(load, factor))
        return _log(0.0 if model.simulated and not simulate else target.shortfall(model.at(size)))
    except PoolModelError:  # threads that cannot make so many requests, coefficients beyond their range
        return math.inf


def _bear(missed: Callable[[float], float], now: float, exactly: float) -> float:
    """The factor at which a rising function, ``now`` at 1, passes 0; infinite beyond 16."""
    low, below, high = 1.0, now, 1.1
    above = missed(high)
    while above <= 0:
        low, below, high = high, above, 2 * high - 0.9
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
