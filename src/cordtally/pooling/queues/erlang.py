"""The multi-server queue M/M/c, exactly: chance of waiting, waits, quantiles, computed without overflow.

Symbols: ``connections`` c; ``load`` a = arrivals per second × mean hold in seconds, in erlangs; ``hold`` the mean hold.
Source: A. K. Erlang (1917); D. L. Jagerman, Bell System Technical Journal 53 (1974), for the recursion; checked against
60-digit arithmetic in the tests. Choosing a size is left to ``sizing``.
"""

from __future__ import annotations

import math

from ...errors import PoolModelError

_LARGEST = 1_000_000


def check_queue(connections: int, load: float) -> None:
    """Refuse numbers that no queue can have.

    Raises
    ------
    PoolModelError
        A count that is not a whole number from 1 to 1,000,000, or a load that is negative or not finite.
    """
    if not 1 <= connections <= _LARGEST or connections != int(connections):
        raise PoolModelError(f"connections must be a whole number from 1 to {_LARGEST:,}")
    if not (math.isfinite(load) and load >= 0):
        raise PoolModelError("the load must be a finite number of erlangs, 0 or more")


def blocking(connections: int, load: float) -> float:
    """Chance that all connections are busy in a system without waiting (Erlang B).

    Parameters
    ----------
    connections : int
        At least 1.
    load : float
        Offered load in erlangs, at least 0; may exceed ``connections``.

    Returns
    -------
    float
        From 0 to 1.

    Raises
    ------
    PoolModelError
        As `check_queue`.

    References
    ----------
    .. [1] D. L. Jagerman, "Some properties of the Erlang loss function", Bell System Technical Journal 53 (1974):
       B(0) = 1, B(k) = a·B(k−1) / (k + a·B(k−1)).
    """
    check_queue(connections, load)
    share = 1.0
    for servers in range(1, connections + 1):
        share = load * share / (servers + load * share)
        if share == 0.0:
            break
    return share


def wait_probability(connections: int, load: float) -> float:
    """Chance that a request finds every connection busy and waits (Erlang C).

    Exactly 1 where ``load >= connections``: the queue then grows without end.

    Parameters
    ----------
    connections : int
        c, 1 or more.
    load : float
        a = λ·S, the connections in use on average were there enough: arrivals per second times hold in seconds.

    Raises
    ------
    PoolModelError
        As `check_queue`.

    References
    ----------
    .. [1] D. Gross et al., *Fundamentals of Queueing Theory*, 4th ed., Wiley, 2008, section 2.3:
       C = B / (1 − ρ·(1 − B)), with ρ = a/c.

    Examples
    --------
    >>> round(wait_probability(6, 4.2), 6)
    0.335978
    """
    check_queue(connections, load)
    if load >= connections:
        return 1.0
    share = blocking(connections, load)
    return share / (1 - load / connections * (1 - share))


def mean_wait(connections: int, load: float, hold: float) -> float:
    """Mean wait for a connection in seconds, over all requests, those that wait not at all included.

    Infinite where ``load >= connections``.

    Parameters
    ----------
    connections : int
        c, 1 or more.
    load : float
        a = λ·S, in connections.
    hold : float
        S, the mean hold in seconds.

    Raises
    ------
    PoolModelError
        As `check_queue`, and for a hold that is not positive.

    References
    ----------
    .. [1] Gross et al., section 2.3: E W = C / (cμ − λ) = C·S / (c − a).
    """
    _check_hold(hold)
    busy = wait_probability(connections, load)
    return math.inf if load >= connections else busy * hold / (connections - load)


def wait_quantile(connections: int, load: float, hold: float, quantile: float) -> float:
    """The wait in seconds that the share ``quantile`` of all requests does not exceed; 0 if so many do not wait.

    Parameters
    ----------
    connections : int
        c, 1 or more.
    load : float
        a = λ·S, in connections.
    hold : float
        S, the mean hold in seconds.
    quantile : float
        Between 0 and 1: 0.99 for p99.

    Raises
    ------
    PoolModelError
        As `mean_wait`, and for a quantile that is not between 0 and 1.

    References
    ----------
    .. [1] Gross et al., section 2.3: P(W > t) = C·exp(−(cμ − λ)·t), hence t_p = ln(C / (1 − p)) / (cμ − λ).
    """
    _check_hold(hold)
    if not 0 < quantile < 1:
        raise PoolModelError("a quantile lies between 0 and 1: 0.99 for p99")
    busy = wait_probability(connections, load)
    if load >= connections:
        return math.inf
    if busy <= 1 - quantile:
        return 0.0
    return math.log(busy / (1 - quantile)) * hold / (connections - load)


def _check_hold(hold: float) -> None:
    if not (math.isfinite(hold) and hold > 0):
        raise PoolModelError("the hold time must be a finite number of seconds, more than 0")
