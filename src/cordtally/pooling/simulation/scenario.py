"""A scenario: what comes in, how the pool and the server behave, what goes wrong when.

Reading one from a file is left to ``scenario_file``, running it to ``replay``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from ...errors import PoolModelError
from ..quantities import set_quantities
from . import rules as names
from .draws import Burst, Spread, draw_arrivals
from .plain import check_trace
from .rules import Rules
from .simulate import Requests, plain_rules

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

MOST_REQUESTS = 50_000_000


@dataclass(frozen=True, eq=False)
class Scenario:
    """What to simulate; times in seconds, rates per second.

    Parameters
    ----------
    rate : float
        Requests per second over all instances; not used with threads or a trace.
    hold : Spread
        How long a request holds its connection with nothing else active.
    duration, warm_up : float
        How long to simulate, and how much of it to leave out of the figures.
    instances : int
        Processes with a pool of their own.
    arrival_cv : float
        Coefficient of variation of the gaps between requests.
    bursts : tuple of Burst
        When requests come faster or slower.
    threads : int
        Threads per instance, in place of ``rate``: each thinks, asks, waits and holds in turn.
    think : Spread
        How long a thread thinks.
    trace : tuple of numpy.ndarray, optional
        Instants and holds to replay as they are, in place of ``rate`` and ``hold``.
    leak_share : float
        Share of the requests that never give their connection back.
    connect : Spread
        How long it takes to open a connection.
    restarts : tuple of tuple
        When the server goes down, and for how long.
    deploys : tuple of float
        When all instances are replaced.
    rules : dict
        The other rules by name, as in ``Rules``.

    Raises
    ------
    PoolModelError
        When a number cannot be meant; the message names it.
    """

    rate: float = 0.0
    hold: Spread = Spread(0.0)  # noqa: RUF009 -- immutable
    duration: float = 600.0
    warm_up: float = 60.0
    instances: int = 1
    arrival_cv: float = 1.0
    bursts: tuple[Burst, ...] = ()
    threads: int = 0
    think: Spread = Spread(0.0)  # noqa: RUF009
    trace: tuple[Array, Array] | None = None
    leak_share: float = 0.0
    connect: Spread = Spread(0.0)  # noqa: RUF009
    restarts: tuple[tuple[float, float], ...] = ()
    deploys: tuple[float, ...] = ()
    rules: dict[str, Any] = field(default_factory=lambda: {"max_size": 10})

    def __post_init__(self) -> None:
        """Turn texts into numbers, and refuse what cannot be meant."""
        set_quantities(self, seconds=("duration", "warm_up"), rates=("rate",))
        if not (math.isfinite(self.duration) and self.duration > self.warm_up >= 0):
            raise PoolModelError("the duration must be more than the warm-up, and that 0 s or more")
        if self.threads == 0 and self.trace is None and not (math.isfinite(self.rate) and self.rate > 0):
            raise PoolModelError("arrivals must be a rate above 0, unless there are threads or a trace")
        if self.trace is not None:
            check_trace(*self.trace)
        elif self.hold.mean <= 0:
            raise PoolModelError("the hold must be more than 0 s")
        if not 0 <= self.leak_share <= 1:
            raise PoolModelError("the share of leaks must be from 0 to 1")
        if not 1 <= self.instances <= 10_000 or self.threads < 0:
            raise PoolModelError("instances must be from 1 to 10,000, and threads 0 or more")
        if self.requests > MOST_REQUESTS:
            raise PoolModelError(f"{self.requests:,.0f} requests a run are too many: at most {MOST_REQUESTS:,}")
        _check(self.pool_rules)

    @property
    def requests(self) -> float:
        """About how many requests one run has."""
        if self.trace is not None:
            return len(self.trace[0])
        if self.threads:
            return self.instances * self.threads * (2 + self.duration / max(self.think.mean + self.hold.mean, 1e-9))
        return self.rate * self.duration * max([1.0, *(b.factor for b in self.bursts)])

    @property
    def pool_rules(self) -> Rules:
        """The rules as the simulation takes them."""
        rules = dict(self.rules)
        size = rules.pop("max_size", 10)
        most = {"threads": self.threads * self.instances, "min_size": min(size, rules.get("min_size", 0))}
        return plain_rules(self.instances, size, self.duration, **{**most, **rules})

    def draw(self, rng: np.random.Generator) -> Requests:
        """Draw the requests of one run."""
        if self.trace is not None:
            arrivals, holds = self.trace
            arrivals = arrivals - arrivals[0]
            inside = arrivals <= self.duration
            arrivals, holds = arrivals[inside], holds[inside]
        elif self.threads:
            arrivals = np.zeros(0)
            count = int(1.1 * self.requests) + 8 * self.threads * self.instances
            holds = self.hold.draw(rng, count)
        else:
            arrivals = draw_arrivals(rng, self.rate, self.duration, cv=self.arrival_cv, bursts=self.bursts)
            holds = self.hold.draw(rng, len(arrivals))
        count = len(holds)
        slots = rng.integers(0, self.instances, count, dtype=np.int32)
        thinks = None
        if self.threads and self.trace is None:
            slots[: self.threads * self.instances] = np.repeat(np.arange(self.instances), self.threads)
            thinks = self.think.draw(rng, count)
        leaks = (rng.random(count) < self.leak_share).astype(np.int8) if self.leak_share else np.zeros(count, np.int8)
        return Requests(arrivals, holds, slots, leaks, thinks)

    def plan(self) -> list[tuple[float, int]]:
        """What happens when."""
        events = [(at, names.DEPLOY) for at in self.deploys]
        for at, lasts in self.restarts:
            events += [(at, names.DOWN), (at + lasts, names.UP)]
        return events


def _check(rules: Rules) -> None:
    if not 1 <= rules.max_size <= 100_000:
        raise PoolModelError("max_size must be a whole number from 1 to 100,000")
    if not 0 <= rules.min_size <= rules.max_size or not 0 <= rules.min_idle <= rules.max_size:
        raise PoolModelError(f"min_size and min_idle must be from 0 to max_size ({rules.max_size})")
    if rules.server_limit < 1:
        raise PoolModelError("the server's limit must be at least 1 connection")
    for name in ("lifetime_jitter", "boot_jitter", "retry_share"):
        if not 0 <= getattr(rules, name) <= 1:
            raise PoolModelError(f"{name} must be a share from 0 to 1")
    for name in ("acquire_timeout", "idle_timeout", "lifetime", "retry_connect_after", "token_every"):
        if not getattr(rules, name) > 0:
            raise PoolModelError(f"{name} must be more than 0 s")
    if rules.surge < 1:
        raise PoolModelError("a deploy needs a surge of at least 1 instance")
    if not 0 <= rules.alpha <= 1 or rules.beta < 0:
        raise PoolModelError("alpha must be from 0 to 1, and beta 0 or more")
