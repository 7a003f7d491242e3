"""MySQL and MariaDB, through PyMySQL; facts from the MariaDB knowledge base and server 10.11."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...errors import MissingExtra
from .session import Activity, Capacity

DRIVER = "pymysql"
STATEMENT = "SELECT 1"

_ACTIVITY = """
SELECT p.command, p.state, p.time, concat(p.user, coalesce(concat('/', p.db), '')), t.trx_state,
       timestampdiff(SECOND, t.trx_started, now())
FROM information_schema.processlist p LEFT JOIN information_schema.innodb_trx t ON t.trx_mysql_thread_id = p.id
WHERE p.id <> connection_id() AND p.command NOT IN ('Daemon', 'Binlog Dump')
"""
_BARE = """
SELECT p.command, p.state, p.time, concat(p.user, coalesce(concat('/', p.db), '')), NULL, NULL
FROM information_schema.processlist p WHERE p.id <> connection_id() AND p.command NOT IN ('Daemon', 'Binlog Dump')
"""


def _module() -> Any:  # noqa: ANN401
    try:
        import pymysql
    except ImportError:
        raise MissingExtra("PyMySQL", "mysql", "a session at MySQL or MariaDB") from None
    return pymysql


def connect(arguments: Mapping[str, object], *, limit: float, writes: bool) -> Any:  # noqa: ANN401
    """Open a session; MariaDB ends any statement after the limit, MySQL those that read."""
    connection = _module().connect(**{**arguments, "autocommit": True})
    maria = "MariaDB" in connection.get_server_info()
    setting = f"max_statement_time = {limit}" if maria else f"max_execution_time = {int(limit * 1000)}"
    run(connection, f"SET SESSION {setting}")
    if not writes:
        run(connection, "SET SESSION TRANSACTION READ ONLY")
    return connection


def _rows(connection: Any, statement: str) -> Any:  # noqa: ANN401
    with connection.cursor() as cursor:
        cursor.execute(statement)
        return cursor.fetchall()


def run(connection: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    _rows(connection, statement)


def check(connection: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Do nothing: the session refuses by itself."""


def capacity(connection: Any) -> Capacity:  # noqa: ANN401
    """Read the limits; one connection beyond the limit is kept for an administrator by the server itself."""
    limit, idle = _rows(connection, "SELECT @@GLOBAL.max_connections, @@GLOBAL.wait_timeout")[0]
    return Capacity(int(limit), 0, activity(connection).open + 1, float(idle))


def activity(connection: Any) -> Activity:  # noqa: ANN401
    """Read the process list, with the open transactions where the user may see them."""
    try:
        rows = _rows(connection, _ACTIVITY)
    except errors():
        rows = _rows(connection, _BARE)
    active = idle = inside = waiting = 0
    oldest = 0.0
    holders: dict[str, int] = {}
    for command, state, time, holder, transaction, age in rows:
        sleeping = command == "Sleep"
        active += not sleeping
        inside += sleeping and transaction is not None
        idle += sleeping and transaction is None
        waiting += transaction == "LOCK WAIT" or "lock" in str(state or "").lower()
        if not sleeping or transaction is not None:
            oldest = max(oldest, float(age if age is not None else time or 0))
        holders[holder] = holders.get(holder, 0) + 1
    done = _rows(connection, "SHOW GLOBAL STATUS LIKE 'Questions'")[0][1]
    (limit,) = _rows(connection, "SELECT @@GLOBAL.max_connections")[0]
    return Activity(
        active=active, idle=idle, idle_in_transaction=inside, waiting=waiting, oldest=oldest, transactions=int(done),
        limit=int(limit), holders=tuple(sorted(holders.items(), key=lambda h: -h[1])),
    )  # fmt: skip


def errors() -> tuple[type[Exception], ...]:
    """What PyMySQL raises."""
    return (_module().MySQLError,)
