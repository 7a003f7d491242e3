"""Oracle Database, through python-oracledb in its thin mode; facts from its errors (26.1) and Oracle's net protocol.

What a listener refuses was seen with the stand-in; no database of Oracle's could be started here.
"""

from __future__ import annotations

import re
import struct
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord, clear
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "oracledb"
TLS_FIRST = True
STATEMENT = "SELECT 1 FROM dual"
_CONNECT, _ACCEPT, _REFUSE, _REDIRECT, _RESEND = 1, 2, 4, 5, 11
_SIZE, _LEAST = 24, 512  # where an accepting packet has the size of a data unit; the least that Oracle allows
_REFUSED_BY = re.compile(rb"\(ERR=(\d+)\)")
_CODE = re.compile(r"\b(?:ORA-0*(\d+)|(DPY-\d+))")
_ANSWER = """
SELECT sys_context('USERENV', 'SESSION_USER'), sys_context('USERENV', 'CON_NAME'),
       sys_context('USERENV', 'CURRENT_SCHEMA'), sys_context('USERENV', 'DATABASE_ROLE'),
       sys_context('USERENV', 'ISDBA'), sys_context('USERENV', 'NETWORK_PROTOCOL') FROM dual
"""

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def greet(wire: Wire, cord: Cord) -> str:
    """Ask the listener for the service: it accepts, leads elsewhere, or refuses with its own number."""
    service = clear(cord.database) if cord.database else ""
    kind = "SID" if any(name.endswith("/sid") for name, _ in cord.native) else "SERVICE_NAME"
    data = f"(DESCRIPTION=(CONNECT_DATA=({kind}={service})(CID=(PROGRAM=cordtally))))".encode()
    # version 319, down to 300; the data stand behind a head of 58 bytes (seen of python-oracledb 26.1)
    head = struct.pack(">HHHHHHHHHHIBB", 319, 300, 0, 8192, 32767, 0x4F98, 0, 1, len(data), 58, 0, 0, 0)
    packet = struct.pack(">HHBBH", 58 + len(data), 0, _CONNECT, 0, 0) + head.ljust(50, b"\0") + data
    wire.send(packet)
    for _ in range(3):
        said = wire.read(8)
        length, _, letter = struct.unpack_from(">HHB", said)
        if letter not in {_ACCEPT, _REFUSE, _REDIRECT, _RESEND} or not 8 <= length < 1 << 15:
            raise stranger(said, "oracle", wire.place)
        body = wire.read(length - 8)
        if letter == _RESEND:
            wire.send(packet)
            continue
        if letter == _REFUSE and (number := _REFUSED_BY.search(body)) is not None:
            code = str(int(number[1]))
            raise refusal_of(f"oracle:{code}", engine="oracle", code=f"ORA-{int(code):05}", **holes_of(cord))
        # python-oracledb 26.1 crashes, with the whole process, where the size of a data unit is 0
        if letter == _ACCEPT and len(body) >= _SIZE + 4 and int.from_bytes(body[_SIZE : _SIZE + 4], "big") < _LEAST:
            raise refusal_of("peer:unknown", engine="oracle", **holes_of(cord))
        break
    return ""


def _module() -> Any:  # noqa: ANN401
    try:
        import oracledb
    except ImportError:
        raise missing("oracledb", "oracle", "Oracle Database") from None
    return oracledb


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver; its own timeout counts only where it is the shorter one."""
    oracledb = _module()
    arguments = plain.arguments_of(cord, DRIVER)
    name = "tcp_connect_timeout"
    arguments[name] = plain.shorter(arguments.get(name), deadline.seconds)
    try:
        return deadline.run(lambda: oracledb.connect(**arguments), late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except (oracledb.Error, OSError, UnicodeError, TypeError) as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the driver raised into a cause: by ORA's number, which may stand inside a DPY's message."""
    holes = holes_of(cord)
    found = list(_CODE.finditer(str(error)))
    ora = next((match[1] for match in reversed(found) if match[1]), None)
    own = next((match[2] for match in found if match[2]), None)
    codes = [f"oracle:{ora}"] if ora else []
    codes += [f"oracle:{own}"] if own else []
    shown = f"ORA-{int(ora):05}" if ora else own
    return refusal_of(*codes or ["own:hung-up"], engine="oracle", code=shown, **holes)


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for what a dial tells, in one statement that needs no right."""

    def ask() -> Any:  # noqa: ANN401
        with session.cursor() as cursor:
            cursor.execute(_ANSWER)
            return cursor.fetchone()

    try:
        user, database, schema, role, administers, protocol = deadline.run(ask)
    except NoAnswer:
        raise no_answer(deadline, "oracle") from None
    except _module().Error as error:
        raise cause_of(error) from None
    roles = {"PRIMARY": "primary", "PHYSICAL STANDBY": "standby", "LOGICAL STANDBY": "standby"}
    return Answer(
        product="Oracle Database",
        version=str(session.version),
        user=user,
        database=database,
        schemas=schema,
        encrypted="TLS" if protocol == "tcps" else "" if protocol == "tcp" else None,
        role=roles.get(str(role)),
        rights=("dba",) if administers == "TRUE" else (),
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
    """What python-oracledb raises."""
    return (_module().Error, OSError)
