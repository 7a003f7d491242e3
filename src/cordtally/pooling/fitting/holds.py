"""What samples say about holds: mean, variation, percentiles, which distribution is nearest, how heavy the tail is."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

SHARES = {"p50": 0.5, "p75": 0.75, "p90": 0.9, "p95": 0.95, "p99": 0.99, "p99.9": 0.999}
_RESAMPLES = 200
_TAIL = 0.05
_TRIED = 50_000


@dataclass(frozen=True, slots=True)
class Family:
    """A distribution fitted by maximum likelihood: its Kolmogorov–Smirnov distance, and AIC above that of the best."""

    name: str
    distance: float
    aic_above_best: float


@dataclass(frozen=True, kw_only=True)
class HoldFit:
    """Holds: times in seconds. ``cv`` is the standard deviation over the mean, with the ends of its 95 % interval.

    ``tail_index`` is Hill's estimate from the largest 5 %: below 2 the variance means nothing. ``top_share`` is how
    much of the sum of squares comes from the largest 1 %.
    """

    count: int
    mean: float
    mean_interval: tuple[float, float]
    cv: float
    cv_interval: tuple[float, float]
    percentiles: dict[str, float]
    longest: float
    families: tuple[Family, ...]
    tail_index: float
    top_share: float

    def to_dict(self) -> dict[str, Any]:
        """Give the fields."""
        return asdict(self)


def fit_holds(holds: Array, *, seed: int = 1) -> HoldFit:
    """Fit holds in seconds, shape (n,), not all 0.

    Parameters
    ----------
    holds : ndarray, shape (n,)
        Seconds, not all 0.
    seed : int
        Of the resampling that the intervals come from.

    References
    ----------
    .. [1] B. M. Hill, Annals of Statistics 3 (1975), for the tail index.
    .. [2] H. R. Künsch, Annals of Statistics 17 (1989), for the blocks of the bootstrap.
    """
    mean = float(holds.mean())
    resampled = _resample(holds, np.random.default_rng(seed))
    means = resampled.mean(axis=1)
    cvs = resampled.std(axis=1) / means
    ordered = np.sort(holds)
    squares = ordered**2
    top = max(1, len(holds) // 100)
    return HoldFit(
        count=len(holds),
        mean=mean,
        mean_interval=_interval(means),
        cv=float(holds.std() / mean),
        cv_interval=_interval(cvs),
        percentiles={name: float(np.quantile(ordered, share)) for name, share in SHARES.items()},
        longest=float(ordered[-1]),
        families=_families(ordered),
        tail_index=_hill(ordered),
        top_share=float(squares[-top:].sum() / squares.sum()),
    )


def _interval(values: Array) -> tuple[float, float]:
    return float(np.quantile(values, 0.025)), float(np.quantile(values, 0.975))


def _resample(holds: Array, rng: np.random.Generator) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """Draw blocks of neighbours; of at most 50,000 holds a resample."""
    count = min(len(holds), _TRIED)
    length = max(1, min(count // 10, round(4 * count ** (1 / 3))))
    starts = rng.integers(0, len(holds) - length + 1, (_RESAMPLES, math.ceil(count / length)))
    return holds[(starts[:, :, None] + np.arange(length)).reshape(_RESAMPLES, -1)]


def _hill(ordered: Array) -> float:
    top = max(10, int(_TAIL * len(ordered)))
    if len(ordered) <= top or ordered[-top - 1] <= 0:
        return math.inf
    excess = np.log(ordered[-top:] / ordered[-top - 1]).mean()
    return float(1 / excess) if excess > 0 else math.inf


def _families(ordered: Array) -> tuple[Family, ...]:
    """Fit what holds often look like; of at most 50,000 evenly chosen values, those of 0 left out."""
    from scipy import stats

    values = ordered[ordered > 0]
    if len(values) > _TRIED:
        values = values[:: len(values) // _TRIED]
    if len(values) < 20 or values[0] == values[-1]:
        return ()
    found = []
    for name, family, free in (
        ("exponential", stats.expon, 1), ("gamma", stats.gamma, 2), ("lognormal", stats.lognorm, 2),
        ("weibull", stats.weibull_min, 2),
    ):  # fmt: skip
        fitted = family(*family.fit(values, floc=0))
        distance = float(stats.kstest(values, fitted.cdf).statistic)
        found.append((name, distance, 2 * free - 2 * float(fitted.logpdf(values).sum())))
    best = min(aic for _, _, aic in found)
    families = [Family(name, distance, aic - best) for name, distance, aic in found]
    return tuple(sorted(families, key=lambda family: family.aic_above_best))
