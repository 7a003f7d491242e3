"""The shapes of the documents of ``cordtally pool … --json``, as in `shapes`: times in seconds, shares from 0 to 1."""

from __future__ import annotations

from typing import Literal, NotRequired

from shapes import FindingShape, LedgerShape
from typing_extensions import TypedDict

Interval = list[float]


class ContentionShape(TypedDict):
    """How the server slows: Gunther's alpha and beta."""

    alpha: float
    beta: float


class TargetShape(TypedDict):
    """What was asked for: a quantile of the wait, or a share of requests that give up."""

    wait_seconds: NotRequired[float]
    quantile: NotRequired[float]
    timeout_share: NotRequired[float]


class SizeShape(TypedDict):
    """What a pool size leads to; a time without end is null."""

    size: int
    total: int
    utilisation: float | None
    wait_share: float | None
    mean_wait: float | None
    p50: float | None
    p95: float | None
    p99: float | None
    timeout_share: float | None
    hold: float | None
    meets: bool


class HeadroomShape(TypedDict):
    """By which factor an input may grow before the target is missed."""

    input: str
    factor: float | None


class SamplesShape(TypedDict):
    """How sure a size is: what resamples ask for, and the share of them in which sizes around it meet the target."""

    count: int
    resamples: int
    point: int
    low: int
    high: int
    met_one_less: float
    met: float
    met_one_more: float


class PoolSize(TypedDict):
    """pool size --json."""

    schema: Literal["cordtally/pool-size/1"]
    model: str
    why_model: str
    arrivals_per_second: float
    peak_factor: float
    arrival_cv: float
    hold_seconds: float
    hold_cv: float
    instances: int
    threads: int | None
    acquire_timeout_seconds: float | None
    contention: ContentionShape
    load_erlangs_per_instance: float
    target: TargetShape
    connection_limit: int | None
    recommended: int | None
    reasons: list[str]
    cautions: list[str]
    sizes: list[SizeShape]
    headroom: list[HeadroomShape]
    samples: SamplesShape | None


class ArrivalsShape(TypedDict):
    """How requests come; slots are pairs of a start and a rate."""

    rate: float
    cv: float | None
    peak_factor: float | None
    window: float | None
    dispersion: list[float | None] | None
    autocorrelation: float | None
    autocorrelation_bound: float | None
    slot: float | None
    by_slot: list[list[float | None]]


class FamilyShape(TypedDict):
    """How well a family of distributions fits."""

    name: str
    distance: float | None
    aic_above_best: float | None


class HoldsShape(TypedDict):
    """How long connections are held."""

    count: int
    mean: float
    mean_interval: Interval | None
    cv: float | None
    cv_interval: Interval | None
    percentiles: dict[str, float]
    longest: float
    families: list[FamilyShape]
    tail_index: float | None
    top_share: float | None


class LawShape(TypedDict):
    """Gunther's law of scalability, fitted: gamma in requests a second, each with its interval."""

    gamma: float
    gamma_interval: list[float | None]
    alpha: float
    alpha_interval: list[float | None]
    beta: float
    beta_interval: list[float | None]
    peak: float | None
    peak_low: float | None
    most_measured: float
    error: float
    count: int


class PoolFit(TypedDict):
    """pool fit --json; null for what the record does not tell."""

    schema: Literal["cordtally/pool-fit/1"]
    source: str
    kind: str
    arrivals: ArrivalsShape | None
    holds: HoldsShape | None
    scalability: LawShape | None
    in_use: float | None
    timeout_share: float | None
    warnings: list[str]


class EstimateShape(TypedDict):
    """A mean over independent runs, with its confidence interval."""

    mean: float | None
    low: float | None
    high: float | None


class CaseShape(TypedDict):
    """One case of a simulation."""

    name: str
    figures: dict[str, EstimateShape]


class PoolReplay(TypedDict):
    """pool replay --json."""

    schema: Literal["cordtally/pool-replay/1"]
    replications: int
    seed: int
    confidence: float
    cases: list[CaseShape]
    notes: list[str]


class TotalsShape(TypedDict):
    """Connections of all services."""

    now: int
    scaled: int
    deploying: int
    failover: int


class ServiceShape(TotalsShape):
    """Connections of one service, and of the clients behind a pooler."""

    name: str
    behind: int


class ShareShape(TypedDict):
    """What is allotted to a service, and how it waits then."""

    name: str
    pool_size: int
    connections: int
    mean_wait: float | None
    p99: float | None
    timeout_share: float | None


class AllocationShape(TypedDict):
    """The shares that wait least."""

    waiting: float | None
    used: int
    left: int
    services: list[ShareShape]


class PoolBudget(TypedDict):
    """pool budget --json."""

    schema: Literal["cordtally/pool-budget/1"]
    limit: int
    reserve: int
    jobs: int
    left: int
    totals: TotalsShape
    fits: bool
    services: list[ServiceShape]
    findings: list[str]
    allocation: AllocationShape | None


PoolConversion = TypedDict(
    "PoolConversion",
    {
        "schema": Literal["cordtally/pool-conversion/1"],
        "from": str,
        "to": str,
        "where": str,
        "checked": bool,
        "settings": dict[str, str],
        "ledger": list[LedgerShape],
    },
)


class PoolRow(TypedDict):
    """One pool library or pooler."""

    id: str
    title: str
    language: str
    kind: str
    source: str
    checked: bool


class Pools(TypedDict):
    """pool convert --list --json."""

    schema: Literal["cordtally/pools/1"]
    pools: list[PoolRow]


class PoolVet(TypedDict):
    """pool vet --json."""

    schema: Literal["cordtally/pool-vet/1"]
    pool: str
    findings: list[FindingShape]


class StepShape(TypedDict):
    """What a number of concurrent connections reached: requests a second, and how long they took."""

    concurrency: int
    throughput: float
    p50: float | None
    p95: float | None
    p99: float | None
    failures: int


class WaitShape(TypedDict):
    """A wait as it was measured, and as it was foretold, with its interval."""

    name: str
    measured: float | None
    predicted: float | None
    low: float | None
    high: float | None


class PoolMeasure(TypedDict):
    """pool measure --json."""

    schema: Literal["cordtally/pool-measure/1"]
    statement: str
    server_limit: int | None
    steps: list[StepShape]
    law: LawShape | None
    knee: int | None
    peak: float | None
    pool_size: int | None
    arrivals_per_second: float | None
    waits: list[WaitShape]
    notes: list[str]
