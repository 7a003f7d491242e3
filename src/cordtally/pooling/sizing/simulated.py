"""A pool whose waits are simulated, where no formula fits: any arrivals and holds, with an acquire timeout."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, cached_property
from typing import TYPE_CHECKING

from ...errors import MissingExtra
from .load import PoolLoad

if TYPE_CHECKING:
    import numpy as np

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

RUNS, REQUESTS = 8, 20_000
_SEED = 20261123


@cache
def _requests(load: PoolLoad) -> list[tuple[Array, Array]]:
    """Draw arrivals and holds once for all sizes, so that sizes differ by nothing else."""
    try:
        import numpy as np
    except ImportError:
        raise MissingExtra("NumPy", "pool", "a pool with holds or gaps like these") from None
    from ..simulation.draws import Spread

    gap = Spread(1 / load.rate, load.arrival_cv, "two-exponentials" if load.arrival_cv > 1 else None)
    hold = Spread(load.hold, load.hold_cv)
    drawn = []
    for run in range(RUNS):
        rng = np.random.default_rng([_SEED, run])
        drawn.append((np.cumsum(gap.draw(rng, REQUESTS)), hold.draw(rng, REQUESTS)))
    return drawn


@dataclass(frozen=True, eq=False)
class SimulatedPool:
    """A pool of ``connections`` under a load, simulated in 8 runs of 20,000 requests, the first eighth left out."""

    connections: int
    load: PoolLoad

    @cached_property
    def _runs(self) -> list[Array]:
        from ..simulation.plain import simulate_waits

        def run(drawn: tuple[Array, Array]) -> Array:
            return simulate_waits(*drawn, self.connections, self.load.acquire_timeout)[REQUESTS // 8 :]

        with ThreadPoolExecutor() as threads:  # compiled loops do not hold the interpreter
            return list(threads.map(run, _requests(self.load)))

    @property
    def stable(self) -> bool:
        """Whether there is a steady state."""
        return math.isfinite(self.load.acquire_timeout) or self.load.erlangs < self.connections

    def _mean(self, figures: list[float]) -> float:
        return sum(figures) / len(figures) if self.stable else math.inf

    @cached_property
    def wait_share(self) -> float:
        """Share of the requests that find no free connection."""
        return min(1.0, self._mean([float((waits > 0).mean()) for waits in self._runs]))

    @cached_property
    def timeout_share(self) -> float:
        """Share of the requests that give up."""
        import numpy as np

        return self._mean([float(np.isinf(waits).mean()) for waits in self._runs]) if self.stable else 0.0

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
        import numpy as np

        timeout = self.load.acquire_timeout
        return [float(np.quantile(np.minimum(waits, timeout), share)) for waits in self._runs]

    def quantile(self, share: float) -> float:
        """The wait that this share of the requests does not exceed."""
        return self._mean(self._quantiles(share))

    def interval(self, share: float) -> tuple[float, float]:
        """95 % confidence interval of a quantile, from the runs."""
        from ..simulation.replay import Estimate

        estimate = Estimate.of(self._quantiles(share))
        return max(0.0, estimate.low), estimate.high
