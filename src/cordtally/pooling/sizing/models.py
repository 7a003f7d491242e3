"""Picks the queue that fits a load, and says why; computing it is left to ``queues`` and ``simulation``."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache

from ...figures import show_seconds
from ..queues import FinitePool, Waits, crowded_pool, general_pool, patient_pool
from .load import PoolLoad
from .simulated import SimulatedPool

_WILD = math.sqrt(10)  # coefficient of variation of the holds above which two moments say too little


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
    """Pick the queue for a load: the first of the exact ones that fits, then an approximation, then simulation.

    Parameters
    ----------
    load : PoolLoad
        Rates per second, times in seconds.
    """
    model = _pick(load)
    return replace(model, at=cache(model.at))


def _pick(load: PoolLoad) -> Model:
    patient = math.isfinite(load.acquire_timeout)
    general = load.hold_cv != 1 or load.arrival_cv != 1
    if load.threads is not None:
        return _finite(load, patient)
    if load.contention:
        return _crowded(load, general)
    if load.hold_cv > _WILD:
        return _simulated(load)
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


def cheaper(load: PoolLoad) -> PoolLoad:
    """The load to try over and over in place of one that has to be simulated: holds as wild as formulas take them.

    Parameters
    ----------
    load : PoolLoad
        Rates per second, times in seconds.
    """
    return load.changed(hold_cv=_WILD) if choose_model(load).simulated else load


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


def _general(load: PoolLoad) -> Model:
    patient = math.isfinite(load.acquire_timeout)
    reasons, cautions = [], []
    if load.hold_cv != 1:
        reasons.append(f"holds are not exponential (cv {load.hold_cv:.3g})")
    if load.arrival_cv != 1:
        reasons.append(f"gaps between requests vary (cv {load.arrival_cv:.3g})")
        cautions.append("two moments do not fix the shape of the gaps; bursts that last want `pool replay`")
    if patient:
        reasons.append(f"each gives up after {show_seconds(load.acquire_timeout)}")
    kind = f"{'M' if load.arrival_cv == 1 else 'GI'}/{'M' if load.hold_cv == 1 else 'G'}/c{'+D' if patient else ''}"
    shape_exact = load.hold_cv == 1 and not patient
    sources = "Takács 1962" if load.hold_cv == 1 else "Kimura 1986"
    sources += "; Boots and Tijms 1999" if patient else ""
    return Model(
        f"{kind}, {'exact for gaps of this shape' if shape_exact else 'approximate'} ({sources})",
        ", ".join(reasons),
        False,
        lambda size: general_pool(
            size, load.rate, load.hold, load.hold_cv**2, load.arrival_cv**2, load.acquire_timeout
        ),
        tuple(cautions),
        two_moments=not shape_exact,
    )


def _simulated(load: PoolLoad) -> Model:
    return Model(
        "simulated (first come, first served)", f"holds vary too much for two moments (cv {load.hold_cv:.3g})", False,
        lambda size: SimulatedPool(size, load), ("figures carry the error of a simulation: see the interval",),
        simulated=True,
    )  # fmt: skip
