"""Runs a scenario several times with different chances, and says what comes out with confidence intervals.

Cases to compare get the same requests (common random numbers). Any ``concurrent.futures.Executor`` may run the runs.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Executor, as_completed
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from ...errors import MissingExtra, PoolModelError

try:
    import numpy as np
except ImportError:
    raise MissingExtra("NumPy", "pool", "simulating a pool") from None

from ...results import Result, frame
from . import rules as names
from .scenario import Scenario
from .scenario_file import change_key
from .simulate import simulate_pools

if TYPE_CHECKING:
    import pandas as pd

CONFIDENCE = 0.95
SHARES = 1 - np.logspace(0, -4, 161)  # where the distribution of waits is read off: from 0 to 0.9999
QUANTILES = {"p50": 0.5, "p95": 0.95, "p99": 0.99}


@dataclass(frozen=True, slots=True)
class Estimate:
    """A mean over runs, and the ends of its 95 % confidence interval (Student's t); equal ends for a single run."""

    mean: float
    low: float
    high: float

    @classmethod
    def of(cls, values: Sequence[float]) -> Estimate:
        """Estimate from the values of independent runs.

        Parameters
        ----------
        values : sequence of float
            One of each run, 2 or more for an interval.
        """
        from scipy.special import stdtrit

        found = np.asarray(values, dtype=float)
        mean = float(found.mean())
        if len(found) < 2:
            return cls(mean, mean, mean)
        half = float(stdtrit(len(found) - 1, 0.5 + CONFIDENCE / 2) * found.std(ddof=1) / math.sqrt(len(found)))
        return cls(mean, mean - half, mean + half)


@dataclass(frozen=True, eq=False)
class Outcome:
    """What one run gave, in figures: shares from 0 to 1, times in seconds."""

    figures: dict[str, float]
    quantiles: np.ndarray[tuple[int], np.dtype[np.float64]]
    line: np.ndarray[tuple[int, int], np.dtype[np.float64]]


@dataclass(frozen=True, eq=False)
class Case:
    """One variant of a scenario: its name, its figures, its waits at `SHARES`, and the time-line of its first run."""

    name: str
    scenario: Scenario
    figures: dict[str, Estimate]
    waits: np.ndarray[tuple[int], np.dtype[np.float64]]
    line: np.ndarray[tuple[int, int], np.dtype[np.float64]]

    def line_frame(self) -> pd.DataFrame:
        """Give the time-line as a DataFrame: ``time`` in seconds, connections in each state, requests waiting."""
        count = len(self.line)
        instants = self.scenario.duration / count * np.arange(1, count + 1)
        return frame({"time": instants, **{name: self.line[:, k] for k, name in enumerate(names.LINE)}})

    def wait_frame(self) -> pd.DataFrame:
        """Give the distribution of waits as a DataFrame: ``share`` of the requests that wait ``wait`` s at most."""
        return frame({"share": SHARES, "wait": self.waits})


@dataclass(frozen=True, eq=False, repr=False)
class Replay(Result):
    """The cases of a replay, side by side, with what makes them reproducible."""

    cases: tuple[Case, ...]
    replications: int
    seed: int
    notes: tuple[str, ...] = field(default=())

    def _summary(self) -> str:
        return f"{', '.join(case.name for case in self.cases)}; {self.replications} runs of each"

    def to_dict(self) -> dict[str, Any]:
        """Give ``cordtally/pool-replay/1``: times in seconds."""
        return {
            "schema": "cordtally/pool-replay/1",
            "replications": self.replications,
            "seed": self.seed,
            "confidence": CONFIDENCE,
            "cases": [
                {
                    "name": case.name,
                    "figures": {k: {"mean": e.mean, "low": e.low, "high": e.high} for k, e in case.figures.items()},
                }
                for case in self.cases
            ],
            "notes": list(self.notes),
        }

    def to_frame(self) -> pd.DataFrame:
        """Give a row for each case and figure."""
        rows = [
            {"case": case.name, "figure": name, "mean": e.mean, "low": e.low, "high": e.high}
            for case in self.cases
            for name, e in case.figures.items()
        ]
        return frame(rows)


def run_once(scenario: Scenario, seed: np.random.SeedSequence) -> Outcome:
    """Run a scenario once; a function of its own, so that other processes and machines can call it.

    Parameters
    ----------
    scenario : Scenario
        Times in seconds, rates per second.
    seed : numpy.random.SeedSequence
        Of the run's random numbers: the same seed gives the same run.

    Raises
    ------
    PoolModelError
        When no request came in after the warm-up.
    """
    load, pool = (np.random.default_rng(child) for child in _streams(seed))
    requests = scenario.draw(load)
    if len(requests.holds) == 0:
        raise PoolModelError("no request came in; simulate for longer")
    found = simulate_pools(scenario.pool_rules, requests, rng=pool, connect=scenario.connect, plan=scenario.plan())
    kept = found.asked >= scenario.warm_up
    waits, statuses = found.waits[kept], found.statuses[kept]
    if len(waits) == 0:
        raise PoolModelError("no request came in after the warm-up; simulate for longer")
    ends = np.bincount(statuses, minlength=len(names.OUTCOMES)) / len(statuses)
    after = found.line[int(len(found.line) * scenario.warm_up / scenario.duration) :]
    column = dict(zip(names.LINE, after.T))
    figures = {f"{name.replace(' ', '_')}_share": float(ends[k]) for k, name in enumerate(names.OUTCOMES)}
    figures |= {
        "requests": float(len(waits)),
        "wait_share": float((waits > 0).mean()),
        "mean_wait": float(waits.mean()),
        **{name: float(np.quantile(waits, share)) for name, share in QUANTILES.items()},
        "longest_wait": float(waits.max()),
        "in_use": float((column["in_use"] + column["leaked"]).mean()),
        "waiting": float(column["waiting"].mean()),
        **{name: float(count) for name, count in found.counts.items()},
    }
    if scenario.deploys:
        figures["deploy_unfinished"] = float(found.deployed_at is None)
    return Outcome(figures, np.quantile(waits, SHARES), found.line)


def _streams(seed: np.random.SeedSequence) -> list[np.random.SeedSequence]:
    """Two streams of a seed, the same each time they are asked for: one for the load, one for the rest."""
    return [np.random.SeedSequence(seed.entropy, spawn_key=(*seed.spawn_key, k)) for k in range(2)]


def replay(
    scenario: Scenario, *, replications: int = 10, seed: int = 1, what_if: Mapping[str, Sequence[str]] | None = None,
    executor: Executor | None = None, progress: Callable[[int, int], None] | None = None,
) -> Replay:  # fmt: skip
    """Simulate a scenario, and variants of it.

    Parameters
    ----------
    scenario : Scenario
        What to simulate.
    replications : int
        Independent runs of each case, at least 1; the intervals come from them.
    seed : int
        Where all chances come from; the same seed gives the same figures, with and without Numba.
    what_if : mapping, optional
        One key and the values to compare, as they are written in TOML: ``{"max_size": ["8", "12"]}``.
    executor : concurrent.futures.Executor, optional
        Runs the runs; without one they run one after the other.
    progress : callable, optional
        Is told how many runs are done, and of how many.

    Returns
    -------
    Replay
        The scenario as it is; with ``what_if`` a case for each value, and none else.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.
    """
    if not 1 <= replications <= 100_000:
        raise PoolModelError("replications must be a whole number from 1 to 100,000")
    if seed < 0:
        raise PoolModelError("a seed is a whole number of 0 or more")
    variants = [("as it is", scenario)]
    if what_if:
        variants = [(f"{key} = {value}", change_key(scenario, key, value)) for key in what_if for value in what_if[key]]
    seeds = np.random.SeedSequence(seed).spawn(replications)
    jobs = [(case, run) for case in range(len(variants)) for run in range(replications)]
    found: dict[tuple[int, int], Outcome] = {}
    for job, outcome in _outcomes(variants, seeds, jobs, executor):
        found[job] = outcome
        if progress is not None:
            progress(len(found), len(jobs))
    cases = tuple(
        _case(*variant, [found[number, run] for run in range(replications)]) for number, variant in enumerate(variants)
    )
    return Replay(cases, replications, seed, tuple(_notes(cases)))


def _outcomes(
    variants: list[tuple[str, Scenario]], seeds: list[np.random.SeedSequence], jobs: list[tuple[int, int]],
    executor: Executor | None,
) -> Iterator[tuple[tuple[int, int], Outcome]]:  # fmt: skip
    if executor is None:
        for case, run in jobs:
            yield (case, run), run_once(variants[case][1], seeds[run])
        return
    futures = {executor.submit(run_once, variants[case][1], seeds[run]): (case, run) for case, run in jobs}
    try:
        if hasattr(next(iter(futures)), "key"):  # a scheduler's futures are collected by waiting on each
            for future, job in futures.items():
                yield job, future.result()
        else:
            for future in as_completed(futures):
                yield futures[future], future.result()
    finally:
        for future in futures:
            future.cancel()


def _case(name: str, scenario: Scenario, outcomes: list[Outcome]) -> Case:
    figures = {key: Estimate.of([o.figures[key] for o in outcomes]) for key in outcomes[0].figures}
    waits = np.mean([o.quantiles for o in outcomes], axis=0)
    return Case(name, scenario, figures, waits, outcomes[0].line)


def _why_not(case: Case) -> str:
    """What a deploy waits for: connections that the server refuses, an old instance that never empties, time."""
    rules = case.scenario.pool_rules
    if (refused := case.figures["connect_refused"].mean) >= 1:
        told = f"the server refused {refused:,.0f} connects a run: old and new instances together exceed its limit"
        lockstep = rules.surge > 1 and rules.boot_jitter == 0
        return told + ("; those of a surge boot in the same time here: give a boot_jitter" if lockstep else "")
    if math.isinf(rules.drain_limit) and case.scenario.leak_share:
        return "leaked connections keep the old instances: give a drain_limit"
    return "there was no time left: give the run a longer duration, or a shorter drain_limit"


def _notes(cases: Sequence[Case]) -> Iterator[str]:
    for case in cases:
        if case.figures["unfinished_share"].mean > 0.01:
            share = 100 * case.figures["unfinished_share"].mean
            yield f"{case.name}: {share:.1f} % of the requests still waited at the end: the queue grows"
        if "deploy_unfinished" in case.figures and case.figures["deploy_unfinished"].mean > 0:
            share = 100 * case.figures["deploy_unfinished"].mean
            yield f"{case.name}: in {share:.0f} % of the runs the deploy had not come to an end; {_why_not(case)}"
