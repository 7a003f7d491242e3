"""What every queue answers about a pool of one size; how to compute it is left to the queues."""

from __future__ import annotations

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
        ...


def check_share(share: float) -> None:
    """Refuse what is no quantile.

    Raises
    ------
    PoolModelError
        For a share that is not between 0 and 1.
    """
    if not 0 < share < 1:
        raise PoolModelError("a quantile lies between 0 and 1: 0.99 for p99")
