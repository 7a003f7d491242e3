"""MySQL and MariaDB, through PyMySQL; facts from the MariaDB knowledge base and server 10.11, and PyMySQL 1.2."""

from __future__ import annotations

import math
import socket
import struct
from contextlib import suppress
from functools import cache
from time import time
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord, Host
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Activity, Answer, Capacity, count_holders, missing
from .wire import HungUp

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "pymysql"
TLS_FIRST = False
STATEMENT = "SELECT 1"

_ACTIVITY = """
SELECT p.command, p.state, p.time, concat(p.user, coalesce(concat('/', p.db), '')), t.trx_state,
       timestampdiff(SECOND, t.trx_started, now())
FROM information_schema.processlist p LEFT JOIN information_schema.innodb_trx t ON t.trx_mysql_thread_id = p.id
WHERE p.id <> connection_id() AND p.command NOT IN ('Daemon', 'Binlog Dump')
"""
_ANSWER = """
SELECT version(), current_user(), database(), @@GLOBAL.read_only, unix_timestamp(sysdate(6)),
       @@GLOBAL.max_connections, @@SESSION.wait_timeout
"""
_STATUS = "SHOW STATUS WHERE Variable_name IN ('Ssl_version', 'Ssl_cipher', 'Threads_connected')"
# by whether it is MariaDB; MySQL's is for statements that read alone
_ENDS = {True: "SELECT @@SESSION.max_statement_time", False: "SELECT @@SESSION.max_execution_time / 1000"}
_FOLLOWS = {True: "SHOW SLAVE STATUS", False: "SHOW REPLICA STATUS"}
_BARE = """
SELECT p.command, p.state, p.time, concat(p.user, coalesce(concat('/', p.db), '')), NULL, NULL
FROM information_schema.processlist p WHERE p.id <> connection_id() AND p.command NOT IN ('Daemon', 'Binlog Dump')
"""

_OWN = range(2000, 3000)  # the client's own numbers (PyMySQL, constants/CR.py)
_LOST = {2003, 2006, 2013}
_TOO_MUCH = 2027  # malformed packet
# capability flags (MariaDB knowledge base, "Connection"): long password, protocol 4.1, SSL, secure connection
_SSL, _CAPABILITIES, _PLUGINS, _UTF8MB4 = 0x0800, 0x0001 | 0x0200 | 0x0800 | 0x8000, 1 << 19, 45
_MOST_SWITCHES = 4  # from one method of logging in to another


def socket_name(host: Host) -> str:
    """The socket is a file of its own here."""
    return host.name


def ask_for_tls(wire: Wire) -> bool:
    """Read the server's greeting and ask for TLS (protocol version 10: MariaDB knowledge base, "Connection")."""
    if not _greeting(wire) & _SSL:
        return False
    body = struct.pack("<IIB23x", _CAPABILITIES, 1 << 24, _UTF8MB4)
    wire.send(len(body).to_bytes(3, "little") + b"\x01" + body)
    return True


def _greeting(wire: Wire) -> int:
    """Read the greeting, and give the lower half of what the server can do.

    Where the server is full or does not know this address, an error comes in its place.
    """
    wire.greeted = True
    try:
        head = wire.read(4)
    except HungUp as gone:
        raise stranger(gone.said, "mysql", wire.place) if gone.said else gone from None
    if head[2] != 0 or head[3] != 0:
        raise stranger(head + _a_little(wire), "mysql", wire.place)
    greeting = wire.read(int.from_bytes(head[:3], "little"))
    if greeting[:1] == b"\xff" and len(greeting) > 2:
        number = int.from_bytes(greeting[1:3], "little")
        raise refusal_of(f"mysql:{number}", engine="mysql", code=str(number))
    if greeting[:1] != b"\x0a":
        raise stranger(head + greeting, "mysql", wire.place)
    after_version = greeting.find(b"\0", 1) + 1
    if not 0 < after_version <= len(greeting) - 15:
        raise HungUp
    return int(struct.unpack_from("<H", greeting, after_version + 13)[0])


