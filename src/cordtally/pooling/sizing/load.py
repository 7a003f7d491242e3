"""What pools have to bear, as people know it: rates, holds, threads, timeouts."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from statistics import NormalDist
from typing import TYPE_CHECKING

from ...errors import PoolModelError
from ...figures import show_number, show_seconds
from ..quantities import set_quantities
from ..queues.contention import NO_CONTENTION, Contention

if TYPE_CHECKING:
    from ...model import Duration

LARGEST_POOL = 100_000


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolLoad:
    """What the pools have to bear together.

    Parameters
    ----------
    arrivals : float or str
        Requests for a connection over all instances: a number per second, or a text like ``120/s``; more than 0.
    hold : float, str or Duration
        Mean time that a request holds its connection, from taking it to giving it back: seconds, or a text like
        ``35ms``; more than 0. With contention, the mean while nothing else is active.
    instances : int
        Processes with a pool of their own, among which the requests spread evenly; at least 1.
    peak_factor : float
        How much more than ``arrivals`` come in the busiest times that the pool has to bear; at least 1.
    arrival_cv : float
        Coefficient of variation of the gaps between arrivals: 1 where many independent clients ask.
    hold_cv : float
        Coefficient of variation of the holds: 0 constant, 1 exponential.
    threads : int, optional
        Threads of each instance that ask, each for one connection at a time, where no others can.
    acquire_timeout : float, str or Duration
        When a waiting request gives up: seconds, or a text like ``250ms``; infinite if none does.
    contention : Contention
        How the server slows with the number of active connections.

    Raises
    ------
    PoolModelError
        When one of them is not a number that can be meant; the message names it.
    """

    arrivals: float
    hold: float
    instances: int = 1
    peak_factor: float = 1.0
    arrival_cv: float = 1.0
    hold_cv: float = 1.0
    threads: int | None = None
    acquire_timeout: float = math.inf
    contention: Contention = field(default=NO_CONTENTION)

    if TYPE_CHECKING:

        def __init__(  # a text is taken, and a number kept
            self,
            *,
            arrivals: float | str,
            hold: float | str | Duration,
            instances: int = 1,
            peak_factor: float = 1.0,
            arrival_cv: float = 1.0,
            hold_cv: float = 1.0,
            threads: int | None = None,
            acquire_timeout: float | str | Duration = math.inf,
            contention: Contention = NO_CONTENTION,
        ) -> None: ...

    def __post_init__(self) -> None:
        """Turn texts into numbers, and refuse those that cannot be meant."""
        set_quantities(self, seconds=("hold", "acquire_timeout"), rates=("arrivals",))
        for name in ("arrivals", "hold", "peak_factor"):
            value = getattr(self, name)
            if not (math.isfinite(value) and value > 0):
                raise PoolModelError(f"{name} must be a finite number, more than 0")
        for name in ("arrival_cv", "hold_cv"):
            value = getattr(self, name)
            if not (math.isfinite(value) and 0 <= value <= 100):
                raise PoolModelError(f"{name} must be a number from 0 to 100")
        if self.peak_factor < 1:
            raise PoolModelError("peak_factor must be at least 1: it is the busiest rate over the mean rate")
        if not 1 <= self.instances <= LARGEST_POOL:
            raise PoolModelError(f"instances must be a whole number from 1 to {LARGEST_POOL:,}")
        if not self.acquire_timeout > 0:
            raise PoolModelError("acquire_timeout must be more than 0 s")
        if self.threads is not None:
            if not 1 <= self.threads <= LARGEST_POOL:
                raise PoolModelError(f"threads must be a whole number from 1 to {LARGEST_POOL:,}")
            if self.think < 0:
                most = self.threads * self.instances / self.hold
                raise PoolModelError(
                    f"arrivals of {show_number(self.arrivals * self.peak_factor)}/s cannot come from "
                    f"{self.threads * self.instances} threads that hold {show_seconds(self.hold)} each: "
                    f"they make {show_number(most)}/s at most"
                )

    @property
    def rate(self) -> float:
        """Requests per second at one instance in the busiest times."""
        return self.arrivals * self.peak_factor / self.instances

    @property
    def erlangs(self) -> float:
        """Offered load of one instance: how many of its connections are in use on average in the busiest times."""
        return self.rate * self.hold

    @property
    def think(self) -> float:
        """Mean seconds that a thread spends without a connection between two requests, where there are threads."""
        return (self.threads or 0) / self.rate - self.hold

    def changed(self, **changes: object) -> PoolLoad:
        """Give a load with some fields replaced.

        Parameters
        ----------
        **changes : object
            Fields of `PoolLoad`, in its units.

        Raises
        ------
        PoolModelError
            Where the new fields make no sense, as `PoolLoad` does.
        TypeError
            For a field that there is not.
        """
        kept = {f.name: getattr(self, f.name) for f in fields(self)}
        return PoolLoad(**(kept | changes))


def hold_from_percentiles(percentiles: Mapping[float, float]) -> tuple[float, float]:
    """Mean (s) and coefficient of variation of the lognormal distribution nearest to given percentiles.

    Parameters
    ----------
    percentiles : mapping
        Times in seconds by share: ``{0.5: 0.020, 0.95: 0.120}``; at least two.

    Raises
    ------
    PoolModelError
        For fewer than two, for shares outside 0 to 1, and for times that do not rise with them.

    Notes
    -----
    A least-squares line through the logarithms of the times against normal quantiles; exact for two percentiles.
    """
    pairs = sorted(percentiles.items())
    times = [time for _, time in pairs]
    if len(pairs) < 2 or any(not 0 < share < 1 for share, _ in pairs):
        raise PoolModelError("at least two percentiles between 0 and 100 are needed: p50=20ms,p95=120ms")
    if any(not (math.isfinite(t) and t > 0) for t in times) or times != sorted(times):
        raise PoolModelError("percentiles must be times above 0 s that rise with their share")
    normal = [NormalDist().inv_cdf(share) for share, _ in pairs]
    logs = [math.log(time) for time in times]
    middle, centre = sum(normal) / len(normal), sum(logs) / len(logs)
    width = sum((x - middle) * (y - centre) for x, y in zip(normal, logs)) / sum((x - middle) ** 2 for x in normal)
    mean = math.exp(centre - width * middle + width**2 / 2)
    return mean, math.sqrt(math.expm1(width**2))
