"""Measures a server step by step, fits the scalability law, finds the knee, and holds measured waits against models."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from ...catalog import load_engine
from ...errors import MissingExtra, PoolModelError, ServerError
from ...figures import show_number, show_seconds, show_share
from ...model import Cord
from ...results import Result
from ...secrets import Surroundings
from ...servers import (
    Capacity,
    Deadline,
    EngineServer,
    NoAnswer,
    Refusal,
    Session,
    no_answer,
    open_prepared,
    place_of,
    server_for,
)
from ..quantities import set_quantities

if TYPE_CHECKING:
    import numpy as np

    from ..fitting.scalability import ScalabilityFit
    from .loading import Load, Sessions

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

SHARES = {"p50": 0.5, "p95": 0.95, "p99": 0.99}
_BUSY_CLIENT = 0.7
_REPEATS = 100
_MOST = 1_000
CONNECT_LIMIT = 5.0
"""How long opening a session may take, and an answer to a question of our own (s)."""


@dataclass(frozen=True, kw_only=True)
class Plan:
    """What a measurement does.

    Parameters
    ----------
    statement : str
        What each request runs.
    most_connections : int
        Concurrency goes up to this.
    seconds : float or str
        How long each step takes: seconds, or a text like ``2s``.
    pool_size : int, optional
        At this size waits are measured, too, with requests at random instants, and compared with the model.
    utilisation : float
        How busy the pool of that size is to be, from 0 to 1.
    statement_limit : float or str
        When the server ends a statement: seconds, or a text like ``5s``.
    writes : bool
        Whether the statement may change data.
    seed : int
        Where the instants come from.

    Raises
    ------
    PoolModelError
        When a number cannot be meant.
    """

    statement: str
    most_connections: int = 16
    seconds: float = 2.0
    pool_size: int | None = None
    utilisation: float = 0.7
    statement_limit: float = 5.0
    writes: bool = False
    seed: int = 1

    def __post_init__(self) -> None:
        """Turn texts into numbers, and refuse what cannot be meant."""
        set_quantities(self, seconds=("seconds", "statement_limit"))
        if not 1 <= self.most_connections <= _MOST:
            raise PoolModelError(f"connections to measure must be from 1 to {_MOST:,}")
        if not 0.1 <= self.seconds <= 3600 or not 0 < self.statement_limit <= 3600:
            raise PoolModelError("a step takes from 100 ms to 1 h, and a statement up to 1 h")
        if not 0 < self.utilisation < 1:
            raise PoolModelError("the pool's utilisation must lie between 0 and 1")
        if self.pool_size is not None and not 1 <= self.pool_size <= self.most_connections:
            raise PoolModelError(f"the pool size must be from 1 to the {self.most_connections} connections measured")

    @property
    def steps(self) -> list[int]:
        """The concurrencies: every one up to 4, then each about a quarter to a third more, and the last."""
        found = [n for n in (1, 2, 3, 4) if n <= self.most_connections]
        while found[-1] < self.most_connections:
            found.append(min(self.most_connections, max(found[-1] + 1, round(found[-1] * 1.35))))
        return found

    @property
    def lasts(self) -> float:
        """About how many seconds it takes in all."""
        return self.seconds * (len(self.steps) + (5 if self.pool_size else 0))


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One concurrency: requests per second, percentiles of the time that a statement took (s), failures."""

    concurrency: int
    throughput: float
    p50: float
    p95: float
    p99: float
    failures: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """A percentile of the wait at the pool size (s): as measured, and as the model said before.

    Half of the runs of this length stay below ``predicted``; nine of ten are from ``low`` to ``high``.
    """

    name: str
    measured: float
    predicted: float
    low: float
    high: float


@dataclass(frozen=True, kw_only=True, repr=False)
class Measurement(Result):
    """What was measured; ``knee`` and ``peak`` are concurrencies over all clients, None where no step shows one."""

    _rows = "steps"
    statement: str
    capacity: Capacity
    steps: tuple[Step, ...]
    law: ScalabilityFit | None
    knee: int | None
    peak: float | None
    pool_size: int | None
    arrivals: float | None
    comparisons: tuple[Comparison, ...]
    notes: tuple[str, ...] = field(default=())

    def _summary(self) -> str:
        best = max((step.throughput for step in self.steps), default=0.0)
        return f"{len(self.steps)} steps, {show_number(best, 4)} requests/s at most"

    def to_dict(self) -> dict[str, Any]:
        """Give ``cordtally/pool-measure/1``: times in seconds, rates per second."""
        return {
            "schema": "cordtally/pool-measure/1",
            "statement": self.statement,
            "server_limit": self.capacity.limit,
            "steps": [{name: getattr(step, name) for name in Step.__slots__} for step in self.steps],
            "law": None if self.law is None else self.law.to_dict(),
            "knee": self.knee,
            "peak": self.peak,
            "pool_size": self.pool_size,
            "arrivals_per_second": self.arrivals,
            "waits": [{name: getattr(c, name) for name in Comparison.__slots__} for c in self.comparisons],
            "notes": list(self.notes),
        }


