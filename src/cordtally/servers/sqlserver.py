"""SQL Server, through python-tds; facts from MS-TDS (2.2.6.5, PRELOGIN) and python-tds 1.17, seen with the stand-in."""

from __future__ import annotations

import struct
from contextlib import suppress
from datetime import UTC, datetime
from time import time
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "python-tds"
TLS_FIRST = False
STATEMENT = "SELECT 1"
_PRE_LOGIN, _RESPONSE = 0x12, 0x04
_VERSION, _ENCRYPTION, _END = 0, 1, 0xFF
_ON, _NOT_SUPPORTED = 1, 2
_LARGEST = 4096 - 8
_ANSWER = """
SELECT CAST(SERVERPROPERTY('ProductVersion') AS nvarchar(64)), SUSER_SNAME(), DB_NAME(), SCHEMA_NAME(),
       CAST(DATABASEPROPERTYEX(DB_NAME(), 'Updateability') AS nvarchar(32)), IS_SRVROLEMEMBER('sysadmin'),
       IS_ROLEMEMBER('db_owner'), SYSUTCDATETIME(), @@MAX_CONNECTIONS
"""

socket_name = plain.socket_name
greet = plain.greet
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def _packed(kind: int, body: bytes) -> bytes:
    """Put bytes into packets of a kind (2.2.3.1)."""
    pieces = [body[start : start + _LARGEST] for start in range(0, len(body), _LARGEST)] or [b""]
    return b"".join(
        struct.pack(">BBHHBB", kind, int(number == len(pieces)), len(piece) + 8, 0, number % 256, 0) + piece
        for number, piece in enumerate(pieces, 1)
    )


def _packet(wire: Wire) -> bytes:
    """Read one packet, and give what it carries."""
    head = wire.read(8)
    kind, _, length = struct.unpack_from(">BBH", head)
    if kind not in {_PRE_LOGIN, _RESPONSE} or length <= 8:
        raise stranger(head, "sqlserver", wire.place)
    return wire.read(length - 8)


def ask_for_tls(wire: Wire) -> bool:
    """Send a pre-login that asks for encryption, and let the handshake be carried in such packets."""
    options = [(_VERSION, struct.pack(">IH", 0, 0)), (_ENCRYPTION, bytes([_ON]))]
    place, table, values = 5 * len(options) + 1, b"", b""
    for token, value in options:
        table += struct.pack(">BHH", token, place + len(values), len(value))
        values += value
    wire.send(_packed(_PRE_LOGIN, table + bytes([_END]) + values))
    said = _packet(wire)
    offered = _option(said, _ENCRYPTION)
    if offered is None or not offered:
        raise stranger(said, "sqlserver", wire.place)
    wire.pack, wire.unpack = lambda data: _packed(_PRE_LOGIN, data), _packet
    return offered[0] != _NOT_SUPPORTED


def _option(said: bytes, wanted: int) -> bytes | None:
    """Find an option of a pre-login answer."""
    position = 0
    while position + 5 <= len(said) and said[position] != _END:
        token, start, length = struct.unpack_from(">BHH", said, position)
        if token == wanted:
            return said[start : start + length]
        position += 5
    return None


def _module() -> Any:  # noqa: ANN401
    try:
        import pytds
    except ImportError:
        raise missing("python-tds", "sqlserver", "SQL Server") from None
    return pytds


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver; its own timeouts count only where they are the shorter ones."""
    pytds = _module()
    arguments = {**plain.arguments_of(cord, DRIVER), "autocommit": True}
    arguments.setdefault("appname", "cordtally")
    for name in ("login_timeout", "timeout"):  # so that what is left behind ends soon
        arguments[name] = plain.shorter(arguments.get(name), deadline.seconds * plain.SHARE)
    server = arguments.pop("server", None)
    if arguments.get("cafile") and not _compares_names():
        arguments["validate_host"] = False  # the rung of TLS has compared them
    try:
        return deadline.run(lambda: pytds.connect(server, **arguments), late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except (pytds.Error, OSError, UnicodeError, struct.error) as error:
        raise cause_of(error, cord) from None


def _compares_names() -> bool:
    """Whether python-tds can compare names with the pyOpenSSL that is here: 24.3 lacks what it calls."""
    try:
        from OpenSSL.crypto import X509
    except ImportError:
        return True
    return hasattr(X509, "get_extension")


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the driver raised into a cause, by the server's number."""
    holes = holes_of(cord)
    if type(error).__name__ == "TimeoutError" and error.__cause__ is not None:  # it tries again what will not be better
        error = error.__cause__  # type: ignore[assignment]
    number = getattr(error, "number", 0) or getattr(error, "msg_no", 0)
    if number:
        return refusal_of(f"mssql:{number}", engine="sqlserver", code=str(number), **holes)
    if isinstance(error, TimeoutError) or type(error).__name__ == "TimeoutError":
        return refusal_of("timeout:log in", engine="sqlserver", limit="its limit", **holes)
    if "encrypt" in str(error).lower() or "tls" in str(error).lower():
        return refusal_of("own:tls-wanted", engine="sqlserver", **holes)
    return refusal_of("own:hung-up", engine="sqlserver", **holes)


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for what a dial tells, in one statement that needs no right."""
    pytds = _module()

    def ask() -> Any:  # noqa: ANN401
        with session.cursor() as cursor:
            cursor.execute(_ANSWER)
            return cursor.fetchone()

    before = time()
    try:
        row = deadline.run(ask)
    except NoAnswer:
        raise no_answer(deadline, "sqlserver") from None
    except (pytds.Error, OSError) as error:
        raise cause_of(error) from None
    halfway = (before + time()) / 2
    version, user, database, schema, updates, administers, owns, clock, limit = row
    rights = [name for name, has in (("sysadmin", administers), ("owner of the database", owns)) if has]
    moment = clock if isinstance(clock, datetime) else None
    return Answer(
        product="SQL Server",
        version=str(version),
        user=user,
        database=database,
        schemas=schema,
        reads_only=str(updates) == "READ_ONLY",
        rights=tuple(rights),
        clock=None if moment is None else moment.replace(tzinfo=UTC).timestamp() - halfway,
        limit=int(limit) if limit else None,
    )


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    with session.cursor() as cursor:
        cursor.execute(statement)
        cursor.fetchall()


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What python-tds raises; OSError where the network fails under it."""
    return (_module().Error, OSError)
