"""Independent gaps between requests that vary more or less than those of a Poisson stream, before exponential holds.

GI/M/c exactly, for gaps that are a mixture of Erlang distributions. With A*(θ) the Laplace transform of a gap, waits of
those that wait are exponential with decay η, the root of cμ·(1 − A*(η)) = η; how many wait is L. Takács' sum, all of
whose terms are positive. Both hold beyond capacity, too, where η is negative and a timeout ends the waits.

Source: L. Takács, *Introduction to the Theory of Queues*, 1962, chapter 2; D. Gross et al., *Fundamentals of Queueing
Theory*, 4th ed., 2008, section 5.3.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from ...errors import PoolModelError

MOST_REGULAR = 1 / 40
_NOBODY, _NO_MORE = 1e250, 1e-20


@dataclass(frozen=True)
class Gaps:
    """Gaps between requests: with some chance each, a number of exponential phases at a rate per second."""

    mixture: tuple[tuple[float, int, float], ...]

    @property
    def mean(self) -> float:
        """Mean gap in seconds."""
        return sum(chance * phases / speed for chance, phases, speed in self.mixture)

    def transform(self, theta: float) -> float:
        """A*(θ), for any θ above minus the slowest phase."""
        return sum(chance * (speed / (speed + theta)) ** phases for chance, phases, speed in self.mixture)

    def slope(self, one: float, other: float) -> float:
        """Minus the divided difference of A* at two points, to full precision however close they are."""
        total = 0.0
        for chance, phases, speed in self.mixture:
            u, v = speed / (speed + one), speed / (speed + other)
            total += chance * u * v / speed * sum(u**i * v ** (phases - 1 - i) for i in range(phases))
        return total

    def bend(self, theta: float) -> float:
        """(A*(θ) − 1 + θ·mean) / θ², to full precision at 0, too."""
        total = 0.0
        for chance, phases, speed in self.mixture:
            u, inner = speed / (speed + theta), 0.0
            power = so_far = 1.0
            for _ in range(phases):
                inner += so_far
                power *= u
                so_far += power
            total += chance * inner / (speed * (speed + theta))
        return total


def gaps_of(rate: float, variability: float) -> Gaps:
    """Make gaps of a given mean and squared coefficient of variation.

    Two exponentials with balanced means from 1 up; a mixture of two Erlang distributions that share their rate below 1
    (H. C. Tijms, *A First Course in Stochastic Models*, 2003, appendix B), with at most 40 phases: more regular gaps
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
    if not (math.isfinite(rate) and rate > 0 and math.isfinite(variability) and variability >= 0):
        raise PoolModelError("arrivals need a rate above 0 and a variability of 0 or more")
    if variability >= 1:
        first = 0.5 * (1 + math.sqrt((variability - 1) / (variability + 1)))
        return Gaps(((first, 1, 2 * rate * first), (1 - first, 1, 2 * rate * (1 - first))))
    scv = max(variability, MOST_REGULAR)
    phases = max(2, math.ceil(1 / scv - 1e-9))
    short = (phases * scv - math.sqrt(max(0.0, phases * (1 + scv) - phases**2 * scv))) / (1 + scv)
    speed = (phases - short) * rate
    return Gaps(((short, phases - 1, speed), (1 - short, phases, speed)))


def decay(gaps: Gaps, full: float) -> float:
    """η: decay per second of the waits when ``full`` connections come back per second while all are in use.

    Newton's steps towards the root of a convex, falling function, from the left; 0 at capacity, negative beyond.

    Parameters
    ----------
    gaps : Gaps
        The distribution of the times between arrivals, in seconds.
    full : float
        Returns per second while all connections are in use: c/S.
    """
    spare = full * gaps.mean - 1
    slowest = min(speed for _, _, speed in gaps.mixture)

    def rest(theta: float) -> float:
        return spare - full * theta * gaps.bend(theta)  # = full·(1 − A*(θ))/θ − 1

    theta = 0.0 if spare >= 0 else -0.5 * slowest
    while rest(theta) < 0:
        theta = 0.5 * (theta - slowest)
    for _ in range(200):
        left = rest(theta)
        if theta:
            fall = (1 - gaps.transform(theta)) / theta - gaps.slope(theta, theta)
            step = left * theta / (full * fall) if fall else 0.0
        else:
            step = left / (full * gaps.bend(0.0))
        theta += step
        if abs(step) <= 1e-15 * abs(theta):
            break
    return theta


def waiting_flow(gaps: Gaps, connections: int, hold: float, eta: float) -> float:
    """Density of the shortest waits, per second, relative to the chance of a free connection; 0 if below 1e-250.

    Parameters
    ----------
    gaps : Gaps
        The distribution of the times between arrivals, in seconds.
    connections : int
        c, 1 or more.
    hold : float
        S, the mean hold in seconds.
    eta : float
        Per second, as `decay` gives it.
    """
    mu = 1 / hold
    root = eta * hold  # c·(1 − σ)
    term, total = 1.0, 0.0
    for j in range(1, connections + 1):
        seen = gaps.transform(j * mu)
        if seen == 0 or term > _NOBODY:
            return 0.0
        term *= (connections - j + 1) / j * (1 - seen) / seen
        apart = root - j
        if abs(apart) > 1e-3 * j:
            share = (connections * (1 - seen) - j) / apart
        else:
            share = 1 - connections * mu * gaps.slope(eta, j * mu)
        total += term / (1 - seen) * share
        if term < _NO_MORE * total:
            break  # terms rise at first and fall then
    return connections * mu / total