def measure(
    cord: Cord, plan: Plan, *, surroundings: Surroundings | None = None,
    progress: Callable[[int, int], None] | None = None,
) -> Measurement:  # fmt: skip
    """Measure a real server through its real driver.

    Every session that is opened is closed, also when the measurement is interrupted. Unless the plan allows writes, the
    sessions are read-only.

    Parameters
    ----------
    cord : Cord
        Where to: PostgreSQL, MySQL, MariaDB, Redis or SQLite.
    plan : Plan
        What to do.
    surroundings : Surroundings, optional
        How a locator's secret is fetched.
    progress : callable, optional
        Is told how many steps are done, and of how many.

    Raises
    ------
    FieldError
        For an engine that cannot be measured, and a statement that may change something.
    PoolModelError
        When the server has not so many connections to spare.
    ServerError
        When the server lets nobody in, does not answer, or refuses the statement.
    MissingExtra
        When the driver or NumPy is not installed.
    """
    try:
        import numpy  # noqa: F401
    except ImportError:
        raise MissingExtra("NumPy", "pool", "measuring") from None
    from .loading import Failures, open_sessions
    from .steps import put_loads

    server = server_for(cord.engine)
    errors = server.errors()
    patience = Deadline(plan.statement_limit + CONNECT_LIMIT)
    failures = Failures(errors, lambda error: server.cause_of(error).cause, patience.seconds)

    def work(session: Session) -> None:
        server.run(session, plan.statement)

    def connect() -> Session:
        deadline = Deadline(CONNECT_LIMIT)
        return open_prepared(cord, deadline, surroundings, limit=plan.statement_limit, writes=plan.writes)

    with open_sessions(connect, server.close) as sessions:
        try:
            capacity = _first_look(sessions, server, plan)
            # all of them now: a limit of the role or the database is met before anything is measured
            sessions.grow(max(plan.most_connections, plan.pool_size or 1))
        except Exception as error:
            if not isinstance(error, (Refusal, *errors)):
                raise
            refusal = error if isinstance(error, Refusal) else server.cause_of(error)
            advice, opened = refusal.hint, len(sessions.opened)
            if opened > 1:
                advice = f"{opened} connections were open by then: measure with {opened} at most, or raise the limit"
            raise ServerError(f"{place_of(cord)}: {refusal.cause}; {advice}") from None
        try:
            loads, rate, waits, instants = put_loads(sessions, work, failures, plan, progress)
        except NoAnswer:
            silent = no_answer(patience, cord.engine)
            raise ServerError(f"{place_of(cord)}: {silent.cause}; {silent.hint}") from None
    compared = () if waits is None else _compare(plan, loads, waits, instants)
    return _gather(plan, capacity, loads, waits, rate, compared, embedded=load_engine(cord.engine).embedded)


def _first_look(sessions: Sessions, server: EngineServer, plan: Plan) -> Capacity:
    (first,) = sessions.grow(1)
    server.check(first, plan.statement, writes=plan.writes)
    capacity = server.capacity(first, Deadline(CONNECT_LIMIT))
    if capacity.limit is not None:
        left = capacity.limit - capacity.reserve - capacity.open
        if max(plan.most_connections, plan.pool_size or 1) - 1 > left:
            raise PoolModelError(
                f"the server allows {capacity.limit} connections, keeps {capacity.reserve} and has {capacity.open} "
                f"open: measure with {left + 1} at most"
            )
    try:
        Deadline(plan.statement_limit + CONNECT_LIMIT).run(lambda: server.run(first, plan.statement))
    except NoAnswer:
        raise Refusal("the statement took longer than its limit", "give it longer, or a shorter statement") from None
    return capacity


def _gather(  # noqa: PLR0917 -- what was measured, in the order of measuring
    plan: Plan, capacity: Capacity, loads: dict[int, Load], waits: Load | None, rate: float | None,
    compared: tuple[Comparison, ...], *, embedded: bool,
) -> Measurement:  # fmt: skip
    import numpy as np

    steps = []
    for concurrency, load in loads.items():
        p50, p95, p99 = (float(np.quantile(load.holds, share)) for share in SHARES.values())
        steps.append(Step(concurrency=concurrency, throughput=load.throughput, p50=p50, p95=p95, p99=p99,
                          failures=load.failures))  # fmt: skip
    law = knee = None
    if len(steps) >= 4:
        from ..fitting.scalability import fit_scalability

        law = fit_scalability(
            np.array([s.concurrency for s in steps], dtype=float), np.array([s.throughput for s in steps])
        )
        found = find_knee(law, plan.most_connections)
        knee = found if found < plan.most_connections else None
    return Measurement(
        statement=plan.statement, capacity=capacity, steps=tuple(steps), law=law,
        knee=knee, peak=None if law is None else law.peak,
        pool_size=plan.pool_size, arrivals=rate, comparisons=compared,
        notes=tuple(_notes(loads, waits, law, compared, embedded=embedded)),
    )  # fmt: skip


