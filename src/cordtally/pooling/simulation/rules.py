"""What the event simulation knows: the rules of a pool and its server, the state that it changes, how requests end.

The meaning of every rule is written down in docs/pool-rules.md. Tuples of plain numbers and arrays, so that the
loops in ``events`` can be compiled.
"""

from __future__ import annotations

from typing import Any, NamedTuple

# how a request ends
UNFINISHED, SERVED, TIMED_OUT, REFUSED, BROKEN = range(5)
OUTCOMES = ("unfinished", "served", "timed out", "refused", "broken")

# what happens at an instant, in this order where two things happen at once
RETURNED, CONNECTED, RETIRED, IDLE_CHECK, RECLAIMED, RETRY, DOWN, UP, DEPLOY, BOOTED, DRAINED, DEADLINE, ARRIVAL = (
    range(13)
)

# what a connection is
ABSENT, CONNECTING, FRESH, IDLE, BUSY, LEAKED = range(6)

# what the pool of an instance is
GONE, BOOTING, STARTING, RUNNING, DRAINING = range(5)

# when a new instance is ready
AT_START, AT_MINIMUM, AT_MAXIMUM = range(3)

# whom a request waits for
NOBODY, QUEUED, OWN = range(3)

# what is counted by the way, and shown
COUNTED = {
    "opened": "connections opened",
    "connect_refused": "connects that the server refused",
    "connect_failed": "connects that failed",
    "closed_idle": "closed after being idle",
    "closed_lifetime": "closed at their lifetime",
    "closed_leak": "closed as leaked",
    "closed_broken": "broken by the server",
    "closed_drain": "closed while draining",
    "most_open": "open at the server at most",
    "retried": "requests that asked again",
}

# columns of the time-line
LINE = ("in_use", "idle", "waiting", "connecting", "open_at_server", "refused", "timed_out", "broken", "leaked")


class Rules(NamedTuple):
    """How the pools and the server behave; times in seconds, infinite where there is no limit."""

    instances: int
    max_size: int
    min_size: int
    min_idle: int
    reuse_newest: bool
    serve_newest: bool
    caller_connects: bool
    opening_at_once: int
    acquire_timeout: float
    idle_timeout: float
    lifetime: float
    lifetime_jitter: float
    validate_time: float
    validate_after: float
    reclaim_after: float
    retry_connect_after: float
    retry_share: float
    retry_after: float
    server_limit: int
    server_slots: int
    alpha: float
    beta: float
    token_every: float
    token_life: float
    token_closes: bool
    surge: int
    boot_time: float
    boot_jitter: float
    ready: int
    drain_limit: float
    threads: int
    end: float


class World(NamedTuple):
    """All that changes, by the rules: records and arrays of records, whose fields are named in `FIELDS`.

    Pools 0 … instances − 1 are the instances that run at first; the others replace them in a deploy, and in turn.
    Holds under way are kept in two lists beside it: see ``events``.
    """

    rules: Any
    now: Any
    requests: Any
    draws: Any
    connections: Any
    pools: Any
    dice: Any
    slots: Any
    plan: Any
    line: Any


FIELDS: dict[str, dict[str, str]] = {
    "now": {
        **dict.fromkeys(("instant", "work", "deployed_at"), "f8"),
        **dict.fromkeys(
            ("active", "waiting", "server_open", "epoch", "is_down", "sequence", "free_top", "queue_head", "queue_tail",
             "next_id", "refusals", "timeouts", "breaks", "deploying", "deploy_next", "deploy_done", *COUNTED), "i8",
        ),
    },
    "requests": {
        **dict.fromkeys(("asked", "hold", "wait"), "f8"),
        **dict.fromkeys(("after", "before", "queued"), "i4"),
        **dict.fromkeys(("slot", "pool"), "i2"),
        **dict.fromkeys(("leaks", "status", "waits_for"), "i1"),
    },
    "connections": {
        **dict.fromkeys(("state", "pool", "age", "born_in", "request", "next", "previous", "free"), "i8"),
        **dict.fromkeys(("since", "retire"), "f8"),
    },
    "pools": dict.fromkeys(
        ("state", "open", "idle", "opening", "idle_first", "idle_last", "wait_first", "wait_last", "in_line", "timer",
         "blocked", "serves"), "i8",
    ),
    "dice": {"cost": "f8", "jitter": "f8"},
}  # fmt: skip
