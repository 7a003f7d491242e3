"""Picks the queue that fits a load, and says why; computing it is left to ``queues`` and ``simulation``."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache

from ..quantities import Target, TimeoutTarget, show_seconds
from ..queues import FinitePool, GeneralPool, Waits, crowded_pool, patient_pool
from .load import PoolLoad

_WILD = 10.0  # squared coefficient of variation above which two moments say too little
_TOO_WILD = "holds vary too much for an approximation by two moments"
_RARE = 1e-6  # share of the requests that give up, up to which a pool is computed as if none did
_BUSY = 0.9


@dataclass(frozen=True)
class Model:
    """A queue for a load: its name, why it was picked, whether it is exact, and how to compute it for a size."""

    name: str
    why: str
    exact: bool
    at: Callable[[int], Waits]
    cautions: tuple[str, ...] = ()
    simulated: bool = False
    two_moments: bool = False


def choose_model(load: PoolLoad) -> Model:
    """Pick the queue for a load: the first of the exact ones that fits, then an approximation, then simulation."""
    model = _pick(load)
    return replace(model, at=cache(model.at))


def _pick(load: PoolLoad) -> Model:
    patient = math.isfinite(load.acquire_timeout)
    general = load.hold_cv != 1 or load.arrival_cv != 1
    if load.threads is not None:
        return _finite(load, patient)
    if load.contention:
        return _crowded(load, general)
    if general and load.hold_cv**2 > _WILD:
        return _simulated(load, _TOO_WILD)
    if general and patient:
        return _patient_general(load)
    if general:
        return _general(load)
    if patient:
        return Model(
            "M/M/c+D, exact (Baccelli and Hebuterne 1981)",
            "requests come at random, holds are exponential, and each gives up after "
            f"{show_seconds(load.acquire_timeout)}",
            True,
            lambda size: patient_pool(size, load.rate, load.hold, load.acquire_timeout),
        )
    return Model(
        "M/M/c, exact (Erlang C)",
        "requests come at random, one by one, holds are exponential, and nobody gives up",
        True,
        lambda size: patient_pool(size, load.rate, load.hold),
    )


def cheaper(load: PoolLoad, target: Target) -> PoolLoad:
    """The load to try over and over in place of one that has to be simulated, at least for some sizes.

    Where giving up hardly matters it is left out; else exponential holds and gaps stand in.
    """
    model = choose_model(load)
    if model.simulated or (model.two_moments and isinstance(target, TimeoutTarget)):
        return load.changed(hold_cv=1.0, arrival_cv=1.0)
    return load.changed(acquire_timeout=math.inf) if model.two_moments else load


def _finite(load: PoolLoad, patient: bool) -> Model:
    cautions = []
    if patient:
        cautions.append("the acquire timeout is left out: waits are as if nobody gave up, so no shorter than real ones")
    if load.hold_cv != 1:
        cautions.append("holds are taken as exponential; `pool replay` takes any")
    if load.contention and load.instances > 1:
        cautions.append("only the instance's own connections slow each other here; `pool replay` counts all")
    threads = load.threads or 1
    return Model(
        "M/M/c//N, exact (birth–death, arrival theorem)",
        f"only {threads} threads can ask; each thinks for {show_seconds(load.think)} between two requests",
        not cautions,
        lambda size: FinitePool(size, threads, load.think, load.hold, load.contention),
        tuple(cautions),
    )


def _crowded(load: PoolLoad, general: bool) -> Model:
    cautions = []
    if load.instances > 1:
        cautions.append("the other instances count with their mean number of active connections")
    if general:
        cautions.append("arrivals and holds are taken as exponential; `pool replay` takes any")
    name = "M/M/c on a server that slows" if math.isinf(load.acquire_timeout) else "M/M/c+D on a server that slows"
    return Model(
        f"{name}, {'approximate' if cautions else 'exact'} (birth–death, Universal Scalability Law)",
        f"holds lengthen with the number active (α = {load.contention.alpha:g}, β = {load.contention.beta:g})",
        not cautions,
        lambda size: crowded_pool(
            size, load.rate, load.hold, load.contention, timeout=load.acquire_timeout, instances=load.instances
        ),
        tuple(cautions),
    )


def _general_pool(load: PoolLoad, size: int) -> GeneralPool:
    return GeneralPool(size, load.rate, load.hold, load.hold_cv**2, load.arrival_cv**2)


def _general(load: PoolLoad) -> Model:
    def at(size: int) -> Waits:
        return _general_pool(load, size)

    if load.hold_cv == 1:
        return Model(
            "GI/M/c, exact for gaps of this shape (matrix-geometric)",
            f"gaps between requests vary (cv {load.arrival_cv:g}), holds are exponential",
            False,
            at,
            ("two moments do not fix the shape of the gaps; bursts that last want `pool replay`",),
        )
    kind = "M/G/c" if load.arrival_cv == 1 else "GI/G/c"
    return Model(
        f"{kind}, approximate (Kimura 1986)",
        f"holds are not exponential (cv {load.hold_cv:g})"
        + ("" if load.arrival_cv == 1 else f", gaps between requests vary (cv {load.arrival_cv:g})"),
        False,
        at,
        two_moments=True,
    )


def _patient_general(load: PoolLoad) -> Model:
    """As if nobody gave up, where hardly anybody does; simulated where some do."""
    limit = show_seconds(load.acquire_timeout)
    if not _hardly_left(load, math.ceil(load.erlangs / _BUSY)):
        return _simulated(load, f"holds or gaps are not exponential, and each gives up after {limit}")
    from .simulated import SimulatedPool

    def at(size: int) -> Waits:
        return _general_pool(load, size) if _hardly_left(load, size) else SimulatedPool(size, load)

    model = _general(load)
    why = (
        f"{model.why}; so few would wait for {limit} that it is left out (where more than one in a million do, it is "
        "simulated)"
    )
    return replace(model, at=at, why=why)


def _hardly_left(load: PoolLoad, size: int) -> bool:
    """Whether so few would wait beyond the acquire timeout, by the approximation, that they need not be counted."""
    pool = _general_pool(load, size)
    if not pool.stable:
        return False
    return pool.mean == 0 or pool.wait_share * math.exp(-load.acquire_timeout * pool.wait_share / pool.mean) <= _RARE


def _simulated(load: PoolLoad, why: str) -> Model:
    from .simulated import SimulatedPool

    return Model(
        "simulated (first come, first served)", why, False, lambda size: SimulatedPool(size, load),
        ("figures carry the error of a simulation: see the interval",), simulated=True,
    )  # fmt: skip