def find_knee(law: ScalabilityFit, most: int) -> int:
    """The concurrency, up to ``most``, at which throughput over time per request is highest.

    Parameters
    ----------
    law : ScalabilityFit
        Throughput per second.
    most : int
        The largest concurrency that was measured: beyond it the law is a guess.

    References
    ----------
    .. [1] L. Kleinrock, "Power and deterministic rules of thumb for probabilistic problems in computer communications",
       ICC 1979: the knee is where throughput over response time has its maximum; here X²/N, by Little's law.
    """
    import numpy as np

    n = np.arange(1, most + 1, dtype=float)
    return int(n[np.argmax(law.throughput(n) ** 2 / n)])


def _compare(plan: Plan, loads: dict[int, Load], waits: Load, instants: Array) -> tuple[Comparison, ...]:
    """Predict the waits from the closed steps alone, for the instants that were meant.

    Holds come from the steps with about as many active as the pool has in use, from half to one and a half times; they
    are resampled for each repetition, so that the spread of the prediction holds that of the few that were measured.
    """
    import numpy as np

    from ..simulation.plain import simulate_waits

    assert plan.pool_size is not None
    active = plan.pool_size * plan.utilisation
    near = min(loads, key=lambda n: abs(n - active))
    alike = np.concatenate([load.holds for n, load in loads.items() if n == near or 0.5 * active <= n <= 1.5 * active])
    rng = np.random.default_rng(plan.seed + 1)

    counted = np.isfinite(waits.waits)
    if counted[len(instants) // 10 :].any():
        counted[: len(instants) // 10] = False  # an empty pool to begin with

    def figures(every: Array) -> Array:
        return np.array([every[counted].mean(), *np.quantile(every[counted], list(SHARES.values()))])

    measured = figures(waits.waits)
    runs = np.array([
        figures(simulate_waits(instants, rng.choice(rng.choice(alike, len(alike)), len(instants)), plan.pool_size))
        for _ in range(_REPEATS)
    ])  # fmt: skip
    low, predicted, high = np.quantile(runs, [0.05, 0.5, 0.95], axis=0)
    return tuple(
        Comparison(name=name, measured=float(m), predicted=float(p), low=float(lo), high=float(hi))
        for name, m, p, lo, hi in zip(("mean", *SHARES), measured, predicted, low, high)
    )


def _notes(
    loads: dict[int, Load], waits: Load | None, law: ScalabilityFit | None, compared: tuple[Comparison, ...], *,
    embedded: bool,
) -> list[str]:  # fmt: skip
    notes = []
    busiest = max(loads, key=lambda n: loads[n].client_busy)
    if loads[busiest].client_busy > _BUSY_CLIENT and not embedded:
        notes.append(
            f"this process itself was busy for {show_share(loads[busiest].client_busy)} of a core at {busiest}: the "
            "measurement may show its limit, not the server's; a longer statement shows the server"
        )
    every = [*loads.values(), *([waits] if waits else [])]
    stall, left_out = max(load.stall for load in every), sum(load.left_out for load in every)
    if any(load.disturbed for load in every):
        notes.append(f"this machine stood still too often, for up to {show_seconds(stall)}: measure on a quieter one")
    elif left_out:
        notes.append(
            f"this machine stood still for up to {show_seconds(stall)} at a time; {show_seconds(left_out)} around that "
            "are left out"
        )
    failed = sum(load.failures for load in every)
    if failed:
        first = next(load.first_failure for load in every if load.failures)
        notes.append(f"{failed} statements failed; the first: {first}")
    mean = next((c for c in compared if c.name == "mean"), None)
    if mean is not None and not mean.low <= mean.measured <= mean.high:
        longer = "longer" if mean.measured > mean.high else "shorter"
        why = "holds differ from those in the steps, or others used the server"
        if embedded and longer == "longer":
            why = "an embedded engine works in this process, whose threads also wait for each other and the interpreter"
        notes.append(f"waits were {longer} than chance explains: {why}")
    few = min(loads, key=lambda n: len(loads[n].holds))
    if len(loads[few].holds) < 100:
        lasts = show_seconds(loads[few].seconds)
        notes.append(f"only {len(loads[few].holds)} statements ended at {few} in {lasts}: give each step longer")
    if law is not None and law.peak is None:
        low = "" if law.peak_low is None else f"; it lies at {law.peak_low:.0f} or above (95 % confidence)"
        notes.append(f"no peak seen up to {law.most_measured:g} connections{low}")
    if law is not None and law.error > 0.1:
        notes.append(f"the steps lie {show_share(law.error)} off the law: its knee is a rough guess here")
    return notes


__all__ = ["Comparison", "Measurement", "Plan", "Step", "find_knee", "measure"]
