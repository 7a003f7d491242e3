"""PostgreSQL, through psycopg; facts from the manual of PostgreSQL 15 and psycopg 3.3.9."""

from __future__ import annotations

import re
import socket
import struct
from contextlib import suppress
from typing import Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord, Host
from ..secrets import arguments_for
from .server import Activity, Answer, Capacity, Refusal, count_holders, missing, no_answer

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
# the limits of the role, which superusers do not have, and of the database, each with what is open of it
_NARROWER = """
SELECT rolconnlimit, (SELECT count(*) FROM pg_stat_activity
                      WHERE usename = current_user AND backend_type = 'client backend')
FROM pg_roles WHERE rolname = current_user AND NOT rolsuper AND rolconnlimit >= 0
UNION ALL
SELECT datconnlimit, (SELECT count(*) FROM pg_stat_activity
                      WHERE datname = current_database() AND backend_type = 'client backend')
FROM pg_database WHERE datname = current_database() AND datconnlimit >= 0
"""
_BUSY = ("active", "fastpath function call")

# libpq gives no SQLSTATE for a connection that failed, so its words must do (fe-connect.c); the server's come
# untranslated, since the start-up packet asks for no language.
_REFUSALS = (
    (
        r"password authentication failed|no password supplied|SASL|SCRAM",
        "the server does not accept user and password together",
        "check both; after a paste, look for a placeholder, a blank at the end, or missing escapes",
    ),
    (
        r'role ".*" does not exist',
        "the server knows no such user",
        "names are case-sensitive; ask the administrator for CREATE ROLE … LOGIN",
    ),
    (
        r"no pg_hba\.conf entry|pg_hba\.conf rejects",
        "the server's pg_hba.conf lets nobody in like this: user, database, address and TLS decide together",
        "add a line there, or ask for TLS if the line says hostssl",
    ),
    (
        r"Peer authentication failed|Ident authentication failed",
        "the server compares the operating system's user with the role, and they differ",
        "connect over TCP with a password, or as that operating-system user",
    ),
    (
        r"too many (clients|connections)|remaining connection slots",
        "the server has no free connection left",
        "shrink the pools (cordtally pool size), or raise max_connections",
    ),
    (
        r"starting up|shutting down|in recovery",
        "the server is starting up or shutting down",
        "wait, and dial again",
    ),
    (r"Connection refused", "nothing listens there", "start the server, or correct host and port"),
    (r"could not translate host name|Name or service", "no address is known for the host", "check its spelling"),
)
_CREDENTIALS = 2  # the first of them are about user and password
_DATABASE_REFUSALS = (
    (
        r'database ".*" does not exist',
        "the user is let in, and the database does not exist there",
        "check its name, or create it",
    ),
    (
        r"permission denied for database",
        "the user may not connect to this database",
        "GRANT CONNECT ON DATABASE … TO …",
    ),
)
# PostgreSQL 15 manual, appendix A
_STATES = {
    "42601": ("the server finds a mistake in the statement's syntax", "try it in psql"),
    "42P01": ("the statement names a table that is not there", "check its name and the schema path"),
    "42703": ("the statement names a column that is not there", "check its name"),
    "42883": ("the statement calls a function that is not there", "check its name and the types of its arguments"),
    "42501": ("the user may not do what the statement does", "GRANT it, or use another user"),
    "25006": ("the statement changes something, and the session is read-only", "give --allow-writes if that is meant"),
    "57014": ("the statement took longer than its limit", "give it longer, or a shorter statement"),
    "53300": ("the server has no free connection left", "measure with fewer connections"),
    "57P01": ("an administrator ended the session, or the server is shutting down", "look into the server's log"),
}


def socket_name(host: Host) -> str:
    """The file of a server's socket, by folder and port (manual, section 34.1.2)."""
    return f"{host.name}/.s.PGSQL.{host.port or 5432}"


def ask_for_tls(plug: socket.socket, deadline: Deadline) -> bool:
    """Send SSLRequest and read its answer (manual, section 55.7)."""
    plug.settimeout(deadline.left)
    plug.sendall(struct.pack("!ii", 8, 80877103))
    return plug.recv(1) == b"S"


