"""Draws what a load consists of: when requests come, and how long they hold; from a description or from samples."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ...errors import PoolModelError, quoted

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

SHAPES = ("exponential", "constant", "gamma", "lognormal", "two-exponentials", "samples")


@dataclass(frozen=True)
class Spread:
    """A distribution of times, by its mean in seconds, its coefficient of variation, and its shape; or by samples.

    Without a shape: constant at 0, gamma below 1, exponential at 1, lognormal above.

    Parameters
    ----------
    mean : float
        Seconds, 0 or more.
    cv : float
        Standard deviation over mean, 0 or more.
    shape : str, optional
        One of `SHAPES`.
    samples : numpy.ndarray, optional
        Times in seconds to draw from, in place of the rest.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.
    """

    mean: float
    cv: float = 1.0
    shape: str | None = None
    samples: Array | None = None

    def __post_init__(self) -> None:
        """Refuse what cannot be meant."""
        if not (math.isfinite(self.mean) and self.mean >= 0 and math.isfinite(self.cv) and self.cv >= 0):
            raise PoolModelError("a time needs a mean and a coefficient of variation that are finite and 0 or more")
        if self.shape is not None and self.shape not in SHAPES:
            raise PoolModelError(f"there is no shape {quoted(self.shape)}; there are " + ", ".join(SHAPES))
        if self.shape == "two-exponentials" and self.cv < 1:
            raise PoolModelError("two exponentials vary by 1 or more; gamma varies less")

    @classmethod
    def of(cls, samples: Array) -> Spread:
        """Make the empirical distribution of samples.

        Parameters
        ----------
        samples : ndarray, shape (n,)
            Seconds.
        """
        values = np.asarray(samples, dtype=float)
        if len(values) == 0 or not np.isfinite(values).all() or (values < 0).any():
            raise PoolModelError("samples must be times of 0 s or more, at least one")
        mean = float(values.mean())
        return cls(mean, float(values.std() / mean) if mean > 0 else 0.0, "samples", values)

    def draw(self, rng: np.random.Generator, count: int) -> Array:
        """Draw times in seconds, shape (count,).

        Parameters
        ----------
        rng : numpy.random.Generator
            The source of random numbers.
        count : int
            How many.
        """
        if self.samples is not None:
            chosen: Array = rng.choice(self.samples, count)
            return chosen
        shape = self.shape or _usual(self.cv)
        if self.mean == 0 or shape == "constant" or self.cv == 0:
            return np.full(count, self.mean)
        if shape == "exponential":
            return rng.exponential(self.mean, count)
        scv = self.cv**2
        if shape == "gamma":
            return rng.gamma(1 / scv, self.mean * scv, count)
        if shape == "lognormal":
            width = math.log1p(scv)
            return rng.lognormal(math.log(self.mean) - width / 2, math.sqrt(width), count)
        first = 0.5 * (1 + math.sqrt((scv - 1) / (scv + 1)))
        chosen = np.where(rng.random(count) < first, first, 1 - first)
        return rng.exponential(1.0, count) * self.mean / (2 * chosen)


def _usual(cv: float) -> str:
    return "constant" if cv == 0 else "gamma" if cv < 1 else "exponential" if cv == 1 else "lognormal"


@dataclass(frozen=True)
class Burst:
    """A time during which requests come ``factor`` times as often; ``at`` and ``lasts`` in seconds."""

    at: float
    lasts: float
    factor: float

    def __post_init__(self) -> None:
        """Refuse what cannot be meant."""
        if not (self.at >= 0 and self.lasts > 0 and math.isfinite(self.factor) and self.factor >= 0):
            raise PoolModelError("a burst begins at 0 s or later, lasts more than 0 s, and has a factor of 0 or more")


def draw_arrivals(
    rng: np.random.Generator, rate: float, end: float, *, cv: float = 1.0, bursts: tuple[Burst, ...] = ()
) -> Array:
    """Draw the instants at which requests come, from 0 to ``end`` seconds.

    Gaps are independent, with the given mean rate (per second) and coefficient of variation; during a burst the clock
    that they are measured with runs faster, so its edges cut no gap short.

    Parameters
    ----------
    rng : numpy.random.Generator
        The source of random numbers.
    rate : float
        Per second.
    end : float
        Seconds.
    cv : float
        Standard deviation of the gaps over their mean; 1 for a Poisson process.
    bursts : sequence of Burst
        Times in seconds in which the rate is a multiple.
    """
    edges = sorted({0.0, end, *(t for b in bursts for t in (b.at, b.at + b.lasts) if t < end)})
    speeds = [math.prod(b.factor for b in bursts if b.at <= start < b.at + b.lasts) for start in edges[:-1]]
    inner = np.concatenate(([0.0], np.cumsum(np.diff(edges) * speeds)))
    expected = rate * inner[-1]
    gap = Spread(1.0, cv, None if cv <= 1 else "two-exponentials")
    count = int(expected + 6 * max(cv, 0.1) * math.sqrt(expected) + 20)
    times = np.cumsum(gap.draw(rng, count))
    while times[-1] < expected:
        times = np.concatenate((times, times[-1] + np.cumsum(gap.draw(rng, max(20, count // 10)))))
    times = times[: int(np.searchsorted(times, expected))]
    times /= rate
    answer: Array = times if not bursts else np.interp(times, inner, np.array(edges))
    return answer
