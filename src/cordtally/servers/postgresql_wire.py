"""PostgreSQL's start of a conversation, as far as it tells more than the driver does: who refuses, and by which code.

libpq hands on no SQLSTATE of a connection that failed, and its message is in the server's language. The protocol has
both, and the C function that refused. Facts from the manual of PostgreSQL 15, chapter 55 (55.2, 55.7), and from servers
that were asked here.
"""

from __future__ import annotations

import struct
from typing import NamedTuple

from ..errors import MissingExtra
from ..model import Cord, Secret, clear
from ..secrets import arguments_for
from .peers import stranger
from .refusals import Refusal, holes_of, refusal_of
from .wire import HungUp, Wire

_SSL_REQUEST = struct.pack("!ii", 8, 80877103)
_VERSION_3 = 196608
_METHODS = {
    0: "no password", 2: "Kerberos", 3: "a password in clear", 5: "MD5", 6: "SCM", 7: "GSS", 9: "SSPI",
    10: "SCRAM-SHA-256", 11: "SCRAM-SHA-256", 12: "SCRAM-SHA-256",
}  # fmt: skip
_OK, _CLEAR, _MD5, _SASL, _CONTINUE, _FINAL = 0, 3, 5, 10, 11, 12
_MOST_MESSAGES = 200  # of settings and notices before it is ready: a server of today sends some twenty


class Said(NamedTuple):
    """The fields of an ErrorResponse that count: SQLSTATE, the C function that reported it, the message."""

    code: str
    routine: str
    message: str


def ask_for_tls(wire: Wire) -> bool:
    """Send SSLRequest; False where the server offers no TLS.

    Raises
    ------
    Refusal
        When what answers is no PostgreSQL.
    """
    wire.send(_SSL_REQUEST)
    answer = wire.receive(64)
    if answer[:1] in {b"S", b"N"} and len(answer) == 1:
        return answer == b"S"
    if answer[:1] == b"E" and (answer[1:5].startswith(b"\0\0") or len(answer) == 1):
        raise refusal_of("peer:old", engine="postgresql")  # before 7.2, or out of memory
    raise stranger(answer, "postgresql", wire.place)


def start(wire: Wire, cord: Cord) -> int:
    """Send the start-up message, as far as cord and driver agree on it, and give the kind of authentication asked for.

    Raises
    ------
    Refusal
        When the server refuses before it asks.
    """
    user = cord.user_name or _system_user()
    named = {"user": user, "database": clear(cord.database) if cord.database else user, "application_name": "cordtally"}
    options = arguments_for(cord, "psycopg").get("options")
    if options:
        named["options"] = str(options)
    body = b"".join(f"{name}\0{value}\0".encode() for name, value in named.items()) + b"\0"
    wire.send(struct.pack("!ii", len(body) + 8, _VERSION_3) + body)
    kind, message = _message(wire)
    if kind == b"R":
        return int.from_bytes(message[:4], "big")
    raise _refused(kind, message, cord)


def _system_user() -> str:
    import getpass

    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


def method_of(kind: int) -> str:
    """Name a kind of authentication."""
    return _METHODS.get(kind, f"method {kind}")


def inquire(wire: Wire, cord: Cord) -> Refusal | None:
    """Log in on a wire of one's own, to learn by which code the server refuses; None where it does not.

    The password is sent in clear only where the server asks for that, as the driver has done before.
    """
    try:
        kind = start(wire, cord)
        _authenticate(wire, cord, kind)
        for _ in range(_MOST_MESSAGES):
            letter, message = _message(wire)
            if letter == b"Z":
                wire.send(b"X\0\0\0\4")
                return None
            if letter == b"E":
                return _refused(letter, message, cord)
    except Refusal as refusal:
        return refusal
    except (HungUp, UnicodeError, ValueError):
        return None
    return None


def _authenticate(wire: Wire, cord: Cord, kind: int) -> None:
    password = cord.password.unmask() if isinstance(cord.password, Secret) else ""
    if kind == _OK:
        return
    if not password and kind in {_CLEAR, _MD5, _SASL}:
        raise refusal_of("own:no-password", engine="postgresql")
    if kind == _CLEAR:
        _send(wire, password.encode() + b"\0")
    elif kind == _SASL:
        _scram(wire, password, cord)
        return
    elif kind != _MD5:
        raise refusal_of("own:method", engine="postgresql", name=method_of(kind))
    else:
        raise HungUp  # the salt was read with the kind, and MD5 is going out of use: the driver's words must do
    _expect(wire, cord, _OK)


def _scram(wire: Wire, password: str, cord: Cord) -> None:
    """RFC 5802 and 7677, without channel binding; the words are scramp's."""
    try:
        from scramp import ScramClient, ScramException
    except ImportError:
        raise MissingExtra("scramp", "postgresql", "asking the server again") from None
    client = ScramClient(["SCRAM-SHA-256"], cord.user_name or "", password)
    first = client.get_client_first().encode()
    _send(wire, b"SCRAM-SHA-256\0" + struct.pack("!i", len(first)) + first)
    try:
        client.set_server_first(_expect(wire, cord, _CONTINUE).decode())
        _send(wire, client.get_client_final().encode())
        client.set_server_final(_expect(wire, cord, _FINAL).decode())
    except ScramException:
        raise HungUp from None
    _expect(wire, cord, _OK)


def _send(wire: Wire, body: bytes) -> None:
    wire.send(b"p" + struct.pack("!i", len(body) + 4) + body)


def _expect(wire: Wire, cord: Cord, wanted: int) -> bytes:
    kind, message = _message(wire)
    if kind != b"R" or int.from_bytes(message[:4], "big") != wanted:
        raise _refused(kind, message, cord)
    return message[4:]


def _message(wire: Wire) -> tuple[bytes, bytes]:
    head = wire.read(5)
    length = int.from_bytes(head[1:], "big") - 4
    if head[:1] not in b"RESKZNvp" or not 0 <= length < 1 << 20:
        raise stranger(head, "postgresql", wire.place)
    return head[:1], wire.read(length)


def _refused(kind: bytes, message: bytes, cord: Cord) -> Refusal:
    if kind != b"E":
        raise HungUp
    said = said_in(message)
    return refused_by(said, cord)


def said_in(message: bytes) -> Said:
    """Take an ErrorResponse apart (55.8)."""
    fields = {piece[:1]: piece[1:].decode("utf-8", "replace") for piece in message.split(b"\0") if piece}
    return Said(fields.get(b"C", ""), fields.get(b"R", ""), fields.get(b"M", ""))


def refused_by(said: Said, cord: Cord) -> Refusal:
    """Give the cause that a server's own words lead to: its code with the function that said it, or the code alone."""
    codes = (f"sqlstate:{said.code}/{said.routine}", f"sqlstate:{said.code}")
    return refusal_of(*codes, engine=cord.engine, code=said.code, said=said.message, **holes_of(cord))
