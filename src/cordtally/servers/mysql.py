"""MySQL and MariaDB, through PyMySQL; facts from the MariaDB knowledge base and server 10.11, and PyMySQL 1.2."""

from __future__ import annotations

import errno
import socket
import struct
from contextlib import suppress
from typing import Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord, Host
from ..secrets import arguments_for
from .server import Activity, Answer, Capacity, Refusal, count_holders, missing, no_answer

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

# MariaDB knowledge base, "MariaDB Error Codes"; from 2000 on the client's own (PyMySQL, constants/CR.py)
_REFUSALS = {
    1045: (
        "the server does not accept user, password and the host that you come from together",
        "check all three: accounts are user@host here",
    ),
    1698: ("the account logs in through the operating system, not with a password", "use another account"),
    1130: ("no account may log in from this machine", "CREATE USER …@'this address' on the server"),
    1040: (
        "the server has no free connection left",
        "shrink the pools (cordtally pool size), or raise max_connections",
    ),
    1203: ("this user has all the connections it may have", "shrink its pools"),
    1129: ("the server blocks this machine after many failed attempts", "FLUSH HOSTS on the server"),
    3159: ("the server lets nobody in without TLS", "ask for TLS: verify-identity"),
    2003: ("nothing answers there, or the connection was lost on the way", "check host and port, and dial again"),
    2013: ("the server hung up", "look into the server's log"),
    2006: ("the server has ended the session", "look into the server's log"),
    1064: ("the server finds a mistake in the statement's syntax", "try it in the server's own client"),
    1146: ("the statement names a table that is not there", "check its name"),
    1054: ("the statement names a column that is not there", "check its name"),
    1142: ("the user may not do what the statement does", "GRANT it, or use another user"),
    1792: ("the statement changes something, and the session is read-only", "give --allow-writes if that is meant"),
    1969: ("the statement took longer than its limit", "give it longer, or a shorter statement"),
    3024: ("the statement took longer than its limit", "give it longer, or a shorter statement"),
}
_ACCESS_DENIED = 1045
_DATABASE_REFUSALS = {
    1049: ("the user is let in, and the database does not exist there", "check its name, or create it"),
    1044: ("the user may not use this database", "GRANT … ON the database TO the user"),
}
# capability flags (MariaDB knowledge base, "Connection"): long password, protocol 4.1, SSL, secure connection
_SSL, _CAPABILITIES, _UTF8MB4 = 0x0800, 0x0001 | 0x0200 | 0x0800 | 0x8000, 45


def socket_name(host: Host) -> str:
    """The socket is a file of its own here."""
    return host.name


def ask_for_tls(plug: socket.socket, deadline: Deadline) -> bool:
    """Read the server's greeting and ask for TLS (protocol version 10: MariaDB knowledge base, "Connection").

    Raises
    ------
    ConnectionError
        When the server hangs up, or greets as no such server does.
    """
    head = _receive(plug, 4, deadline)
    greeting = _receive(plug, int.from_bytes(head[:3], "little"), deadline)
    if greeting[:1] != b"\x0a":
        return True  # an error instead of a greeting: log-in will tell which
    after_version = greeting.find(b"\0", 1) + 1
    if not 0 < after_version <= len(greeting) - 15:
        raise ConnectionResetError(errno.ECONNRESET, "cut short")
    lower = struct.unpack_from("<H", greeting, after_version + 13)[0]
    if not lower & _SSL:
        return False
    body = struct.pack("<IIB23x", _CAPABILITIES, 1 << 24, _UTF8MB4)
    plug.sendall(len(body).to_bytes(3, "little") + b"\x01" + body)
    return True


def _receive(plug: socket.socket, count: int, deadline: Deadline) -> bytes:
    got = b""
    while len(got) < count:
        plug.settimeout(deadline.left)
        piece = plug.recv(count - len(got))
        if not piece:
            raise ConnectionResetError(errno.ECONNRESET, "closed")
        got += piece
    return got


