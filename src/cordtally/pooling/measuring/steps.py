"""The steps of a measurement: more and more at once, and then requests at random instants through a pool."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from ...errors import PoolModelError
from ...servers import Session
from .loading import Failures, Load, Sessions, load_closed, load_open

if TYPE_CHECKING:
    from .measure import Plan

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]


def put_loads(
    sessions: Sessions,
    work: Callable[[Session], None],
    failures: Failures,
    plan: Plan,
    progress: Callable[[int, int], None] | None,
) -> tuple[dict[int, Load], float | None, Load | None, Array]:
    """Put each step's load on the server, and with a pool that of requests which come at random."""
    total = len(plan.steps) + (1 if plan.pool_size else 0)
    loads: dict[int, Load] = {}
    for number, concurrency in enumerate(plan.steps):
        loads[concurrency] = load_closed(sessions.grow(concurrency), work, failures, plan.seconds)
        _check(loads[concurrency])
        if progress is not None:
            progress(number + 1, total)
    if not plan.pool_size:
        return loads, None, None, np.empty(0)
    rate = _rate(loads, plan)
    gaps = np.random.default_rng(plan.seed).exponential(1 / rate, max(50, int(5 * plan.seconds * rate)))
    instants = np.cumsum(gaps)
    waits = load_open(sessions.grow(plan.pool_size), work, failures, instants)
    _check(waits)
    if progress is not None:
        progress(total, total)
    return loads, rate, waits, instants


def _check(load: Load) -> None:
    if len(load.holds) == 0:
        why = load.first_failure or "no statement ended in time; give each step longer, or a shorter statement"
        raise PoolModelError(f"nothing was measured: {why}")


def _rate(loads: dict[int, Load], plan: Plan) -> float:
    """Arrivals that keep the pool as busy as wanted, by the throughput that was measured at its size."""
    size = plan.pool_size
    assert size is not None
    concurrency = min(loads, key=lambda n: abs(n - size))
    return plan.utilisation * loads[concurrency].throughput * size / concurrency
