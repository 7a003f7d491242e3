"""How a server slows with the number of connections active on it, and a pool on such a server.

The law: with n active, n connections do the work of n / (1 + α(n−1) + βn(n−1)); α is what must be done one at a time, β
what each has to settle with every other. Source: N. J. Gunther, *Guerrilla Capacity Planning*, Springer, 2007
(Universal Scalability Law). The number is that of all clients together: a pool alone cannot see the others.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeVar

from ...errors import PoolModelError
from .erlang import check_queue
from .patience import OpenPool

Number = TypeVar("Number")
_ROUNDS = 200


@dataclass(frozen=True, slots=True)
class Contention:
    """Coefficients of the scalability law: ``alpha`` from 0 to 1, ``beta`` 0 or more.

    Raises
    ------
    PoolModelError
        For anything else.
    """

    alpha: float = 0.0
    beta: float = 0.0

    def __post_init__(self) -> None:
        """Refuse coefficients outside their range."""
        if not 0 <= self.alpha <= 1:
            raise PoolModelError("alpha, the share that is done one at a time, must be from 0 to 1")
        if not (math.isfinite(self.beta) and self.beta >= 0):
            raise PoolModelError("beta, the cost of agreeing with each other connection, must be 0 or more")

    def stretch(self, active: Number) -> Number:
        """How much longer a hold takes with this many active (at least 1); takes numbers and NumPy arrays.

        Parameters
        ----------
        active : float or ndarray
            Connections at work at once, 1 or more.

        References
        ----------
        .. [1] N. J. Gunther, *Guerrilla Capacity Planning*, Springer, 2007, chapter 4:
           C(N) = N / (1 + α·(N − 1) + β·N·(N − 1)).
        """
        n: float = active  # type: ignore[assignment]
        return 1 + self.alpha * (n - 1) + self.beta * n * (n - 1)  # type: ignore[return-value]

    def capacity(self, active: float) -> float:
        """Work done by this many active connections, in connections that work alone.

        Parameters
        ----------
        active : float
            Connections at work at once, 1 or more.

        References
        ----------
        .. [1] As for `stretch`: C(N) is the capacity relative to one that works alone.
        """
        return active / self.stretch(active)

    @property
    def peak(self) -> int | None:
        """The number active that does the most work; None where more always do more (β = 0 and α < 1)."""
        if self.alpha >= 1:
            return 1
        if self.beta == 0:
            return None
        below = max(1, math.floor(math.sqrt((1 - self.alpha) / self.beta)))
        return max(below, below + 1, key=self.capacity)

    def __bool__(self) -> bool:
        return self.alpha > 0 or self.beta > 0


NO_CONTENTION = Contention()


def crowded_pool(
    connections: int, arrivals: float, hold: float, contention: Contention, *, timeout: float = math.inf,
    instances: int = 1,
) -> OpenPool:  # fmt: skip
    """Make a pool on a server that slows with the number active.

    Parameters
    ----------
    connections : int
        Connections of one instance's pool.
    arrivals : float
        Requests per second at one instance.
    hold : float
        Mean hold in seconds with nothing else active, exponential.
    contention : Contention
        The server's coefficients.
    timeout : float
        Acquire timeout in seconds; infinite if there is none.
    instances : int
        Instances alike. Exact for 1; the others are taken as their mean number of active connections (a mean-field
        approximation, found by fixed point; compare `pool replay`).

    Returns
    -------
    OpenPool
        Not ``stable`` where the server cannot do the work.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.

    References
    ----------
    .. [1] Birth–death equations with state-dependent rates; the wait behind c busy connections as in ``patience``.
    """
    check_queue(connections, arrivals * hold)
    others = 0.0
    most = float(connections * (instances - 1))
    pool = _solve(connections, arrivals, hold, contention, timeout, others)
    for _ in range(_ROUNDS if instances > 1 else 0):
        found = (instances - 1) * _in_use(pool)
        found = min(found, most)
        if abs(found - others) <= 1e-10 * max(1.0, others):
            break
        others = 0.5 * (others + found)
        pool = _solve(connections, arrivals, hold, contention, timeout, others)
    return pool


def _in_use(pool: OpenPool) -> float:
    return pool.utilisation * pool.connections if pool.stable else float(pool.connections)


def _solve(  # noqa: PLR0917 -- symbols of a formula
    c: int, arrivals: float, hold: float, law: Contention, timeout: float, others: float
) -> OpenPool:
    """Sum the birth–death weights below c, each scaled by the last, so that none overflows."""

    def rate(n: int) -> float:
        return n / (hold * law.stretch(n + others))

    total, used = 1.0, 0.0  # of all states up to n, in units of the weight of n
    for n in range(1, c):
        step = arrivals / rate(n)
        total = 1 + total / step
        used = n + used / step
    full, flow = rate(c), arrivals / total

    def behind(seen_hold: float) -> OpenPool:
        return OpenPool(c, arrivals, flow, full - arrivals, 1 / full, timeout, seen_hold)

    pool = behind(c / full)
    if not pool.stable:
        return pool
    free_share = 1 - pool.wait_share
    in_use = free_share * used / total + (1 - free_share) * c
    return behind(in_use / (arrivals * pool.served_share))
