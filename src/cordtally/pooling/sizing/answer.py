"""What sizing answers: a row for each size, the recommendation and why, and how sure samples make it."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING

from ...results import Result
from ..quantities import Target, TimeoutTarget
from .load import PoolLoad
from .sensitivity import Headroom

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolRow:
    """One pool size per instance and what it brings; times in seconds, shares from 0 to 1."""

    size: int
    total: int
    utilisation: float
    wait_share: float
    mean_wait: float
    p50: float
    p95: float
    p99: float
    timeout_share: float
    hold: float
    meets: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SampledSizing:
    """How sure a size is: the sizes that resamples ask for, and the share of them in which sizes meet the target."""

    count: int
    resamples: int
    point: int
    low: int
    high: int
    met_one_less: float
    met: float
    met_one_more: float

    def to_dict(self) -> dict[str, object]:
        """Give the fields; shares from 0 to 1."""
        return asdict(self)


@dataclass(frozen=True, slots=True, kw_only=True, repr=False)
class PoolSizing(Result):
    """The answer: the recommended size per instance, None where no size is possible, and why; and the rows around it.

    ``model`` names the queue that was computed, ``why_model`` says why that one; ``limit`` is the number of connections
    that all pools may share; ``headroom`` says how much of each input more the recommended pool bears, least first;
    ``samples`` holds the interval where the load came from samples.
    """

    _rows = "sizes"
    load: PoolLoad
    target: Target
    recommended: int | None
    reasons: tuple[str, ...]
    rows: tuple[PoolRow, ...]
    model: str
    why_model: str
    cautions: tuple[str, ...]
    limit: int | None
    headroom: tuple[Headroom, ...] = ()
    samples: SampledSizing | None = None

    def _summary(self) -> str:
        return f"{self.recommended or 'no'} connections per instance for {self.target}"

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/pool-size/1``: times in seconds, None where they have no end."""
        target: dict[str, float] = (
            {"timeout_share": self.target.share}
            if isinstance(self.target, TimeoutTarget)
            else {"wait_seconds": self.target.seconds, "quantile": self.target.quantile}
        )
        load = self.load
        return {
            "schema": "cordtally/pool-size/1",
            "model": self.model,
            "why_model": self.why_model,
            "arrivals_per_second": load.arrivals,
            "peak_factor": load.peak_factor,
            "arrival_cv": load.arrival_cv,
            "hold_seconds": load.hold,
            "hold_cv": load.hold_cv,
            "instances": load.instances,
            "threads": load.threads,
            "acquire_timeout_seconds": _finite(load.acquire_timeout),
            "contention": {"alpha": load.contention.alpha, "beta": load.contention.beta},
            "load_erlangs_per_instance": load.erlangs,
            "target": target,
            "connection_limit": self.limit,
            "recommended": self.recommended,
            "reasons": list(self.reasons),
            "cautions": list(self.cautions),
            "sizes": [{name: _finite(value) for name, value in _fields(row).items()} for row in self.rows],
            "headroom": [{"input": h.name, "factor": _finite(h.factor)} for h in self.headroom],
            "samples": None if self.samples is None else self.samples.to_dict(),
        }

    def to_frame(self) -> pd.DataFrame:
        """Give the rows as a DataFrame.

        Raises
        ------
        MissingExtra
            When pandas is not installed.
        """
        from ...results import frame

        return frame([_fields(row) for row in self.rows])


def _fields(row: PoolRow) -> dict[str, object]:
    return {name: getattr(row, name) for name in PoolRow.__slots__}


def _finite(value: object) -> object:
    return None if isinstance(value, float) and not math.isfinite(value) else value
