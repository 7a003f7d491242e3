"""A pool whose waits are simulated, where no formula fits: any arrivals and holds, with an acquire timeout."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

from ...errors import MissingExtra
from .load import PoolLoad

if TYPE_CHECKING:
    import numpy as np

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

RUNS, REQUESTS = 8, 15_000
_SEED = 20261123


@lru_cache(maxsize=8)
def _drawn(what: str, cv: float) -> list[Array]:
    """Draw gaps or holds of mean 1 once for all sizes and rates, so that these differ by nothing else."""
    try:
        import numpy as np
    except ImportError:
        raise MissingExtra("NumPy", "pool", "a pool with holds like these") from None
    from ..simulation.draws import Spread

    spread = Spread(1.0, cv, "two-exponentials" if what == "gaps" and cv > 1 else None)
    seeds = ([_SEED, run, what == "gaps"] for run in range(RUNS))
    return [spread.draw(np.random.default_rng(seed), REQUESTS) for seed in seeds]


@lru_cache(maxsize=8)
def _instants(arrival_cv: float) -> list[Array]:
    return [gaps.cumsum() for gaps in _drawn("gaps", arrival_cv)]


@dataclass(frozen=True, eq=False)
class SimulatedPool:
    """A pool of ``connections`` under a load, simulated in 8 runs of 15,000 requests, the first eighth left out."""

    connections: int
    load: PoolLoad

    @cached_property
    def _runs(self) -> list[Array]:
        """Waits of each run, the shortest first; infinite for those that give up."""
        load, found = self.load, []
        drawn = list(zip(_instants(load.arrival_cv), _drawn("holds", load.hold_cv)))  # says what is missing
        from ..simulation.plain import serve

        for instants, holds in drawn:
            waits = serve(instants / load.rate, holds * load.hold, self.connections, load.acquire_timeout)
            waits = waits[REQUESTS // 8 :]
            waits.sort()
            found.append(waits)
        return found

    @property
    def stable(self) -> bool:
        """Whether there is a steady state."""
        return math.isfinite(self.load.acquire_timeout) or self.load.erlangs < self.connections

    def _mean(self, figures: list[float]) -> float:
        return sum(figures) / len(figures) if self.stable else math.inf

    @cached_property
    def wait_share(self) -> float:
        """Share of the requests that find no free connection."""
        return min(1.0, self._mean([1 - _share(waits, 0.0) for waits in self._runs]))

    @cached_property
    def timeout_share(self) -> float:
        """Share of the requests that give up."""
        return self._mean(self._timeout_shares) if math.isfinite(self.load.acquire_timeout) else 0.0

    @cached_property
    def _timeout_shares(self) -> list[float]:
        return [1 - _share(waits, self.load.acquire_timeout) for waits in self._runs]

    @cached_property
    def mean(self) -> float:
        """Mean wait in seconds."""
        import numpy as np

        timeout = self.load.acquire_timeout
        return self._mean([float(np.minimum(waits, timeout).mean()) for waits in self._runs])

    @property
    def hold(self) -> float:
        """Mean hold in seconds."""
        return self.load.hold

    @property
    def utilisation(self) -> float:
        """Share of the connections in use on average."""
        return min(1.0, self.load.erlangs * (1 - self.timeout_share) / self.connections)

    def _quantiles(self, share: float) -> list[float]:
        timeout = self.load.acquire_timeout
        return [min(timeout, float(waits[math.ceil(share * len(waits)) - 1])) for waits in self._runs]

    def quantile(self, share: float) -> float:
        """The wait that this share of the requests does not exceed.

        Parameters
        ----------
        share : float
            Between 0 and 1: 0.99 for p99.

        Returns
        -------
        float
            Seconds.
        """
        return self._mean(self._quantiles(share))

    def quantile_interval(self, share: float) -> tuple[float, float]:
        """95 % confidence interval of a quantile, from the runs."""
        return _interval(self._quantiles(share))

    def timeout_interval(self) -> tuple[float, float]:
        """95 % confidence interval of the share that gives up, from the runs."""
        return _interval(self._timeout_shares)


def _interval(values: list[float]) -> tuple[float, float]:
    from ..simulation.replay import Estimate

    estimate = Estimate.of(values)
    return max(0.0, estimate.low), estimate.high


def _share(waits: Array, most: float) -> float:
    """Share of the waits, in order, of up to ``most`` seconds."""
    return float(waits.searchsorted(most, side="right")) / len(waits)
