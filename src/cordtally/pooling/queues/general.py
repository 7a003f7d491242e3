"""Holds that are not exponential, and arrivals that are not a Poisson stream: published approximations by two moments.

Mean waits: Cosmetatos (1976) for constant holds, Kimura (1986) between them and exponential ones, the exact GI/M/c for
arrivals (``bursty``). The wait of those that wait is taken as exponential. How far that is off, was measured with our
own simulation on a grid: `error_bound`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from ...errors import PoolModelError
from .erlang import check_queue, mean_wait, wait_probability
from .waits import WithoutTimeout, check_share


def constant_hold_wait(connections: int, load: float, hold: float) -> float:
    """Approximate the mean wait in seconds with constant holds, M/D/c.

    References
    ----------
    .. [1] G. P. Cosmetatos, "Some approximate equilibrium results for the multi-server queue (M/G/r)", Operational
       Research Quarterly 27 (1976).
    """
    usage = load / connections
    many = (1 - usage) * (connections - 1) * (math.sqrt(4 + 5 * connections) - 2) / (16 * usage * connections)
    return 0.5 * mean_wait(connections, load, hold) * (1 + many)


@dataclass(frozen=True)
class GeneralPool(WithoutTimeout):
    """A pool with arrivals and holds of any distribution, known by their first two moments.

    Parameters
    ----------
    connections : int
        c, at least 1.
    arrivals : float
        Requests per second at this pool, more than 0.
    hold : float
        Mean hold in seconds, more than 0.
    hold_scv : float
        Squared coefficient of variation of the holds: 0 constant, 1 exponential.
    arrival_scv : float
        The same of the gaps between arrivals: 1 for a Poisson stream.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.

    References
    ----------
    .. [1] T. Kimura, "A two-moment approximation for the mean waiting time in the GI/G/s queue", Management Science 32
       (1986).
    """

    connections: int
    arrivals: float
    hold: float
    hold_scv: float = 1.0
    arrival_scv: float = 1.0

    def __post_init__(self) -> None:
        """Refuse numbers that cannot be meant."""
        check_queue(self.connections, self.arrivals * self.hold)
        for name, value in (("hold", self.hold_scv), ("arrivals", self.arrival_scv)):
            if not (math.isfinite(value) and value >= 0):
                raise PoolModelError(f"the variability of the {name} must be a finite number, 0 or more")

    @property
    def erlangs(self) -> float:
        """Connections in use on average, if there are enough."""
        return self.arrivals * self.hold

    @cached_property
    def _arriving(self) -> tuple[float, float]:
        """Chance of waiting and mean wait with these arrivals and exponential holds."""
        if self.arrival_scv == 1:
            return (
                wait_probability(self.connections, self.erlangs),
                mean_wait(self.connections, self.erlangs, self.hold),
            )
        from .bursty import BurstyPool, renewal_stream

        pool = BurstyPool(self.connections, renewal_stream(self.arrivals, self.arrival_scv), self.hold)
        return pool.wait_share, pool.mean

    @property
    def wait_share(self) -> float:
        """Share of the requests that find no free connection, as with exponential holds."""
        return self._arriving[0] if self.stable else 1.0

    @cached_property
    def mean(self) -> float:
        """Mean wait in seconds."""
        if not self.stable:
            return math.inf
        exponential = mean_wait(self.connections, self.erlangs, self.hold)
        if exponential == 0:
            return 0.0
        constant = constant_hold_wait(self.connections, self.erlangs, self.hold)
        scale = (1 - self.hold_scv) * exponential / constant + 2 * self.hold_scv  # from 1 up, as constant ≥ half
        return self._arriving[1] * (1 + self.hold_scv) / scale

    def quantile(self, share: float) -> float:
        """The wait that this share of the requests does not exceed.

        Raises
        ------
        PoolModelError
            For a share that is not between 0 and 1.
        """
        check_share(share)
        if not self.stable:
            return math.inf
        if self.wait_share <= 1 - share:
            return 0.0
        return self.mean / self.wait_share * math.log(self.wait_share / (1 - share))
