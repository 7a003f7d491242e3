"""Holds that are not exponential, and gaps that are not those of a Poisson stream: approximations by two moments.

Where only the gaps vary, GI/M/c (``renewal``) is exact without a timeout. Holds stretch its waits: by Kimura (1986)
with Cosmetatos (1976) for constant holds; gaps more variable than Poisson add their own wait to that. The wait of those
that wait is taken as exponential, and those who give up are found from it as Boots and Tijms (1999) do, which continues
beyond capacity. How far that is off, was measured with our own simulation on a grid: ``error_bound``.
"""

from __future__ import annotations

import math

from ...errors import PoolModelError
from .erlang import blocking, check_queue
from .patience import OpenPool
from .renewal import MOST_REGULAR, decay, gaps_of, waiting_flow

_AT_CAPACITY = 1e-9


def constant_hold_ratio(connections: int, usage: float) -> float:
    """Approximate the mean wait with constant holds over that with exponential ones: M/D/c over M/M/c.

    Parameters
    ----------
    connections : int
        c, 1 or more.
    usage : float
        ρ = a/c, from 0 to 1.

    References
    ----------
    .. [1] G. P. Cosmetatos, "Some approximate equilibrium results for the multi-server queue (M/G/r)", Operational
       Research Quarterly 27 (1976). Never above 1, nor below ½, its limit at capacity.
    """
    many = (1 - usage) * (connections - 1) * (math.sqrt(4 + 5 * connections) - 2) / (16 * usage * connections)
    return min(1.0, 0.5 * (1 + max(0.0, many)))


def general_pool(  # noqa: PLR0917 -- symbols of a formula
    connections: int, arrivals: float, hold: float, hold_scv: float = 1.0, arrival_scv: float = 1.0,
    timeout: float = math.inf,
) -> OpenPool:  # fmt: skip
    """Make a pool with arrivals and holds of any distribution, known by their first two moments.

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
        The same of the gaps between arrivals: 1 for a Poisson stream. Below 1/40 they are taken as 1/40.
    timeout : float
        Acquire timeout in seconds, more than 0, the same for all; infinite if there is none.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.

    References
    ----------
    .. [1] T. Kimura, "A two-moment approximation for the mean waiting time in the GI/G/s queue", Management Science 32
       (1986), with the exact GI/M/s in place of an interpolation.
    .. [2] N. K. Boots and H. Tijms, "A multiserver queueing system with impatient customers", Management Science 45
       (1999): the share that gives up is (1 − ρ)·T / (1 − ρ·T), with T the share that would wait longer than τ.
    """
    check_queue(connections, arrivals * hold)
    for name, value in (("hold", hold_scv), ("arrivals", arrival_scv)):
        if not (math.isfinite(value) and value >= 0):
            raise PoolModelError(f"the variability of the {name} must be a finite number, 0 or more")
    if not timeout > 0:
        raise PoolModelError("the acquire timeout must be more than 0 s")
    usage, full = arrivals * hold / connections, connections / hold
    below = blocking(connections - 1, arrivals * hold) if connections > 1 else 1.0
    flow, drift, leaving = arrivals * below, full - arrivals, 1 / full
    ratio = 1.0  # mean wait with such gaps over that of a Poisson stream
    if arrival_scv != 1:
        gaps = gaps_of(arrivals, arrival_scv)
        eta = decay(gaps, full)
        varied = waiting_flow(gaps, connections, hold, eta)
        if flow and varied and usage < 1 - _AT_CAPACITY:
            ratio = (varied / (eta * (eta + varied))) / (flow / (drift * (drift + flow)))
        else:
            ratio = 0.5 * (1 + arrival_scv)
        flow, drift, leaving = varied, eta, arrivals * gaps.bend(eta)
    longer = _stretch(connections, usage, hold_scv, max(arrival_scv, MOST_REGULAR), ratio)
    return OpenPool(connections, arrivals, flow / longer, drift / longer, leaving * longer, timeout, hold)


def _stretch(connections: int, usage: float, hold_scv: float, arrival_scv: float, ratio: float) -> float:
    """How much longer those that wait do so than with exponential holds; ``ratio`` as above."""
    if hold_scv == 1:
        return 1.0
    if usage >= 1 - _AT_CAPACITY:
        return (arrival_scv + hold_scv) / (arrival_scv + 1)
    scale = (1 - hold_scv) / constant_hold_ratio(connections, usage) + 2 * hold_scv
    if arrival_scv <= 1:
        return (arrival_scv + hold_scv) / (1 + arrival_scv + ratio * (scale - 2))
    return 1 + ((1 + hold_scv) / scale - 1) / ratio
