"""What samples of holds say about the size: the answer for resamples of them, as an interval.

Samples that follow each other resemble each other, so blocks of them are drawn, not single ones (moving-block
bootstrap; H. R. Künsch, Annals of Statistics 17, 1989).
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from ...errors import MissingExtra, PoolModelError
from ...figures import show_seconds, show_share
from ..quantities import Target, parse_target
from .answer import PoolSizing, SampledSizing
from .load import PoolLoad
from .models import cheaper, choose_model
from .size import make_row, size_pool, smallest_size

if TYPE_CHECKING:
    import numpy as np

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

RESAMPLES = 300
SURE = 0.9
_FEW = 100


def size_samples(
    load: PoolLoad, target: Target | str, holds: Array, times: Array | None = None, *, server_limit: int | None = None,
    reserve: int = 0, seed: int = 1,
) -> PoolSizing:  # fmt: skip
    """Find the size for measured holds, with an interval: the smallest that meets the target in 90 % of the resamples.

    Parameters
    ----------
    load : PoolLoad
        The rest of the load; its hold and, with ``times``, its arrivals are replaced by those of the samples.
    target : WaitTarget, TimeoutTarget or str
        As in `size_pool`.
    holds : numpy.ndarray
        Holds in seconds in the order in which they were taken, shape (n,).
    times : numpy.ndarray, optional
        When they began, in seconds, shape (n,); the arrival rate is taken from them.
    server_limit, reserve : int
        As in `size_pool`.
    seed : int
        Where the resamples come from.

    Raises
    ------
    PoolModelError
        For fewer than 20 samples, and for such as cannot be holds.
    """
    try:
        import numpy as np
    except ImportError:
        raise MissingExtra("NumPy", "pool", "sizing from samples") from None
    target = parse_target(target) if isinstance(target, str) else target
    holds = np.asarray(holds, dtype=float)
    if len(holds) < 20:
        raise PoolModelError(f"{len(holds)} samples of the hold are too few: give 20 or more, better 1,000")
    if not np.isfinite(holds).all() or (holds < 0).any() or holds.mean() == 0:
        raise PoolModelError("samples of the hold must be finite numbers of 0 s or more, not all 0")
    if times is not None and ((np.diff(times) < 0).any() or times[-1] <= times[0]):
        raise PoolModelError("the clock of the samples goes backwards or stands still: sort them by time")
    gaps = np.full(len(holds), 1.0) if times is None else np.append(np.diff(times), (times[-1] - times[0]) / len(times))
    point_load = _loaded(load, holds, None if times is None else gaps)
    found = size_pool(point_load, target, server_limit=server_limit, reserve=reserve)
    point = smallest_size(point_load, target)
    if point is None:
        return found
    quick = cheaper(point_load)
    shift = point - (smallest_size(quick, target) or point)
    sizes = []
    for chosen in _blocks(len(holds), np.random.default_rng(seed)):
        resample = _loaded(load, holds[chosen], None if times is None else gaps[chosen])
        size = smallest_size(cheaper(resample), target)
        sizes.append(math.inf if size is None else max(1, size + shift))
    ordered = sorted(sizes)
    sure = ordered[min(len(ordered) - 1, math.ceil(SURE * len(ordered)) - 1)]
    chosen_size = int(sure) if math.isfinite(sure) else point

    def met(size: int) -> float:
        return sum(s <= size for s in sizes) / len(sizes)

    samples = SampledSizing(
        count=len(holds), resamples=len(sizes), point=point, low=int(_at(ordered, 0.05)), high=int(_at(ordered, 0.95)),
        met_one_less=met(chosen_size - 1), met=met(chosen_size), met_one_more=met(chosen_size + 1),
    )  # fmt: skip
    return _decided(found, samples, chosen_size, shift)


def _at(ordered: list[float], share: float) -> float:
    value = ordered[round(share * (len(ordered) - 1))]
    return value if math.isfinite(value) else max((v for v in ordered if math.isfinite(v)), default=0)


def _loaded(load: PoolLoad, holds: Array, gaps: Array | None) -> PoolLoad:
    mean = float(holds.mean())
    changes: dict[str, object] = {"hold": mean, "hold_cv": float(holds.std() / mean)}
    if gaps is not None:
        changes["arrivals"] = 1 / float(gaps.mean())
    return load.changed(**changes)


def _blocks(count: int, rng: np.random.Generator) -> list[np.ndarray[tuple[int], np.dtype[np.int64]]]:
    import numpy as np

    length = max(1, min(count // 10, round(4 * count ** (1 / 3))))
    blocks = math.ceil(count / length)
    starts = rng.integers(0, count - length + 1, (RESAMPLES, blocks))
    return [(start[:, None] + np.arange(length)).ravel()[:count] for start in starts]


def _decided(found: PoolSizing, samples: SampledSizing, size: int, shift: int) -> PoolSizing:
    cautions = list(found.cautions)
    if samples.count < _FEW:
        cautions.append(f"{samples.count} samples say little about rare long holds: take 1,000 or more")
    if shift:
        cautions.append("resamples were computed with an approximation, shifted to the simulated answer")
    limit_per_pool = None if found.limit is None else found.limit // found.load.instances
    possible = limit_per_pool is None or size <= limit_per_pool
    reasons = [
        f"{samples.count:,} samples: held {show_seconds(found.load.hold)} on average, cv {found.load.hold_cv:.3g}",
        f"resamples ask for {samples.low} to {samples.high} (90 % of them); {size} meets the target in "
        f"{show_share(samples.met)}, {size - 1} in {show_share(samples.met_one_less)}",
        *found.reasons,
    ]
    if not possible:
        reasons.append(f"{size} per instance are more than the server leaves")
    model = choose_model(found.load)
    rows = tuple(make_row(found.load, n, found.target, model) for n in range(max(1, size - 4), size + 5))
    return replace(
        found, recommended=size if possible else None, reasons=tuple(reasons), cautions=tuple(cautions), rows=rows,
        samples=samples,
    )  # fmt: skip
