"""An open pool, with or without an acquire timeout: M/M/c+D and M/M/c exactly, and queues whose waits decay alike.

Requests wait in order of arrival; each gives up after the same time τ. Relative to the chance that some connection is
free, waits below τ have the density F·e^(−δt), and those who give up the weight F·e^(−δτ)·L. Requests that arrive as a
Poisson stream with connections that come back at one rate R while all are in use have δ = R − λ, L = 1/R, and F = λ·b,
with b the chance that, given some connection is free, just one is: exact for M/M/c+D (b = Erlang B of c − 1, R = c/S)
and for pools whose holds lengthen with the number in use (``contention``). Others have such waits by approximation
(``general``).

Source: F. Baccelli and G. Hebuterne, "On queues with impatient customers", Performance '81; S. Zeltyn and
A. Mandelbaum, Queueing Systems 51 (2005). Checked against 60-digit arithmetic in the tests.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from ...errors import PoolModelError
from .erlang import blocking, check_queue
from .waits import check_share

_SERIES_BELOW = 0.01
_SERIES_TERMS = 12


@dataclass(frozen=True)
class OpenPool:
    """A pool of ``connections`` before which requests queue.

    Parameters
    ----------
    connections : int
        c, at least 1.
    arrivals : float
        Requests per second at this pool.
    flow : float
        F: density of the shortest waits, relative to the chance that some connection is free, per second.
    drift : float
        δ: decay of the density of the waits, per second; 0 or less where more comes in than can be served.
    leaving : float
        L: seconds; what of the density at τ gives up.
    timeout : float
        τ: seconds after which a waiting request gives up; infinite if none does.
    mean_hold : float
        Mean hold in seconds, as the requests see it.
    """

    connections: int
    arrivals: float
    flow: float
    drift: float
    leaving: float
    timeout: float
    mean_hold: float

    @cached_property
    def _parts(self) -> tuple[float, float, float]:
        """Weights of: some connection free; waiting and served in time; giving up. Scaled so that none overflows."""
        if math.isinf(self.timeout):
            return 1.0, (self.flow / self.drift if self.drift > 0 else math.inf if self.flow else 0.0), 0.0
        x = self.drift * self.timeout
        if x >= 0:
            return 1.0, self.flow * self.timeout * _rise(x), self.flow * math.exp(-x) * self.leaving
        return math.exp(x), self.flow * self.timeout * _rise(-x), self.flow * self.leaving

    @cached_property
    def _total(self) -> float:
        return sum(self._parts)

    @property
    def stable(self) -> bool:
        """Whether there is a steady state: always with a timeout, else only below capacity."""
        return math.isfinite(self._total)

    @property
    def wait_share(self) -> float:
        """Share of the requests that find no free connection."""
        _, waiting, leaving = self._parts
        return (waiting + leaving) / self._total if self.stable else 1.0

    @property
    def timeout_share(self) -> float:
        """Share of the requests that give up."""
        return self._parts[2] / self._total if self.stable else 0.0

    @property
    def served_share(self) -> float:
        """Share of the requests that get a connection, to full precision where it is small."""
        return (self._parts[0] + self._parts[1]) / self._total if self.stable else 1.0

    @property
    def hold(self) -> float:
        """Mean hold in seconds."""
        return self.mean_hold

    @property
    def utilisation(self) -> float:
        """Share of the connections in use on average: what is served per second, times the hold, over c."""
        return min(1.0, self.arrivals * self.served_share * self.mean_hold / self.connections)

    @cached_property
    def served_mean(self) -> float:
        """Mean wait of the requests that get a connection."""
        if not self.stable:
            return math.inf
        free, waiting, _ = self._parts
        return self.flow * self._moment() / (free + waiting)

    @property
    def mean(self) -> float:
        """Mean wait of all requests, with τ for those that give up."""
        lost = self.timeout * self.timeout_share if self.timeout_share else 0.0
        return self.served_share * self.served_mean + lost

    def _moment(self) -> float:
        """∫ t·e^(−δt) dt from 0 to τ, times the scale of `_parts`."""
        if math.isinf(self.timeout):
            return 1 / self.drift**2
        x = self.drift * self.timeout
        if abs(x) < _SERIES_BELOW:
            series = sum((-x) ** j / (math.factorial(j) * (j + 2)) for j in range(_SERIES_TERMS))
            return self.timeout**2 * series * (math.exp(x) if x < 0 else 1.0)
        return (-math.expm1(-x) - x * math.exp(-x) if x > 0 else math.expm1(x) - x) / self.drift**2

    def quantile(self, share: float) -> float:
        """The wait that this share of all requests does not exceed, those that give up included.

        Parameters
        ----------
        share : float
            Between 0 and 1: 0.99 for p99.

        Returns
        -------
        float
            Seconds; infinite for a pool that cannot keep up and whose requests never give up.

        Raises
        ------
        PoolModelError
            For a share that is not between 0 and 1.
        """
        check_share(share)
        if not self.stable:
            return math.inf
        free, _, _ = self._parts
        beyond = self.wait_share / (1 - share)
        if beyond <= 1:
            return 0.0
        if 1 - share <= self.timeout_share:
            return self.timeout
        drift = self.drift
        if math.isinf(self.timeout):
            return math.log(beyond) / drift
        # the share served within t is (free + flow·∫₀ᵗ e^(−δv) dv) / total; the scale e^x stands in all of them
        scale = math.exp(drift * self.timeout) if drift < 0 else 1.0
        area = (share * self._total - free) / (self.flow * scale) if scale else math.inf
        if math.isinf(area) or math.isinf(drift * area):
            # so far beyond capacity that e^(−δt) overflows: the 1 beside it counts for nothing, and the scale cancels
            return self.timeout + math.log(share * self._total / self._parts[1]) / -drift
        wait = -math.log1p(-drift * area) / drift if abs(drift * area) > 1e-12 else area
        return min(max(wait, 0.0), self.timeout)


def _rise(x: float) -> float:
    """(1 − e^(−x)) / x for x ≥ 0."""
    return -math.expm1(-x) / x if x else 1.0


def patient_pool(connections: int, arrivals: float, hold: float, timeout: float = math.inf) -> OpenPool:
    """Make M/M/c+D, or M/M/c without a timeout.

    Parameters
    ----------
    connections : int
        Connections in the pool, at least 1.
    arrivals : float
        Requests per second, more than 0.
    hold : float
        Mean hold in seconds, more than 0; holds are exponential.
    timeout : float
        Acquire timeout in seconds, more than 0, the same for all; infinite if there is none.

    Returns
    -------
    OpenPool
        Stable with a timeout at any load; the requests beyond capacity give up.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.
    """
    load = arrivals * hold
    check_queue(connections, load)
    if not timeout > 0:
        raise PoolModelError("the acquire timeout must be more than 0 s")
    below = blocking(connections - 1, load) if connections > 1 else 1.0
    rate = connections / hold
    return OpenPool(connections, arrivals, arrivals * below, rate - arrivals, 1 / rate, timeout, hold)
