"""A pool behind a fixed number of threads, exactly: M/M/c//N, with or without contention at the server.

Each thread uses at most one connection at a time, works for a think time Z without one, asks, waits, and holds. The
answer depends on the think time only through its mean. What a request meets is the state with one thread fewer.

Source: birth–death equations; M. Reiser and S. S. Lavenberg, J. ACM 27 (1980), for the network; K. C. Sevcik and
I. Mitrani, J. ACM 28 (1981), for what an arrival sees. Weights are summed as logarithms, so none overflows.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

from ...errors import MissingExtra, PoolModelError
from .contention import NO_CONTENTION, Contention
from .erlang import check_queue
from .waits import check_share

if TYPE_CHECKING:
    import numpy as np

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

_LARGEST = 10_000_000


@dataclass(frozen=True)
class FinitePool:
    """A pool of ``connections`` behind ``threads`` threads.

    Parameters
    ----------
    connections : int
        c, at least 1.
    threads : int
        N, at least 1.
    think : float
        Z: mean seconds that a thread spends without a connection between two requests; 0 or more.
    base_hold : float
        Mean hold in seconds while no other connection is in use, exponential.
    contention : Contention
        How holds lengthen with the number in use.

    Raises
    ------
    PoolModelError
        When a number cannot be meant; the message names it.
    """

    connections: int
    threads: int
    think: float
    base_hold: float
    contention: Contention = NO_CONTENTION

    def __post_init__(self) -> None:
        """Refuse numbers that cannot be meant."""
        check_queue(self.connections, 0.0)
        if not 1 <= self.threads <= _LARGEST:
            raise PoolModelError(f"threads must be a whole number from 1 to {_LARGEST:,}")
        for name, value in (("think time", self.think), ("hold", self.base_hold)):
            if not (math.isfinite(value) and value >= 0):
                raise PoolModelError(f"the {name} must be a finite number of seconds, 0 or more")
        if self.base_hold == 0:
            raise PoolModelError("the hold must be more than 0 s")

    def _rate(self, busy: Array) -> Array:
        rates: Array = busy / (self.base_hold * self.contention.stretch(busy))
        return rates

    def _states(self, threads: int) -> Array:
        """Chances of 0 … ``threads`` requests waiting or holding."""
        try:
            import numpy as np
        except ImportError:
            raise MissingExtra("NumPy", "pool", "the queue of a fixed number of threads") from None
        if threads == 0:
            return np.ones(1)
        n = np.arange(1, threads + 1, dtype=float)
        if self.think == 0:
            states = np.zeros(threads + 1)
            states[-1] = 1.0
            return states
        steps = np.log((threads - n + 1) / self.think) - np.log(self._rate(np.minimum(n, self.connections)))
        logs = np.concatenate(([0.0], np.cumsum(steps)))
        weights = np.exp(logs - logs.max())
        chances: Array = weights / weights.sum()
        return chances

    @cached_property
    def _met(self) -> Array:
        """What a request meets (arrival theorem): the states with one thread fewer."""
        return self._states(self.threads - 1)

    @cached_property
    def throughput(self) -> float:
        """Requests served per second by this pool."""
        import numpy as np

        states = self._states(self.threads)
        busy = np.minimum(np.arange(self.threads + 1, dtype=float), self.connections)
        return float(states[1:] @ self._rate(busy[1:]))

    @property
    def hold(self) -> float:
        """Mean hold, stretched by contention: connections in use over throughput (Little's law)."""
        return self.utilisation * self.connections / self.throughput

    @cached_property
    def utilisation(self) -> float:
        """Share of the connections in use on average."""
        import numpy as np

        busy = np.minimum(np.arange(self.threads + 1, dtype=float), self.connections)
        return float(self._states(self.threads) @ busy) / self.connections

    @property
    def timeout_share(self) -> float:
        """Nobody gives up here."""
        return 0.0

    @cached_property
    def wait_share(self) -> float:
        """Share of the requests that find no free connection; 0 where there are no more threads than connections."""
        return float(self._met[self.connections :].sum())

    @cached_property
    def _full_rate(self) -> float:
        import numpy as np

        return float(self._rate(np.array([float(self.connections)]))[0])

    @cached_property
    def mean(self) -> float:
        """Mean wait in seconds."""
        import numpy as np

        ahead = self._met[self.connections :]
        return float(ahead @ np.arange(1, len(ahead) + 1)) / self._full_rate

    def beyond(self, wait: float) -> float:
        """Share of the requests that wait longer than ``wait`` seconds (≥ 0).

        Parameters
        ----------
        wait : float
            Seconds, 0 or more.

        References
        ----------
        .. [1] An arrival that meets n ≥ c waits for n − c + 1 returns at a constant rate: an Erlang distribution, whose
           tail is the regularized upper incomplete gamma function.
        """
        import numpy as np
        from scipy.special import gammaincc

        ahead = self._met[self.connections :]
        return float(ahead @ gammaincc(np.arange(1, len(ahead) + 1), self._full_rate * wait)) if len(ahead) else 0.0

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

        Raises
        ------
        PoolModelError
            For a share that is not between 0 and 1.
        """
        check_share(share)
        if self.wait_share <= 1 - share:
            return 0.0
        from scipy.optimize import brentq

        high = max(self.mean, self.base_hold / self.connections)
        while self.beyond(high) > 1 - share:
            high *= 2
        return float(brentq(lambda wait: self.beyond(wait) - (1 - share), 0.0, high, xtol=1e-15, rtol=1e-12))