def _module() -> Any:  # noqa: ANN401
    try:
        import pymysql
    except ImportError:
        raise missing("PyMySQL", "mysql", "MySQL and MariaDB") from None
    return pymysql


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver; its own timeouts count only where they are the shorter ones."""
    pymysql = _module()
    arguments = arguments_for(cord, DRIVER)
    try:
        return deadline.run(lambda: pymysql.connect(**{**arguments, "autocommit": True}))
    except NoAnswer:
        raise no_answer(deadline) from None
    except (pymysql.Error, UnicodeError, RuntimeError, ValueError, struct.error, IndexError) as error:
        raise cause_of(error) from None  # the last three: a peer that is no such server


def cause_of(error: Exception) -> Refusal:
    """Turn what the driver raised into a cause, by its number."""
    code = error.args[0] if error.args and isinstance(error.args[0], int) else None
    if code in _DATABASE_REFUSALS:
        return Refusal(*_DATABASE_REFUSALS[code], database=True, code=str(code))
    if code in _REFUSALS:
        return Refusal(*_REFUSALS[code], credentials=code == _ACCESS_DENIED, code=str(code))
    known = f" (error {code})" if code is not None else ""
    hint = "look into the server's log"
    return Refusal(f"the server or the driver refused{known}", hint, code=None if code is None else str(code))


def _rows(session: Any, statement: str, deadline: Deadline) -> Any:  # noqa: ANN401
    """Ask a question of our own; a session that did not answer in time is not to be used again."""
    pymysql = _module()

    def ask() -> Any:  # noqa: ANN401
        with session.cursor() as cursor:
            cursor.execute(statement)
            return cursor.fetchall()

    try:
        return deadline.run(ask)
    except NoAnswer:
        raise no_answer(deadline) from None
    except pymysql.Error as error:
        raise cause_of(error) from None


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for version, user and database."""
    ((version, user, database),) = _rows(session, "SELECT version(), current_user(), database()", deadline)
    product = "MariaDB" if "mariadb" in str(version).lower() else "MySQL"
    return Answer(product=f"{product} {str(version).partition('-')[0]}", user=user, database=database or "none")


def prepare(session: Any, *, limit: float, writes: bool) -> None:  # noqa: ANN401
    """Let MariaDB end any statement after the limit, MySQL those that read; and let the session refuse to write."""
    # MariaDB: seconds, any statement; MySQL: milliseconds, SELECT only (manuals of both, "max_…_time")
    maria = "MariaDB" in session.get_server_info()
    run(session, f"SET SESSION {'max_statement_time' if maria else 'max_execution_time'} = "
                 f"{limit if maria else int(limit * 1000)}")  # fmt: skip
    if not writes:
        run(session, "SET SESSION TRANSACTION READ ONLY")


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    with session.cursor() as cursor:
        cursor.execute(statement)
        cursor.fetchall()


def check(session: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Do nothing: the session refuses by itself."""


def capacity(session: Any, deadline: Deadline) -> Capacity:  # noqa: ANN401
    """Read the limits; one connection beyond the limit is kept for an administrator by the server itself."""
    ((limit, idle),) = _rows(session, "SELECT @@GLOBAL.max_connections, @@GLOBAL.wait_timeout", deadline)
    return Capacity(int(limit), 0, activity(session, deadline).open + 1, float(idle))


def activity(session: Any, deadline: Deadline) -> Activity:  # noqa: ANN401
    """Read the process list, with the open transactions where the user may see them."""
    # the transactions need PROCESS; without it the list alone still counts connections
    try:
        rows = _rows(session, _ACTIVITY, deadline)
    except Refusal:
        rows = _rows(session, _BARE, deadline)
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
    done = _rows(session, "SHOW GLOBAL STATUS LIKE 'Questions'", deadline)[0][1]
    ((limit,),) = _rows(session, "SELECT @@GLOBAL.max_connections", deadline)
    return Activity(
        active=active,
        idle=idle,
        idle_in_transaction=inside,
        waiting=waiting,
        oldest=oldest,
        transactions=int(done),
        limit=int(limit),
        holders=count_holders(holders),
    )


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What PyMySQL raises."""
    return (_module().MySQLError,)
