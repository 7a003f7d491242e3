"""PostgreSQL, through psycopg; facts from the manual of PostgreSQL 15 and psycopg 3.3.9."""

from __future__ import annotations

import math
import os
import re
import socket
import struct
from contextlib import suppress
from time import time
from typing import TYPE_CHECKING, Any

from ..catalog.causes import cause_by_words
from ..deadline import Deadline, NoAnswer
from ..model import Cord, Host
from . import plain, postgresql_wire
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Activity, Answer, Capacity, count_holders, missing

if TYPE_CHECKING:
    from collections.abc import Callable

    from .wire import Wire

DRIVER = "psycopg"
TLS_FIRST = False
STATEMENT = "SELECT 1"

_ACTIVITY = """
SELECT state, wait_event_type = 'Lock', extract(epoch FROM now() - coalesce(xact_start, query_start))::float8,
       coalesce(usename, '') || CASE WHEN application_name = '' THEN '' ELSE '/' || application_name END
FROM pg_stat_activity WHERE backend_type = 'client backend' AND pid <> pg_backend_pid()
"""
# whatever the role's search_path finds first, these are the system's own
_SETTING = "pg_catalog.current_setting"
_ANSWER = f"""
SELECT {_SETTING}('server_version'), current_user::text, current_catalog::text, {_SETTING}('search_path'),
       pg_catalog.pg_is_in_recovery(), {_SETTING}('transaction_read_only'),
       pg_catalog.date_part('epoch', pg_catalog.clock_timestamp()),
       {_SETTING}('max_connections')::int4, {_SETTING}('superuser_reserved_connections')::int4,
       (SELECT pg_catalog.count(*) FROM pg_catalog.pg_stat_activity WHERE backend_type = 'client backend'),
       (SELECT pg_catalog.date_part('epoch', {_SETTING}('idle_session_timeout', true)::interval)),
       pg_catalog.date_part('epoch', {_SETTING}('statement_timeout')::interval),
       (SELECT rolsuper FROM pg_catalog.pg_roles WHERE rolname = current_user),
       (SELECT pg_catalog.pg_get_userbyid(datdba) = current_user::name
        FROM pg_catalog.pg_database WHERE datname = current_catalog),
       (SELECT CASE WHEN ssl THEN version || ', ' || cipher ELSE '' END FROM pg_catalog.pg_stat_ssl
        WHERE pid = pg_catalog.pg_backend_pid()),
       pg_catalog.pg_backend_pid()
"""
_LACKS = ("0A", "42", "XX")  # a feature, a name or a right that is not there; a young server has no other code for it
_PRODUCTS = (  # what version() says, by the public documentation of each; the last one fits all
    r"(CockroachDB)(?: \w+)? v([\d.]+)",
    r"(YB)-([\d.]+)",
    r"(Redshift) ([\d.]+)",
    r"(Greenplum) Database ([\d.]+)",
    r"(Materialize)\D*([\d.]+)",
    r"(QuestDB)\D*([\d.]+)",
    r"^(\w*)\D*([\d.]*)",
)
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

# what libpq says of itself, for which there is no code (fe-connect.c, fe-secure-openssl.c, libpq 18)
_OWN_WORDS = (
    (r"no password supplied", "own:no-password"),
    (r"session is (?:not )?read-only|server is (?:not )?in hot standby", "own:role"),
    (
        r"certificate file .* does not exist|could not open certificate file|private key file .* does not exist",
        "tls-file:missing",
    ),
    (r"private key file .* has group or world access", "tls-file:open"),
    (r"could not (?:read|load) .*(?:certificate|private key)|certificate does not match", "tls-file:unusable"),
    (r"server does not support SSL", "tls:not-offered"),
    (r"timeout expired|connection timeout", "timeout:log in"),
    (r"server closed the connection|Connection reset|SSL SYSCALL|EOF detected", "own:hung-up"),
    (
        r"received invalid|invalid response|expected authentication|lost synchronization|unexpected|insufficient data",
        "own:hung-up",
    ),
    (r"Connection refused", "errno:ECONNREFUSED"),
    (r"could not translate host name|Name or service|failed to resolve", "gai:NONAME"),
    # the server's own, where nobody could be asked for its code: in English alone
    (r"password authentication failed", "sqlstate:28P01"),
    (r"no pg_hba\.conf entry|pg_hba\.conf rejects", "sqlstate:28000/ClientAuthentication"),
    (r'role ".*" does not exist|not permitted to log in', "sqlstate:28000/InitializeSessionUserId"),
    (r"authentication failed for user", "sqlstate:28000/auth_failed"),
    (r'database ".*" does not exist', "sqlstate:3D000"),
    (r"permission denied for database", "sqlstate:42501/CheckMyDatabase"),
    (r"remaining connection slots", "sqlstate:53300/InitPostgres"),
    (r"too many (?:clients|connections)", "sqlstate:53300"),
    (r"starting up|shutting down|in recovery", "sqlstate:57P03"),
)


_TCP_INFO = getattr(socket, "TCP_INFO", None)
_POOLERS = ("sqlstate:08P01", "sqlstate:57P03")


def socket_name(host: Host) -> str:
    """The file of a server's socket, by folder and port (manual, section 34.1.2)."""
    return f"{host.name}/.s.PGSQL.{host.port or 5432}"


ask_for_tls = postgresql_wire.ask_for_tls
part = plain.part
inquire = postgresql_wire.inquire


def greet(wire: Wire, cord: Cord) -> str:
    """Send the start-up message, and name the authentication that it is answered with."""
    return postgresql_wire.method_of(postgresql_wire.start(wire, cord))