def _a_little(wire: Wire) -> bytes:
    """What else has come, to know who it is."""
    try:
        return wire.receive(64)
    except HungUp:
        return b""


def greet(wire: Wire, cord: Cord) -> str:
    """Read the greeting, where that was not done: the server names the method when it knows the user."""
    if not wire.greeted:
        _greeting(wire)
    return ""


def part(wire: Wire) -> None:
    """Log in as nobody, and be refused: who only hangs up is counted, and after max_connect_errors blocked (1129).

    A log-in that is refused is not counted for the machine (host_cache of MariaDB 10.11, looked at here).
    """
    if not wire.greeted:
        _greeting(wire)
    secured = wire.tls is not None
    flags = (_CAPABILITIES if secured else _CAPABILITIES & ~_SSL) | _PLUGINS
    number = 2 if secured else 1  # who asked for TLS has sent a packet already
    body = struct.pack("<IIB23x", flags, 1 << 24, _UTF8MB4) + b"\0\0mysql_native_password\0"
    for _ in range(_MOST_SWITCHES):
        wire.send(len(body).to_bytes(3, "little") + bytes([number]) + body)
        head = wire.read(4)
        said, number, body = wire.read(int.from_bytes(head[:3], "little")), (head[3] + 1) & 0xFF, b""
        if said[:1] != b"\xfe":
            break
    if said[:1] == b"\0":  # somebody without a name is let in
        wire.send(b"\x01\0\0\0\x01")
    wire.end()


def inquire(wire: Wire, cord: Cord) -> Refusal | None:
    """Ask nothing: the driver hands on the server's number."""
    return None


def used_method(session: Any) -> str:  # noqa: ANN401
    """Name the account's plugin, as PyMySQL keeps it."""
    return str(getattr(session, "_auth_plugin_name", "") or "")


def _module() -> Any:  # noqa: ANN401
    try:
        import pymysql
    except ImportError:
        raise missing("PyMySQL", "mysql", "MySQL and MariaDB") from None
    return pymysql


@cache
def _bounded() -> Any:  # noqa: ANN401
    """PyMySQL's connection, which takes no more than our questions are answered with, until `prepare` lifts that."""
    pymysql = _module()

    class Bounded(pymysql.connections.Connection):  # type: ignore[misc, name-defined]
        left = plain.MOST

        def _read_bytes(self, num_bytes: int) -> Any:  # noqa: ANN401
            self.left -= num_bytes
            if self.left < 0:
                self._force_close()
                raise pymysql.OperationalError(_TOO_MUCH, "the server sends too much")
            return super()._read_bytes(num_bytes)

    return Bounded


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver; its own timeouts count only where they are the shorter ones."""
    pymysql = _module()
    arguments = {**plain.arguments_of(cord, DRIVER), "autocommit": True}
    for name in ("connect_timeout", "read_timeout", "write_timeout"):  # so that what is left behind ends soon
        own = arguments.get(name)
        arguments[name] = min(own, deadline.seconds) if isinstance(own, int | float) and own > 0 else deadline.seconds
    try:
        return deadline.run(lambda: _bounded()(**arguments), late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except (pymysql.Error, UnicodeError, RuntimeError, ValueError, struct.error, LookupError, AttributeError) as error:
        raise cause_of(error, cord) from None  # the last four: a peer that is no such server, or a plugin's own packet


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the driver raised into a cause, by its number."""
    number = error.args[0] if error.args and isinstance(error.args[0], int) else None
    engine = "mysql" if cord is None else cord.engine
    holes = holes_of(cord)
    if number is None:
        return refusal_of(_own_code(error), engine=engine, **holes)
    if number == _TOO_MUCH:
        return refusal_of("own:too-much", engine=engine, **holes)
    inner = getattr(error, "original_exception", None) or error.__cause__
    codes = [f"mysql:{number}"]
    if number in _LOST and isinstance(inner, TimeoutError):
        codes.insert(0, "timeout:log in")
    if number == 1045 and cord is not None and cord.password is None:
        codes.insert(0, "own:no-password")
    return refusal_of(*codes, engine=engine, code=None if number in _OWN else str(number), **holes)


