"""Fits the scalability law to throughput against concurrency, and says how sure its coefficients and its peak are."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ...errors import PoolModelError
from ..queues.contention import Contention

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

_RESAMPLES = 200


@dataclass(frozen=True, kw_only=True)
class ScalabilityFit:
    """X(N) = γN / (1 + α(N−1) + βN(N−1)); ``gamma`` in requests per second, with the ends of 95 % intervals.

    ``peak`` is the concurrency at which the server does most work, None where the data show none; ``peak_low`` is the
    lower end of its interval in any case. ``error`` is the typical relative distance of the data from the law.
    """

    gamma: float
    gamma_interval: tuple[float, float]
    alpha: float
    alpha_interval: tuple[float, float]
    beta: float
    beta_interval: tuple[float, float]
    peak: float | None
    peak_low: float | None
    most_measured: float
    error: float
    count: int

    @property
    def contention(self) -> Contention:
        """The coefficients for a queue."""
        return Contention(self.alpha, self.beta)

    def throughput(self, concurrency: Array | float) -> Array:
        """The law at these concurrencies, in requests per second.

        Parameters
        ----------
        concurrency : ndarray or float
            Requests at work at once, 1 or more.
        """
        return _law(np.asarray(concurrency, dtype=float), self.gamma, self.alpha, self.beta)

    def to_dict(self) -> dict[str, Any]:
        """Give the fields."""
        return asdict(self)


def fit_scalability(concurrency: Array, throughput: Array, *, seed: int = 1) -> ScalabilityFit:
    """Fit the law.

    Parameters
    ----------
    concurrency : numpy.ndarray
        Active connections over all clients, 1 or more, shape (n,), at least 4 different values.
    throughput : numpy.ndarray
        Requests per second, more than 0, shape (n,).

    Raises
    ------
    PoolModelError
        For too few points, and for values that cannot be meant.

    References
    ----------
    .. [1] N. J. Gunther, *Guerrilla Capacity Planning*, 2007: N/X is linear in N − 1 and N(N − 1), which gives the
       start; the fit itself is least squares on log X within 0 ≤ α ≤ 1, β ≥ 0; intervals by resampled residuals.
    """
    n, x = np.asarray(concurrency, dtype=float), np.asarray(throughput, dtype=float)
    kept = np.isfinite(n) & np.isfinite(x)
    if not kept.all():
        raise PoolModelError("concurrency and throughput must be finite numbers")
    if (n <= 0).any() or (x <= 0).any():
        raise PoolModelError("concurrency and throughput must be more than 0")
    if len(np.unique(n)) < 4:
        raise PoolModelError(f"{len(np.unique(n))} different concurrencies are too few: measure 4 or more")
    best = _fit(n, x)
    residuals = np.log(x) - np.log(_law(n, *best))
    rng = np.random.default_rng(seed)
    scale = math.sqrt(len(n) / max(1, len(n) - 3))
    resampled = []
    for _ in range(_RESAMPLES):
        noise = rng.choice(residuals - residuals.mean(), len(n)) * scale
        resampled.append(_fit(n, _law(n, *best) * np.exp(noise), start=best))
    found = np.array(resampled)
    ends = [(float(np.quantile(found[:, k], 0.025)), float(np.quantile(found[:, k], 0.975))) for k in range(3)]
    peaks = [_peak(alpha, beta) for _, alpha, beta in found]
    peak = _peak(best[1], best[2])
    seen = ends[2][0] > 0 and peak <= 1.5 * n.max()
    low = float(np.quantile(peaks, 0.025))
    return ScalabilityFit(
        gamma=float(best[0]), gamma_interval=ends[0], alpha=float(best[1]), alpha_interval=ends[1],
        beta=float(best[2]), beta_interval=ends[2], peak=float(peak) if seen else None,
        peak_low=low if math.isfinite(low) else None, most_measured=float(n.max()),
        error=float(np.sqrt((residuals**2).mean())), count=len(n),
    )  # fmt: skip


def _law(n: Array, gamma: float, alpha: float, beta: float) -> Array:
    return gamma * n / (1 + alpha * (n - 1) + beta * n * (n - 1))


def _peak(alpha: float, beta: float) -> float:
    return 1.0 if alpha >= 1 else max(1.0, math.sqrt((1 - alpha) / beta)) if beta > 1e-15 else math.inf


def _fit(n: Array, x: Array, start: Array | None = None) -> Array:
    from scipy.optimize import least_squares, nnls

    known = start is not None
    if start is None:
        design = np.stack((np.ones_like(n), n - 1, n * (n - 1)), axis=1)
        weights = x / n
        scale = np.abs(design * weights[:, None]).max(axis=0)
        line, _ = nnls(design * weights[:, None] / scale, np.ones_like(n))
        line = line / scale
        base = max(line[0], 1e-12 * float((n / x).min()))
        start = np.array([1 / base, min(1.0, line[1] / base), line[2] / base])
    scale = np.array([start[0], 0.1, max(start[2], 1 / n.max() ** 2)])
    top = np.array([np.inf, 1.0, np.inf]) / scale
    starts = (
        [start]
        if known
        else [start, np.array([float((x / n).max()), 0.02, 0.1 / n.max() ** 2]), np.array([start[0], 0.3, 0.0])]
    )

    def misfit(scaled: Array) -> Array:
        coefficients = scaled * scale
        return np.log(_law(n, coefficients[0], coefficients[1], coefficients[2])) - np.log(x)

    def slope(scaled: Array) -> Any:  # noqa: ANN401 -- a matrix
        gamma, alpha, beta = scaled * scale
        below = 1 + alpha * (n - 1) + beta * n * (n - 1)
        return np.stack((np.full(len(n), 1 / gamma), -(n - 1) / below, -n * (n - 1) / below), axis=1) * scale

    best, least = start, math.inf
    for first in starts:
        inside = np.clip(first / scale, 1e-9, np.minimum(top, 1e12) * (1 - 1e-9))
        found = least_squares(misfit, inside, jac=slope, bounds=(np.array([1e-12, 0, 0]), top), xtol=1e-10, ftol=1e-10)
        if found.cost < least:
            best, least = found.x * scale, found.cost
    answer: Array = np.asarray(best)
    return answer
