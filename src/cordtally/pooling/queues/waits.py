"""What every queue answers about a pool of one size; how to compute it is left to the queues."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from ...errors import PoolModelError


class Waits(Protocol):
    """Waits for a connection over all requests, those that wait not at all included; times in seconds, shares 0 to 1.

    A request that gives up has waited its whole acquire timeout.
    """

    @property
    def wait_share(self) -> float:
        """Share of the requests that find no free connection."""
        ...

    @property
    def timeout_share(self) -> float:
        """Share of the requests that give up."""
        ...

    @property
    def mean(self) -> float:
        """Mean wait."""
        ...

    @property
    def utilisation(self) -> float:
        """Share of the pool's connections that are in use on average."""
        ...

    @property
    def hold(self) -> float:
        """Mean hold, stretched by contention where the queue knows any."""
        ...

    def quantile(self, share: float) -> float:
        """The wait that this share of the requests does not exceed."""
        ...


class WithoutTimeout:
    """What is common to queues before which nobody gives up; they know ``connections`` and ``erlangs``."""

    connections: int

    @property
    def erlangs(self) -> float:
        """Connections in use on average, if there are enough."""
        raise NotImplementedError

    @property
    def stable(self) -> bool:
        """Whether the load is below the number of connections."""
        return self.erlangs < self.connections

    @property
    def timeout_share(self) -> float:
        """Nobody gives up here."""
        return 0.0

    @property
    def utilisation(self) -> float:
        """Share of the connections in use on average."""
        return min(1.0, self.erlangs / self.connections)


def check_share(share: float) -> None:
    """Refuse what is no quantile.

    Raises
    ------
    PoolModelError
        For a share that is not between 0 and 1.
    """
    if not 0 < share < 1:
        raise PoolModelError("a quantile lies between 0 and 1: 0.99 for p99")


def invert_tail(beyond: Callable[[float], float], share: float, scale: float) -> float:
    """The wait (s) that this share does not exceed, by the share that waits longer; the search begins at ``scale``."""
    from scipy.optimize import brentq

    high = scale
    while beyond(high) > 1 - share:
        high *= 2
    return float(brentq(lambda wait: beyond(wait) - (1 - share), 0.0, high, xtol=1e-15, rtol=1e-12))