def _own_code(error: Exception) -> str:
    """What PyMySQL raises without a number: a package that it lacks, or a packet that it cannot read."""
    if isinstance(error, RuntimeError):
        return "own:method"  # "'cryptography' package is required for …", "'pynacl' package is required for …"
    return "own:hung-up"


def _rows(session: Any, statement: str, deadline: Deadline) -> Any:  # noqa: ANN401
    """Ask a question of our own; a session that did not answer in time is not to be used again."""
    pymysql = _module()

    def ask() -> Any:  # noqa: ANN401
        meant, session.left = session.left, plain.MOST
        try:
            with session.cursor() as cursor:
                cursor.execute(statement)
                return cursor.fetchall()
        finally:
            session.left = meant

    try:
        return deadline.run(ask)
    except NoAnswer:
        _drop(session)
        raise no_answer(deadline, "mysql") from None
    except pymysql.Error as error:
        raise cause_of(error) from None


def _may_tell(session: Any, statement: str, deadline: Deadline) -> Any:  # noqa: ANN401
    """Ask what older servers do not know, or this user may not; None then."""
    try:
        return _rows(session, statement, deadline)
    except Refusal as refusal:
        if refusal.code is None:
            raise
        return None


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for what a dial tells, in five statements."""
    before = time()
    row = _rows(session, _ANSWER, deadline)[0]
    halfway = (before + time()) / 2
    version, user, database, reads, clock, limit, idle = row
    status = dict(_rows(session, _STATUS, deadline))
    maria = "mariadb" in str(version).lower()
    ends = _may_tell(session, _ENDS[maria], deadline)
    follows = _may_tell(session, _FOLLOWS[maria], deadline)
    grants = [str(one) for (one,) in _rows(session, "SHOW GRANTS", deadline)]
    rights = ["all rights on all databases"] if any(" ON *.* " in g and "ALL PRIV" in g for g in grants) else []
    cipher = status.get("Ssl_cipher", "")
    shown = f"{status.get('Ssl_version', 'TLS')}, {cipher}" if cipher else ""
    return Answer(
        product="MariaDB" if maria else "MySQL",
        version=str(version).partition("-")[0],
        user=user,
        database=database,
        encrypted=shown,
        role=None if follows is None else "standby" if follows else "primary",
        reads_only=bool(reads),
        rights=tuple(rights),
        clock=float(clock) - halfway,
        opened=int(status.get("Threads_connected", 0)),
        limit=int(limit),
        reserve=0,
        idle_timeout=float(idle),
        statement_timeout=float(ends[0][0]) if ends else None,
        place=f"{session.host}:{session.port}",
    )


watch = plain.watch  # the connection counts itself what it takes


def prepare(session: Any, *, limit: float, writes: bool) -> None:  # noqa: ANN401
    """Let MariaDB end any statement after the limit, MySQL those that read; and let the session refuse to write."""
    # MariaDB: seconds, any statement; MySQL: milliseconds, SELECT only (manuals of both, "max_…_time")
    session.left = math.inf  # what is run from here on may have large answers, and take its time
    session._read_timeout = limit + plain.PATIENCE
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
    for command, state, lasted, holder, transaction, age in rows:
        sleeping = command == "Sleep"
        active += not sleeping
        inside += sleeping and transaction is not None
        idle += sleeping and transaction is None
        waiting += transaction == "LOCK WAIT" or "lock" in str(state or "").lower()
        if not sleeping or transaction is not None:
            oldest = max(oldest, float(age if age is not None else lasted or 0))
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


def _drop(session: Any) -> None:  # noqa: ANN401
    """Close a session that did not answer: the thread that waits for its socket is woken."""
    with suppress(Exception):
        session._sock.shutdown(socket.SHUT_RDWR)
    with suppress(Exception):
        session._force_close()


def errors() -> tuple[type[Exception], ...]:
    """What PyMySQL raises."""
    return (_module().MySQLError,)
