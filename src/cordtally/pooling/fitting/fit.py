"""Fits a record: what came in, how long it held, how the server slows; and warns of what the record hides.

The result is written as JSON, which ``pool size`` and ``pool replay`` take.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ...errors import MissingExtra, PoolModelError, quoted
from ...figures import show_number, show_seconds, show_share
from ...pipes import read_text
from ...results import Result
from ..queues.contention import Contention

if TYPE_CHECKING:
    import numpy as np
    import pandas as pd

    from .arrivals import ArrivalFit
    from .holds import HoldFit
    from .scalability import ScalabilityFit
    from .traces import Trace

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

SCHEMA = "cordtally/pool-fit/1"
_FEW_REQUESTS, _FEW_POINTS = 1_000, 8
_PINNED = 0.05
_BLIP = 0.002  # a level reached for less of the time comes from rounded clocks
_WILD_CV, _WILD_TAIL = 10**0.5, 2.0


@dataclass(frozen=True, kw_only=True, repr=False)
class PoolFit(Result):
    """What a record says; each part is None where the record does not tell.

    ``points`` are the concurrencies and throughputs (per second) that the law was fitted to; ``in_use`` is the mean
    number of connections in use, ``timeout_share`` the share of the requests that got none.
    """

    source: str
    kind: str
    arrivals: ArrivalFit | None = None
    holds: HoldFit | None = None
    scalability: ScalabilityFit | None = None
    points: tuple[Array, Array] | None = None
    in_use: float | None = None
    timeout_share: float | None = None
    warnings: tuple[str, ...] = ()

    def _summary(self) -> str:
        parts = {"arrivals": self.arrivals, "holds": self.holds, "scalability": self.scalability}
        told = [name for name, part in parts.items() if part is not None]
        return f"{', '.join(told) or 'nothing'} of {self.source}"

    def to_dict(self) -> dict[str, Any]:
        """Give ``cordtally/pool-fit/1``: times in seconds, rates per second."""
        parts = {"arrivals": self.arrivals, "holds": self.holds, "scalability": self.scalability}
        return {
            "schema": SCHEMA,
            "source": self.source,
            "kind": self.kind,
            **{name: None if part is None else _plain(part.to_dict()) for name, part in parts.items()},
            "in_use": self.in_use,
            "timeout_share": self.timeout_share,
            "warnings": list(self.warnings),
        }

    def to_frame(self) -> pd.DataFrame:
        """Give the rate in each slot: ``start`` in seconds since the first request, ``rate`` per second."""
        from ...results import frame

        slots = self.arrivals.by_slot if self.arrivals else ()
        return frame({"start": [start for start, _ in slots], "rate": [rate for _, rate in slots]})


def _plain(value: Any) -> Any:  # noqa: ANN401
    if isinstance(value, dict):
        return {key: _plain(part) for key, part in value.items()}
    if isinstance(value, tuple | list):
        return [_plain(part) for part in value]
    return None if isinstance(value, float) and value in (float("inf"), float("-inf")) else value


@dataclass(frozen=True)
class FittedLoad:
    """What a fit that was written down says about a load."""

    document: Mapping[str, Any]

    def load_fields(self) -> dict[str, Any]:
        """Give the fields of a `PoolLoad` that the fit knows."""
        fields: dict[str, Any] = {}
        arrivals, holds, law = (self.document.get(name) for name in ("arrivals", "holds", "scalability"))
        if arrivals:
            fields |= {"arrivals": arrivals["rate"], "peak_factor": arrivals["peak_factor"]}
            if abs(arrivals["cv"] - 1) > 0.1 and arrivals["peak_factor"] == 1:
                fields["arrival_cv"] = arrivals["cv"]
        if holds:
            fields |= {"hold": holds["mean"], "hold_cv": holds["cv"] if abs(holds["cv"] - 1) > 0.05 else 1.0}
        if law and not holds:
            fields |= {"hold": 1 / law["gamma"]}
        if law:
            fields["contention"] = Contention(law["alpha"], law["beta"])
        return fields


def read_fit(path: str | Path) -> FittedLoad:
    """Read what `pool fit --json` wrote.

    Parameters
    ----------
    path : str or Path
        A JSON file with the schema ``cordtally/pool-fit/1``.

    Raises
    ------
    PoolModelError
        For anything else.
    """
    try:
        document = json.loads(read_text(Path(path)))
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise PoolModelError(f"{path}: this is no JSON: {error}") from None
    if not isinstance(document, dict) or document.get("schema") != SCHEMA:
        raise PoolModelError(f"{path}: this is no fit; write one with: cordtally pool fit RECORD --json")
    return FittedLoad(document)


def fit_pool(path: str | Path, *, pattern: str | None = None, columns: Mapping[str, str] | None = None) -> PoolFit:
    """Fit a record, told by its columns.

    A trace or log has ``time``, ``hold``, maybe ``wait`` and ``outcome``; a series ``concurrency`` and ``throughput``;
    what ``pool watch`` recorded ``time``, ``active`` and ``transactions``.

    Parameters
    ----------
    path : path-like
        CSV, Parquet, JSON lines, or text with a ``pattern``.
    pattern : str, optional
        As in `read_records`.
    columns : mapping, optional
        As in `read_records`.

    Raises
    ------
    PoolModelError
        For a record that holds nothing of the kind, or too little; the message names file, row and cell.
    MissingExtra
        When NumPy, SciPy or pandas is not installed.
    """
    try:
        import scipy  # noqa: F401
    except ImportError:
        raise MissingExtra("SciPy", "pool", "fitting a record") from None
    from .traces import make_trace, read_records

    table = read_records(path, pattern=pattern, columns=columns)
    names = set(table.columns)
    if {"concurrency", "throughput"} <= names:
        return _fit_series(table, str(path))
    if {"active", "transactions"} <= names:
        return _fit_activity(table, str(path))
    return fit_trace(make_trace(table), str(path))


def fit_trace(trace: Trace, source: str = "") -> PoolFit:
    """Fit a trace of acquisitions.

    Parameters
    ----------
    trace : Trace
        Times and holds in seconds, each of shape (n,), n ≥ 20.
    source : str
        What the messages call it: the file's name.

    Raises
    ------
    PoolModelError
        For fewer than 20 requests, or a clock that stands still.
    """
    from .arrivals import fit_arrivals
    from .holds import fit_holds

    served = trace.holds[~trace.timed_out]
    if len(served) < 20 or trace.times[-1] <= trace.times[0] or served.sum() == 0:
        raise PoolModelError(f"{source}: {len(served)} requests that held a connection are too few: give 20 or more")
    holds = fit_holds(served)
    arrivals = fit_arrivals(trace.times, holds.mean)
    span = float(trace.times[-1] - trace.times[0])
    return PoolFit(
        source=source,
        kind="trace",
        arrivals=arrivals,
        holds=holds,
        in_use=float(served.sum() / span),
        timeout_share=float(trace.timed_out.mean()),
        warnings=tuple(_trace_warnings(trace, arrivals, holds, span)),
    )


def _trace_warnings(trace: Trace, arrivals: ArrivalFit, holds: HoldFit, span: float) -> Iterator[str]:
    if len(trace.times) < _FEW_REQUESTS:
        yield f"{len(trace.times):,} requests say little about rare long waits: record 1,000 or more"
    if trace.turned_back:
        yield (
            f"the clock goes backwards {trace.turned_back:,} times, by {show_seconds(trace.furthest_back)} at most: "
            "the requests are put in order by their times; were clocks of several machines mixed, or was one set?"
        )
    if span < 3600:
        yield f"the record covers {show_seconds(span)}: take one with your busiest hour, and a whole day if you can"
    most, share = _outstanding(trace, waiting=True)
    if share > _PINNED and most > 1:
        yield (
            f"coordinated omission: never more than {most} requests are under way, and exactly {most} for "
            f"{show_share(share)} of the time; whoever asks waits for an answer first, so fewer ask just when the pool "
            f"is slow. Model it as {most} threads (--threads), not by its arrival rate"
        )
    full, at_full = _outstanding(trace, waiting=False)
    waited = trace.waits is not None and bool((trace.waits > 0).any())
    if waited and at_full > _PINNED and full > 1:
        yield (
            f"saturation: all {full} connections were in use for {show_share(at_full)} of the time; the arrivals that "
            "the record shows are those that the pool let through"
        )
    if trace.timed_out.any():
        lost = show_share(float(trace.timed_out.mean()))
        yield f"{lost} of the requests timed out; retries among the arrivals count twice"
    if arrivals.dispersion[1] > max(2.0, 1.5 * arrivals.dispersion[0]):
        yield (
            f"requests come in bursts that last: counts vary {show_number(arrivals.dispersion[1])} times as much as "
            f"at random over {show_seconds(10 * arrivals.window)}; size for the peak, and replay this trace"
        )
    if holds.cv > _WILD_CV or holds.tail_index < _WILD_TAIL:
        yield (
            f"a few long holds decide: the longest 1 % make {show_share(holds.top_share)} of the variance; two moments "
            "say too little, so size from the samples (--hold-samples) or replay this trace"
        )


def _outstanding(trace: Trace, *, waiting: bool) -> tuple[int, float]:
    """The most requests under way (waiting and holding, or only holding), and for which share of the time."""
    import numpy as np

    waits = trace.waits if trace.waits is not None else np.zeros(len(trace.times))
    starts = trace.times if waiting else (trace.times + waits)[~trace.timed_out]
    ends = trace.times + waits + trace.holds
    ends = ends if waiting else ends[~trace.timed_out]
    at = np.concatenate((starts, ends))
    steps = np.concatenate((np.ones(len(starts)), -np.ones(len(ends))))
    order = np.lexsort((steps, at))
    level = np.cumsum(steps[order])
    lasts = np.diff(at[order], append=at.max())
    shares = np.bincount(level.astype(int), weights=lasts) / max(1e-12, at.max() - at.min())
    at_least = np.cumsum(shares[::-1])[::-1]
    most = int(np.flatnonzero(at_least >= _BLIP)[-1])
    return most, float(at_least[most])


def _fit_series(table: pd.DataFrame, source: str) -> PoolFit:
    from .scalability import fit_scalability

    points = (_numbers(table, "concurrency"), _numbers(table, "throughput"))
    law = fit_scalability(*points)
    return PoolFit(source=source, kind="series", scalability=law, points=points, warnings=tuple(_law_warnings(law)))


def _numbers(table: pd.DataFrame, name: str) -> Array:
    import pandas as pd

    values = pd.to_numeric(table[name], errors="coerce")
    if values.isna().any():
        row = int(values.isna().to_numpy().argmax())
        raise PoolModelError(
            f"{table.attrs['path']}:{row + 2}: {name} is {quoted(str(table[name].iloc[row]))}, no number"
        )
    answer: Array = values.to_numpy(dtype=float)
    return answer


def _law_warnings(law: ScalabilityFit) -> Iterator[str]:
    if law.count < _FEW_POINTS:
        yield f"{law.count} points for three coefficients: measure {_FEW_POINTS} concurrencies or more"
    if law.peak is None:
        low = "" if law.peak_low is None else f"; it lies at {law.peak_low:.0f} or above (95 % confidence)"
        yield f"no peak seen up to {law.most_measured:g} active{low}: do not take the law for more than was measured"
    if law.error > 0.1:
        yield f"the data lie {show_share(law.error)} off the law: something else than the number active is at work"


def _fit_activity(table: pd.DataFrame, source: str) -> PoolFit:
    """Fit a recorded activity view: transactions between two samples, against the mean number active in them."""
    import numpy as np

    from ..tables import times
    from .scalability import fit_scalability

    when, active, done = times(table, "time"), _numbers(table, "active"), _numbers(table, "transactions")
    lasts, work = np.diff(when), np.diff(done)
    if len(when) < 3 or (lasts <= 0).any():
        raise PoolModelError(f"{source}: at least 3 samples are needed, and a clock that goes forwards")
    good = work >= 0
    warnings = [] if good.all() else ["the counter of transactions was reset in between: those samples are left out"]
    mean_active = (active[:-1] + active[1:]) / 2
    rate, level = (work / lasts)[good], mean_active[good]
    law = None
    busy = (level >= 1) & (rate > 0)
    if len(np.unique(np.round(level[busy]))) >= 4:
        law = fit_scalability(level[busy], rate[busy])
        warnings += list(_law_warnings(law))
    else:
        warnings.append("the number active hardly changed: a scalability law needs quiet and busy times")
    total = float(rate.mean())
    if total > 0:
        warnings.append(
            f"active over transactions gives {show_seconds(float(level.mean()) / total)} of work a transaction "
            "(Little's law); the hold of a pool is longer by what the application does while it has the connection"
        )
    return PoolFit(
        source=source, kind="activity", scalability=law, points=(level[busy], rate[busy]), in_use=float(level.mean()),
        warnings=tuple(warnings),
    )  # fmt: skip
