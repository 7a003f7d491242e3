"""Runs the event simulation once: lays out its state, draws what is random, and gives back what happened."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, get_type_hints

import numpy as np

from ...errors import PoolModelError, quoted
from . import rules as names
from .accelerating import ACCELERATED
from .draws import Spread
from .events import run, run_interpreted
from .plain import check_trace
from .rules import Rules, World

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

LINE_POINTS = 600
_DRAWS = 4_096
_KINDS = {int: "i8", float: "f8", bool: "?"}


@dataclass(frozen=True, eq=False)
class Requests:
    """What comes in: instants (s), holds (s), the instance of each, and which forget to give back; all shape (n,).

    With threads, ``arrivals`` is empty and ``thinks`` (s) says how long a thread waits before each request.
    """

    arrivals: Array
    holds: Array
    slots: np.ndarray[tuple[int], np.dtype[Any]]
    leaks: np.ndarray[tuple[int], np.dtype[Any]]
    thinks: Array | None = None


@dataclass(frozen=True, eq=False)
class Run:
    """What one simulation gave: by request, along the time-line, and in all.

    ``asked`` and ``waits`` in seconds, ``statuses`` as the numbers of ``rules.OUTCOMES``, all shape (n,); ``line`` has
    a row for each of `LINE_POINTS` instants and the columns of ``rules.LINE``; ``counts`` says how often what happened.
    """

    asked: Array
    waits: Array
    statuses: np.ndarray[tuple[int], np.dtype[np.int8]]
    line: np.ndarray[tuple[int, int], np.dtype[np.float64]]
    counts: dict[str, int]
    deployed_at: float | None
    end: float


def simulate_pools(
    rules: Rules, requests: Requests, *, rng: np.random.Generator, connect: Spread, plan: list[tuple[float, int]]
) -> Run:
    """Simulate pools in detail; the rules are in docs/pool-rules.md.

    Parameters
    ----------
    rules : Rules
        How the pools and the server behave.
    requests : Requests
        What comes in.
    rng : numpy.random.Generator
        Where connect times, lifetimes and retries are drawn from.
    connect : Spread
        How long it takes to open a connection.
    plan : list of tuple
        Instants (s) and kinds of what is planned: ``rules.DOWN``, ``UP``, ``DEPLOY``.

    Raises
    ------
    PoolModelError
        When the requests cannot be meant.
    """
    count = len(requests.holds)
    check_trace(requests.arrivals if requests.thinks is None else np.zeros(count), requests.holds)
    total = count if rules.threads > 0 else count + _most_retries(count, rules.retry_share)
    world = _lay_out(rules, requests, total, rng, connect, plan)
    first = min(count, rules.threads) if rules.threads > 0 else count
    if ACCELERATED:
        run(world, first)
    else:
        run_interpreted(world, first)
    return _gather(rules, world)


def _most_retries(count: int, share: float) -> int:
    """How many requests ask again if all give up each time; at most as many as there are."""
    return count if share >= 0.5 else math.ceil(count * share / (1 - share))


def _lay_out(
    rules: Rules, requests: Requests, total: int, rng: np.random.Generator, connect: Spread,
    plan: list[tuple[float, int]],
  ) -> World:  # fmt: skip
    count = len(requests.holds)

    pools, room = 2 * rules.instances, 2 * rules.instances * rules.max_size + 1
    now = _records("now", 1)
    now["deployed_at"], now["free_top"] = math.nan, room
    now["next_id"] = min(count, rules.threads) if rules.threads > 0 else count
    table = _records("requests", total)
    table["after"][:count], table["before"][:count] = -1, -1  # rows of retries take memory once there are any
    if requests.thinks is None:
        table["asked"][:count] = requests.arrivals
        draws = np.empty(total if rules.retry_share > 0 else 1)
        if rules.retry_share > 0:
            rng.random(out=draws[:count])
    else:
        table["asked"] = math.inf
        draws = np.asarray(requests.thinks, dtype=float)
    for name, values in (("hold", requests.holds), ("slot", requests.slots), ("leaks", requests.leaks)):
        table[name][:count] = values
    connections = _records("connections", room)
    connections["request"], connections["free"] = -1, np.arange(room)[::-1]
    pool = _records("pools", pools)
    pool["state"][: rules.instances], pool["serves"] = names.RUNNING, np.arange(pools)
    for name in ("idle_first", "idle_last", "wait_first", "wait_last"):
        pool[name] = -1
    dice = _records("dice", _DRAWS)
    dice["cost"], dice["jitter"] = connect.draw(rng, _DRAWS), rng.random(_DRAWS)
    fixed = np.zeros(1, np.dtype([(name, _KINDS[kind]) for name, kind in get_type_hints(Rules).items()]))
    for name, value in rules._asdict().items():
        fixed[name] = value
    return World(
        rules=fixed[0],
        now=now[0],
        requests=table,
        draws=draws,
        connections=connections,
        pools=pool,
        dice=dice,
        slots=np.zeros(max(1, rules.server_slots)),
        plan=np.array(sorted(plan), dtype=float).reshape(-1, 2),
        line=np.zeros((LINE_POINTS, len(names.LINE))),
    )


def _records(name: str, count: int) -> Any:  # noqa: ANN401
    return np.zeros(count, np.dtype(list(names.FIELDS[name].items()), align=True))


def _gather(rules: Rules, world: World) -> Run:
    table = world.requests[: int(world.now["next_id"])]
    seen = table["asked"] <= rules.end
    columns = (table["asked"], table["wait"], table["status"])
    asked, waits, statuses = columns if seen.all() else (column[seen] for column in columns)
    still = statuses == names.UNFINISHED
    waits[still] = rules.end - asked[still]
    deployed = float(world.now["deployed_at"])
    return Run(
        asked=asked,
        waits=waits,
        statuses=statuses,
        line=world.line,
        counts={name: int(world.now[name]) for name in names.COUNTED},
        deployed_at=None if math.isnan(deployed) else deployed,
        end=rules.end,
    )


def plain_rules(instances: int, max_size: int, end: float, **changes: Any) -> Rules:  # noqa: ANN401
    """Make rules without any extra: full pools from the start, no limits, no costs; ``changes`` replace fields."""
    forever = math.inf
    usual: dict[str, Any] = dict(  # noqa: C408
        instances=instances, max_size=max_size, min_size=max_size, min_idle=0, reuse_newest=True, serve_newest=False,
        caller_connects=False, opening_at_once=0, acquire_timeout=forever, idle_timeout=forever, lifetime=forever,
        lifetime_jitter=0.0, validate_time=0.0, validate_after=0.0, reclaim_after=forever, retry_connect_after=1.0,
        retry_share=0.0, retry_after=0.0, server_limit=2**31, server_slots=0, alpha=0.0, beta=0.0,
        token_every=forever, token_life=forever, token_closes=False, surge=1, boot_time=0.0, boot_jitter=0.0,
        ready=names.AT_MINIMUM, drain_limit=forever, threads=0, end=end,
    )  # fmt: skip
    unknown = changes.keys() - set(Rules._fields)
    if unknown:
        raise PoolModelError(f"a pool has no rule {quoted(sorted(unknown)[0])}")
    kinds = get_type_hints(Rules)  # one type a field, so that the loops are compiled once
    return Rules(**{name: kinds[name](value) for name, value in (usual | changes).items()})


__all__ = ["ACCELERATED", "LINE_POINTS", "Requests", "Run", "plain_rules", "simulate_pools"]
