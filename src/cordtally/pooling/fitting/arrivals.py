"""What a trace says about arrivals: rates by hour, the peak factor, how gaps vary and whether they hang together."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

_SLOTS = (1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0, 120.0, 300.0, 600.0, 900.0, 1800.0, 3600.0)
_MOST_SLOTS, _REQUESTS_A_SLOT = 60, 20
_HOLDS_A_WINDOW, _REQUESTS_A_WINDOW = 50, 100
_PEAK = 0.99


@dataclass(frozen=True, kw_only=True)
class ArrivalFit:
    """Arrivals: rates per second, lengths in seconds.

    ``peak_factor`` is the p99 of the rate in windows over the mean rate, and 1 where a Poisson stream of that mean
    would vary as much. ``dispersion`` is the variance over the mean of counts (1 for a Poisson stream) in windows and
    in ten times longer ones; where it grows, the gaps alone mislead. ``autocorrelation`` is that of neighbouring
    windows, ``autocorrelation_bound`` what chance makes. ``by_slot`` gives the rate in slots of ``slot`` seconds, each
    with its beginning in seconds since the first request.
    """

    rate: float
    cv: float
    peak_factor: float
    window: float
    dispersion: tuple[float, float]
    autocorrelation: float
    autocorrelation_bound: float
    slot: float
    by_slot: tuple[tuple[float, float], ...]

    def to_dict(self) -> dict[str, Any]:
        """Give the fields."""
        return asdict(self)


def fit_arrivals(times: Array, hold: float) -> ArrivalFit:
    """Fit instants in order, in seconds; ``hold`` (s) sets how long a window is.

    Parameters
    ----------
    times : ndarray, shape (n,)
        Instants in seconds, in order.
    hold : float
        The mean hold in seconds; a window lasts a number of them, so that it holds many requests.

    Notes
    -----
    Windows are 50 mean holds long, or as long as 100 requests take: bursts much shorter than a hold are smoothed by the
    pool itself.
    """
    from scipy.stats import poisson

    span = float(times[-1] - times[0])
    rate = (len(times) - 1) / span
    gaps = np.diff(times)
    window = max(_HOLDS_A_WINDOW * hold, _REQUESTS_A_WINDOW / rate)
    counts = _counts(times, window)
    slot = _slot(span, rate)
    mean = float(counts.mean())
    peak = 1.0
    if len(counts) >= 5:
        observed = float(np.quantile(counts, _PEAK))
        chance = float(poisson.ppf(1 - 0.01 / len(counts), mean))
        peak = max(1.0, observed / mean) if counts.max() > chance else 1.0
    return ArrivalFit(
        rate=rate,
        cv=float(gaps.std() / gaps.mean()),
        peak_factor=peak,
        window=window,
        dispersion=(_dispersion(counts), _dispersion(_counts(times, 10 * window))),
        autocorrelation=_autocorrelation(counts),
        autocorrelation_bound=1.96 / max(1, len(counts)) ** 0.5,
        slot=slot,
        by_slot=tuple(_by_slot(times, slot)),
    )


def _counts(times: Array, window: float) -> Array:
    whole = int((times[-1] - times[0]) / window)
    if whole < 1:
        return np.array([float(len(times))])
    edges = times[0] + window * np.arange(whole + 1)
    counts: Array = np.diff(np.searchsorted(times, edges)).astype(float)
    return counts


def _dispersion(counts: Array) -> float:
    return float(counts.var(ddof=1) / counts.mean()) if len(counts) > 1 and counts.mean() > 0 else 1.0


def _autocorrelation(counts: Array) -> float:
    if len(counts) < 3 or counts.std() == 0:
        return 0.0
    centred = counts - counts.mean()
    return float((centred[1:] * centred[:-1]).sum() / (centred**2).sum())


def _slot(span: float, rate: float) -> float:
    """How long a slot is: some dozens cover the record, and each holds requests enough to have a rate."""
    least = max(span / _MOST_SLOTS, _REQUESTS_A_SLOT / rate)
    return next((slot for slot in _SLOTS if slot >= least), _SLOTS[-1])


def _by_slot(times: Array, slot: float) -> list[tuple[float, float]]:
    """Rates in slots since the first request; the last one over the time that it has, where that is half a slot."""
    slots = ((times - times[0]) // slot).astype(int)
    counts = np.bincount(slots)
    rest = (times[-1] - times[0]) - slot * (len(counts) - 1)
    lengths = np.full(len(counts), slot)
    if rest < slot / 2 and len(counts) > 1:
        counts, lengths = counts[:-1], lengths[:-1]
    else:
        lengths[-1] = rest
    return [(float(place * slot), float(count / length)) for place, (count, length) in enumerate(zip(counts, lengths))]
