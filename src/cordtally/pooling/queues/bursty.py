"""Arrivals that are not a Poisson stream, before exponential holds, exactly: PH/M/c and MMPP/M/c.

The stream is a chain of a few phases; some of its steps bring a request. With the number of requests it is a
quasi-birth–death process: geometric at c and above, solved backwards below. Source: M. F. Neuts, *Matrix-Geometric
Solutions in Stochastic Models*, 1981; G. Latouche and V. Ramaswami, J. Appl. Prob. 30 (1993), for the rate matrix.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ...errors import MissingExtra, PoolModelError
from .erlang import check_queue
from .waits import WithoutTimeout, check_share, invert_tail

if TYPE_CHECKING:
    import numpy as np

    Matrix = np.ndarray[tuple[int, int], np.dtype[np.float64]]

_MOST_PHASES = 40


@dataclass(frozen=True, eq=False)
class Stream:
    """Arrivals from a chain of phases: ``quiet`` holds the rates of steps without a request, ``bringing`` those with.

    Both are square; their sum has rows that add up to 0 (rates per second).
    """

    quiet: Matrix
    bringing: Matrix

    @property
    def rate(self) -> float:
        """Requests per second."""
        return float((_stationary(self.quiet + self.bringing) @ self.bringing).sum())


def _numpy() -> None:
    try:
        import numpy  # noqa: F401
    except ImportError:
        raise MissingExtra("NumPy", "pool", "a queue with bursts") from None


def renewal_stream(rate: float, variability: float) -> Stream:
    """Make independent gaps of a given mean and squared coefficient of variation.

    Two exponentials with balanced means above 1; a mixture of two Erlang distributions that share their rate below 1
    (H. C. Tijms, *A First Course in Stochastic Models*, 2003, appendix B), with at most 40 phases: more regular streams
    are taken to be as regular as that.

    Parameters
    ----------
    rate : float
        Requests per second, more than 0.
    variability : float
        Squared coefficient of variation of the gaps, 0 or more; 1 is a Poisson stream.

    Raises
    ------
    PoolModelError
        When one of them cannot be meant.
    """
    _numpy()
    import numpy as np

    if not (math.isfinite(rate) and rate > 0 and math.isfinite(variability) and variability >= 0):
        raise PoolModelError("arrivals need a rate above 0 and a variability of 0 or more")
    if variability >= 1:
        first = 0.5 * (1 + math.sqrt((variability - 1) / (variability + 1)))
        shares = np.array([first, 1 - first])
        rates = 2 * rate * shares
        return Stream(-np.diag(rates), np.outer(rates, shares))
    phases = min(_MOST_PHASES, max(2, math.ceil(1 / variability) if variability > 0 else _MOST_PHASES))
    scv = max(variability, 1 / phases)
    short = (phases * scv - math.sqrt(max(0.0, phases * (1 + scv) - phases**2 * scv))) / (1 + scv)
    speed = (phases - short) * rate
    quiet = -speed * np.eye(phases) + speed * np.eye(phases, k=1)
    bringing = np.zeros((phases, phases))
    bringing[-1, 0] = speed
    quiet[-2, -1] = speed * (1 - short)  # the share `short` of the gaps leaves out the last phase
    bringing[-2, 0] += speed * short
    return Stream(quiet, bringing)


def burst_stream(calm: float, burst: float, calm_length: float, burst_length: float) -> Stream:
    """Make a Poisson stream whose rate changes between two values (two-state MMPP), each kept for an exponential time.

    Parameters
    ----------
    calm, burst : float
        Requests per second in either state, 0 or more.
    calm_length, burst_length : float
        Mean seconds in either state, more than 0.
    """
    _numpy()
    import numpy as np

    if min(calm, burst) < 0 or max(calm, burst) <= 0 or min(calm_length, burst_length) <= 0:
        raise PoolModelError("bursts need rates of 0 or more, and lengths above 0 s")
    switch = np.array([[-1 / calm_length, 1 / calm_length], [1 / burst_length, -1 / burst_length]])
    bringing = np.diag([calm, burst]).astype(float)
    return Stream(switch - bringing, bringing)


@dataclass(frozen=True, eq=False)
class BurstyPool(WithoutTimeout):
    """A pool before which such a stream queues; holds are exponential, and nobody gives up.

    Parameters
    ----------
    connections : int
        c, at least 1.
    stream : Stream
        The arrivals.
    hold : float
        Mean hold in seconds, more than 0.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.
    """

    connections: int
    stream: Stream
    hold: float

    def __post_init__(self) -> None:
        """Refuse numbers that cannot be meant."""
        check_queue(self.connections, self.stream.rate * self.hold)

    @cached_property
    def erlangs(self) -> float:
        """Connections in use on average, if there are enough."""
        return self.stream.rate * self.hold

    @cached_property
    def _tail(self) -> tuple[Matrix, Matrix]:
        """What an arrival sees: each mode of the queue with its share of the arrivals, and its decay per level."""
        import numpy as np

        up, quiet = self.stream.bringing, self.stream.quiet
        size, full = len(up), self.connections / self.hold
        unit = np.eye(size)
        ratio = _rate_matrix(up, quiet - full * unit, full * unit)
        below: Any = ratio  # R_n carries level n − 1 to level n
        ratios = []
        for level in range(self.connections - 1, 0, -1):
            inner = quiet - level / self.hold * unit + below * ((level + 1) / self.hold)
            below = np.linalg.solve(-inner.T, up.T).T
            ratios.append(below)
        empty = quiet + below / self.hold if self.connections > 1 else quiet + ratio * full
        start = _stationary(empty)
        levels, row = [start], start
        for step in reversed(ratios):
            row = row @ step
            levels.append(row)
            scale = row.sum()
            if scale > 1e100 or 0 < scale < 1e-100:
                levels = [level / scale for level in levels]
                row = row / scale
        first = row @ ratio  # level c
        seen = up.sum(axis=1)
        rest = np.linalg.solve((unit - ratio).T, first)
        total = sum(float(level @ seen) for level in levels) + float(rest @ seen)
        decay, modes = np.linalg.eig(ratio.T)  # rows of first are combinations of left eigenvectors
        weights = np.linalg.solve(modes, first.astype(modes.dtype)) * (modes * seen[:, None]).sum(axis=0) / total
        return weights, decay

    @cached_property
    def wait_share(self) -> float:
        """Share of the requests that find no free connection."""
        if not self.stable:
            return 1.0
        weights, decay = self._tail
        return min(1.0, float((weights / (1 - decay)).sum().real))

    @cached_property
    def mean(self) -> float:
        """Mean wait in seconds."""
        if not self.stable:
            return math.inf
        weights, decay = self._tail
        return float((weights / (1 - decay) ** 2).sum().real) * self.hold / self.connections

    def beyond(self, wait: float) -> float:
        """Share of the requests that wait longer than ``wait`` seconds: a sum of exponentials."""
        import numpy as np

        weights, decay = self._tail
        full = self.connections / self.hold
        return float((weights / (1 - decay) * np.exp(-full * (1 - decay) * wait)).sum().real)

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
        return invert_tail(self.beyond, share, max(self.mean, self.hold / self.connections))


def _stationary(generator: Matrix) -> Matrix:
    import numpy as np

    size = len(generator)
    system = np.vstack([generator.T, np.ones(size)])
    answer: Matrix = np.linalg.lstsq(system, np.append(np.zeros(size), 1.0), rcond=None)[0]
    return answer


def _rate_matrix(up: Matrix, local: Matrix, down: Matrix) -> Matrix:
    """R of a quasi-birth–death process, by logarithmic reduction."""
    import numpy as np

    unit = np.eye(len(up))
    rise, fall = np.linalg.solve(-local, up), np.linalg.solve(-local, down)
    first, reach = fall, rise
    for _ in range(64):
        both = rise @ fall + fall @ rise
        rise, fall = np.linalg.solve(unit - both, rise @ rise), np.linalg.solve(unit - both, fall @ fall)
        step = reach @ fall
        first = first + step
        reach = reach @ rise
        if np.abs(step).max() < 1e-15:
            break
    answer: Matrix = up @ np.linalg.inv(-(local + up @ first))
    return answer
