"""PostgreSQL, through psycopg; facts from the manual of PostgreSQL 15, "Monitoring Database Activity"."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...errors import MissingExtra
from .session import Activity, Capacity

DRIVER = "psycopg"
STATEMENT = "SELECT 1"

_ACTIVITY = """
SELECT state, wait_event_type = 'Lock', extract(epoch FROM now() - coalesce(xact_start, query_start))::float8,
       coalesce(usename, '') || CASE WHEN application_name = '' THEN '' ELSE '/' || application_name END
FROM pg_stat_activity WHERE backend_type = 'client backend' AND pid <> pg_backend_pid()
"""
_DONE = "SELECT sum(xact_commit + xact_rollback)::bigint FROM pg_stat_database"
_LIMITS = """
SELECT current_setting('max_connections')::int, current_setting('superuser_reserved_connections')::int,
       (SELECT setting::int / 1000.0 FROM pg_settings WHERE name = 'idle_session_timeout')::float8
"""
_BUSY = ("active", "fastpath function call")


def _module() -> Any:  # noqa: ANN401
    try:
        import psycopg
    except ImportError:
        raise MissingExtra("psycopg", "postgresql", "a session at PostgreSQL") from None
    return psycopg


def connect(arguments: Mapping[str, object], *, limit: float, writes: bool) -> Any:  # noqa: ANN401
    """Open a session that ends its statements after ``limit`` seconds."""
    connection = _module().connect(**arguments, autocommit=True)
    connection.execute(f"SET statement_timeout = {int(limit * 1000)}")
    if not writes:
        connection.execute("SET default_transaction_read_only = on")
    return connection


def run(connection: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    with connection.cursor() as cursor:
        cursor.execute(statement)
        if cursor.description is not None:
            cursor.fetchall()


def check(connection: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Do nothing: the session refuses by itself."""


def capacity(connection: Any) -> Capacity:  # noqa: ANN401
    """Read the limits."""
    limit, reserve, idle = connection.execute(_LIMITS).fetchone()
    return Capacity(limit, reserve, activity(connection).open + 1, idle or None)


def activity(connection: Any) -> Activity:  # noqa: ANN401
    """Read pg_stat_activity and pg_stat_database, once each."""
    counts = dict.fromkeys(("active", "idle", "in"), 0)
    waiting, oldest = 0, 0.0
    holders: dict[str, int] = {}
    for state, locked, age, holder in connection.execute(_ACTIVITY).fetchall():
        kind = "active" if state in _BUSY else "in" if str(state).startswith("idle in") else "idle"
        counts[kind] += 1
        waiting += bool(locked)
        if kind != "idle":
            oldest = max(oldest, age or 0.0)
        holders[holder] = holders.get(holder, 0) + 1
    done = connection.execute(_DONE).fetchone()[0] or 0
    limit = connection.execute(_LIMITS).fetchone()[0]
    return Activity(
        active=counts["active"], idle=counts["idle"], idle_in_transaction=counts["in"], waiting=waiting, oldest=oldest,
        transactions=int(done), limit=limit, holders=tuple(sorted(holders.items(), key=lambda h: -h[1])),
    )  # fmt: skip


def errors() -> tuple[type[Exception], ...]:
    """What psycopg raises."""
    return (_module().Error,)