def _module() -> Any:  # noqa: ANN401
    try:
        import psycopg
    except ImportError:
        raise missing("psycopg", "postgresql", "PostgreSQL") from None
    return psycopg


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver; its own timeout counts only where it is the shorter one."""
    psycopg = _module()
    arguments = arguments_for(cord, DRIVER)
    arguments.setdefault("application_name", "cordtally")
    try:
        return deadline.run(lambda: psycopg.connect(**arguments, autocommit=True))
    except NoAnswer:
        raise no_answer(deadline) from None
    except (psycopg.Error, UnicodeError) as error:
        raise cause_of(error) from None


def cause_of(error: Exception) -> Refusal:
    """Turn what libpq or the server said into a cause: by its SQLSTATE, and by its words only where there is none."""
    state = getattr(error, "sqlstate", None)
    if state in _STATES:
        return Refusal(*_STATES[state], code=state)
    said = str(error)
    for pattern, cause, hint in _DATABASE_REFUSALS:
        if re.search(pattern, said):
            return Refusal(cause, hint, database=True, code=state)
    for number, (pattern, cause, hint) in enumerate(_REFUSALS):
        if re.search(pattern, said):
            return Refusal(cause, hint, credentials=number < _CREDENTIALS, code=state)
    known = f" (SQLSTATE {state})" if state else ""
    cause = f"the server or the driver refused, for a reason that is not known here{known}"
    return Refusal(cause, "look into the server's log", code=state)


def _rows(session: Any, statement: str, deadline: Deadline) -> Any:  # noqa: ANN401
    """Ask a question of our own; a session that did not answer in time is not to be used again."""
    psycopg = _module()
    try:
        return deadline.run(lambda: session.execute(statement).fetchall())
    except NoAnswer:
        raise no_answer(deadline) from None
    except psycopg.Error as error:
        raise cause_of(error) from None


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for version, user and database."""
    ((version, user, database),) = _rows(
        session, "SELECT current_setting('server_version'), current_user, current_database()", deadline
    )
    return Answer(product=f"PostgreSQL {str(version).partition(' ')[0]}", user=user, database=database)


def prepare(session: Any, *, limit: float, writes: bool) -> None:  # noqa: ANN401
    """Let the server end statements after ``limit`` seconds, and refuse to write."""
    session.execute(f"SET statement_timeout = {int(limit * 1000)}")
    if not writes:
        session.execute("SET default_transaction_read_only = on")


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    with session.cursor() as cursor:
        cursor.execute(statement)
        if cursor.description is not None:
            cursor.fetchall()


def check(session: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Do nothing: the session refuses by itself."""


def capacity(session: Any, deadline: Deadline) -> Capacity:  # noqa: ANN401
    """Read the limits; those of the role and of the database, where they are narrower than the server's."""
    ((limit, reserve, idle),) = _rows(session, _LIMITS, deadline)
    opened = activity(session, deadline).open + 1
    for most, its_own in _rows(session, _NARROWER, deadline):
        if most - its_own < limit - reserve - opened:
            limit, reserve, opened = most, 0, its_own
    return Capacity(limit, reserve, opened, idle or None)


def activity(session: Any, deadline: Deadline) -> Activity:  # noqa: ANN401
    """Read pg_stat_activity and pg_stat_database, once each ("Monitoring Database Activity")."""
    counts = dict.fromkeys(("active", "idle", "in"), 0)
    waiting, oldest = 0, 0.0
    holders: dict[str, int] = {}
    for state, locked, age, holder in _rows(session, _ACTIVITY, deadline):
        kind = "active" if state in _BUSY else "in" if str(state).startswith("idle in") else "idle"
        counts[kind] += 1
        waiting += bool(locked)
        if kind != "idle":
            oldest = max(oldest, age or 0.0)
        holders[holder] = holders.get(holder, 0) + 1
    ((done,),) = _rows(session, _DONE, deadline)
    limit = _rows(session, _LIMITS, deadline)[0][0]
    return Activity(
        active=counts["active"],
        idle=counts["idle"],
        idle_in_transaction=counts["in"],
        waiting=waiting,
        oldest=oldest,
        transactions=int(done or 0),
        limit=limit,
        holders=count_holders(holders),
    )


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What psycopg raises."""
    return (_module().Error,)