def used_method(session: Any) -> str:  # noqa: ANN401
    """Say whether a password was asked for: libpq tells no more."""
    return "" if session.pgconn.used_password else "no password asked for"


def _module() -> Any:  # noqa: ANN401
    try:
        import psycopg
    except ImportError:
        raise missing("psycopg", "postgresql", "PostgreSQL") from None
    return psycopg


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver; its own timeout counts only where it is the shorter one."""
    psycopg = _module()
    arguments = plain.arguments_of(cord, DRIVER)
    arguments.setdefault("application_name", "cordtally")
    # so that what is left behind ends soon; libpq takes less than 2 s for 2 s, and 0 for no limit
    most, own = max(2, math.ceil(deadline.seconds)), arguments.get("connect_timeout")
    arguments["connect_timeout"] = min(int(str(own)) or most, most) if own is not None else most
    try:
        return deadline.run(lambda: psycopg.connect(**arguments, autocommit=True), late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except (psycopg.Error, UnicodeError) as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what libpq or the server said into a cause: by its SQLSTATE, and by words only where there is none."""
    engine = "postgresql" if cord is None else cord.engine
    holes = holes_of(cord)
    state, routine = getattr(error, "sqlstate", None), None
    if state is not None:
        routine = getattr(getattr(error, "diag", None), "source_function", None)
        said = str(getattr(error.diag, "message_primary", "") or "")  # type: ignore[attr-defined]
        return refusal_of(
            f"sqlstate:{state}/{routine}", f"sqlstate:{state}", engine=engine, code=state, said=said, **holes
        )
    words = str(error)
    fatal = re.search(r"FATAL:\s+(.*)", words)
    message = fatal[1] if fatal else None
    codes = tuple(code for pattern, code in _OWN_WORDS if re.search(pattern, words))
    if not codes and message is not None and cause_by_words(_POOLERS, message) is not None:
        codes = _POOLERS
    return refusal_of(*codes or ("*",), engine=engine, said=message, **holes)


def _rows(session: Any, statement: str, deadline: Deadline) -> Any:  # noqa: ANN401
    """Ask a question of our own; a session that did not answer in time is not to be used again."""
    psycopg = _module()
    try:
        return deadline.run(lambda: session.execute(statement).fetchall(), watch=watch(session))
    except NoAnswer:
        close(session)
        raise no_answer(deadline, "postgresql") from None
    except psycopg.Error as error:
        raise cause_of(error) from None


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for what a dial tells, in one statement; who only speaks the protocol, or shows less, is asked for less."""
    before = time()
    try:
        row = _rows(session, _ANSWER, deadline)[0]
    except Refusal as refusal:
        if str(refusal.code or "")[:2] not in _LACKS:
            raise
        return _little(session, deadline)
    halfway = (before + time()) / 2
    (version, user, database, schemas, standby, reads, clock, limit, reserve, opened, idle, statement, superuser, owner,
     tls, pid) = row  # fmt: skip
    rights = [name for name, has in (("superuser", superuser), ("owner of the database", owner)) if has]
    # a pooler gives clients a process number of its own
    through = "a pooler" if session.info.backend_pid != pid else None
    return Answer(
        product="PostgreSQL",
        version=str(version).partition(" ")[0],
        user=user,
        database=database,
        schemas=schemas,
        encrypted=tls if through is None else None,
        role="standby" if standby else "primary",
        reads_only=reads == "on",
        rights=tuple(rights),
        clock=clock - halfway,
        opened=opened,
        limit=limit,
        reserve=reserve,
        idle_timeout=idle or 0.0,
        statement_timeout=statement,
        through=through,
        place=f"{session.info.host}:{session.info.port}",
    )


def _little(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """What any server of the protocol tells."""
    said, user, database = _rows(session, "SELECT version(), current_user, current_database()", deadline)[0]
    product, number = next((found[1], found[2]) for one in _PRODUCTS if (found := re.search(one, str(said))))
    return Answer(
        product={"YB": "YugabyteDB"}.get(product, product), version=number, user=str(user), database=str(database)
    )


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


def watch(session: Any) -> Callable[[], None]:  # noqa: ANN401
    """Refuse a server that sends without end: libpq takes all of it into memory."""
    before = _came(session)

    def look() -> None:
        if _came(session) - before > plain.MOST:
            raise refusal_of("own:too-much", engine="postgresql")

    return look


def _came(session: Any) -> int:  # noqa: ANN401
    """Bytes that have come, as the system counts them (tcp_info of Linux, tcpi_bytes_received); 0 where it does not."""
    if _TCP_INFO is None:
        return 0
    try:
        with socket.socket(fileno=os.dup(session.pgconn.socket)) as plug:
            told = plug.getsockopt(socket.IPPROTO_TCP, _TCP_INFO, 136)
        return int(struct.unpack_from("Q", told, 128)[0])
    except (OSError, struct.error, _module().Error):
        return 0


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session; a thread that is in it is woken first: closed under its feet, libpq crashes the process."""
    with suppress(Exception):
        if not session.lock.acquire(blocking=False):
            with socket.socket(fileno=os.dup(session.pgconn.socket)) as plug:
                plug.shutdown(socket.SHUT_RDWR)
            if not session.lock.acquire(timeout=plain.PATIENCE):
                return
        try:
            session.close()
        finally:
            session.lock.release()


def errors() -> tuple[type[Exception], ...]:
    """What psycopg raises."""
    return (_module().Error,)
