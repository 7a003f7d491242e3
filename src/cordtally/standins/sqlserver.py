"""A stand-in for SQL Server: TDS 7.4 with TLS inside the pre-login, a log-in with the usual refusals, one row.

Written from Microsoft's open specification MS-TDS; driven by python-tds and FreeTDS in the tests. It has no tables.
"""

from __future__ import annotations

import re
import socket
import ssl
import struct
from datetime import UTC, datetime
from typing import Any

from .authority import Authority
from .sockets import Gone, SocketStandIn, read_exactly

_BATCH, _RESPONSE, _ATTENTION, _LOGIN, _PRE_LOGIN = 1, 4, 6, 16, 18
_OFF, _ON, _NOT_SUPPORTED, _REQUIRED = 0, 1, 2, 3

_DONE_COUNT, _DONE_ERROR, _DONE_ATTENTION = 0x10, 0x02, 0x20
_ROW = ("16.0.4135.4 (a stand-in)", "{user}", "{database}", "dbo", "READ_WRITE", 0, 0, "{now}", 32767)
_REFUSALS = {
    18456: "Login failed for user '{user}'.", 4060: 'Cannot open database "{database}" requested by the login.',
    18486: "Login failed for user '{user}' because the account is currently locked out.",
    18488: "Login failed for user '{user}'. Reason: The password of the account must be changed.",
    18401: "Login failed for user '{user}'. Reason: Server is in script upgrade mode.",
}  # fmt: skip


class SqlServerStandIn(SocketStandIn):
    """A server for one user and one database.

    Parameters
    ----------
    user, password, database : str
        Who is let in, and where.
    encryption : str
        ``on``, ``required``, or ``none``: without an authority it is always none.
    refuses : int
        An error number with which every log-in is refused.
    """

    tls_first = False

    def __init__(
        self,
        authority: Authority | None = None,
        *,
        user: str = "desk",
        password: str = "",
        database: str = "declarations",
        encryption: str = "on",
        refuses: int = 0,
        **given: Any,  # noqa: ANN401
    ) -> None:
        super().__init__(authority, **given)
        self.user, self.password, self.database, self.refuses = user, password, database, refuses
        self.encryption = encryption if authority is not None else "none"
        if (
            self.context is not None
        ):  # inside of packets TLS ends at 1.2: what 1.3 sends behind a handshake has no place
            self.context.maximum_version = ssl.TLSVersion.TLSv1_2

    def serve(self, plug: socket.socket) -> None:
        """Speak to one client until it goes."""
        line = _Line(plug)
        kind, body = line.packet()
        if kind != _PRE_LOGIN:
            raise Gone
        asked = _option(body, 1)
        level = {"none": _NOT_SUPPORTED, "on": _ON, "required": _REQUIRED}[self.encryption]
        wants = asked[:1] in {bytes([_ON]), bytes([_REQUIRED])}
        if level == _ON and not wants:
            level = _OFF if asked[:1] == bytes([_OFF]) else _NOT_SUPPORTED
        line.send(_RESPONSE, _pre_login(level))
        if level in {_ON, _REQUIRED, _OFF} and self.context is not None:
            line.begin_tls(self.context)
        kind, body = line.packet()
        if level == _OFF:
            line.end_tls()  # only the log-in itself is encrypted then
        if kind != _LOGIN:
            raise Gone
        user, password, database = _login_of(body)
        refused = self.refuses or self._refusal(user, password, database)
        if refused:
            said = _REFUSALS.get(refused, "refused").format(user=user, database=database)
            line.send(_RESPONSE, _error(refused, said) + _done(_DONE_ERROR))
            return
        line.send(_RESPONSE, _change(1, database or "master", "master") + _acknowledged() + _done(0))
        while True:
            kind, body = line.packet()
            if kind == _ATTENTION:  # the client gives up on what it was sent: it waits for the end of that
                line.send(_RESPONSE, _done(_DONE_ATTENTION))
                continue
            text = body[4 + 18 :].decode("utf-16-le", "replace") if kind == _BATCH else ""
            line.send(_RESPONSE, self._answer(text, user, database or "master"))

    def _refusal(self, user: str, password: str, database: str) -> int:
        if (user, password) != (self.user, self.password):
            return 18456
        return 4060 if database not in {"", "master", self.database} else 0

    def _answer(self, text: str, user: str, database: str) -> bytes:
        if re.search(r"(?i)serverproperty", text):
            holes = {"user": user, "database": database, "now": ""}
            row = [one.format(**holes) if isinstance(one, str) else one for one in _ROW]
            return _table([datetime.now(UTC) if one == "" else one for one in row])
        if re.match(r"(?i)\s*select\s+1\b", text):
            return _table([1])
        return _done(0)


class _Line:
    """Packets to and from one client, in TLS once that has begun."""

    def __init__(self, plug: socket.socket) -> None:
        self.plug = plug
        self.tls: ssl.SSLObject | None = None
        self.coming, self.going = ssl.MemoryBIO(), ssl.MemoryBIO()
        self.kept = b""

    def _read(self, count: int) -> bytes:
        if self.tls is None:
            return read_exactly(self.plug, count)
        while len(self.kept) < count:
            try:
                self.kept += self.tls.read(1 << 14)
            except ssl.SSLWantReadError:
                piece = self.plug.recv(1 << 14)
                if not piece:
                    raise Gone from None
                self.coming.write(piece)
        got, self.kept = self.kept[:count], self.kept[count:]
        return got

    def packet(self) -> tuple[int, bytes]:
        """Read the packets of one message."""
        body, last = b"", False
        kind = 0
        while not last:
            kind, status, length = struct.unpack_from(">BBH", self._read(8))
            if length < 8:
                raise Gone
            body += self._read(length - 8)
            last = bool(status & 1)
        return kind, body

    def send(self, kind: int, body: bytes) -> None:
        """Send a message in packets."""
        made = b""
        pieces = [body[start : start + 4088] for start in range(0, len(body), 4088)] or [b""]
        for number, piece in enumerate(pieces, 1):
            made += struct.pack(">BBHHBB", kind, int(number == len(pieces)), len(piece) + 8, 0, number % 256, 0) + piece
        if self.tls is not None:
            self.tls.write(made)
            made = self.going.read()
        self.plug.sendall(made)

    def begin_tls(self, context: ssl.SSLContext) -> None:
        """Do the handshake inside of pre-login packets (MS-TDS 2.2.6.5 and 3.2.5.1)."""
        made = context.wrap_bio(self.coming, self.going, server_side=True)
        while True:
            try:
                made.do_handshake()
            except ssl.SSLWantReadError:
                if going := self.going.read():
                    self.send(_PRE_LOGIN, going)
                self.coming.write(self.packet()[1])
            else:
                break
        if going := self.going.read():
            self.send(_PRE_LOGIN, going)
        self.tls = made

    def end_tls(self) -> None:
        """Go on in plain text."""
        self.tls = None


def _option(body: bytes, wanted: int) -> bytes:
    position = 0
    while position + 5 <= len(body) and body[position] != 0xFF:
        token, start, length = struct.unpack_from(">BHH", body, position)
        if token == wanted:
            return body[start : start + length]
        position += 5
    return b""


def _pre_login(level: int) -> bytes:
    values = [(0, struct.pack(">IH", 0x10001027, 0)), (1, bytes([level])), (2, b"\0"), (3, b""), (4, b"\0")]
    place, table, data = 5 * len(values) + 1, b"", b""
    for token, value in values:
        table += struct.pack(">BHH", token, place + len(data), len(value))
        data += value
    return table + b"\xff" + data


def _login_of(body: bytes) -> tuple[str, str, str]:
    """User, password and database of a LOGIN7 (2.2.6.4); the password is not encrypted, only turned over."""

    def text(number: int) -> bytes:
        start, length = struct.unpack_from("<HH", body, 36 + 4 * number)
        return body[start : start + 2 * length]

    turned = bytes(((one ^ 0xA5) >> 4) | (((one ^ 0xA5) << 4) & 0xF0) for one in text(2))
    return text(1).decode("utf-16-le"), turned.decode("utf-16-le", "replace"), text(8).decode("utf-16-le")


def _short(text: str) -> bytes:
    return bytes([len(text)]) + text.encode("utf-16-le")


def _long(text: str) -> bytes:
    return struct.pack("<H", len(text)) + text.encode("utf-16-le")


def _token(kind: int, body: bytes) -> bytes:
    return struct.pack("<BH", kind, len(body)) + body


def _error(number: int, said: str) -> bytes:
    severity = 14 if number != 4060 else 11
    return _token(
        0xAA, struct.pack("<IBB", number, 1, severity) + _long(said) + _short("STANDIN") + b"\0" + b"\1\0\0\0"
    )


def _change(kind: int, new: str, old: str) -> bytes:
    return _token(0xE3, bytes([kind]) + _short(new) + _short(old))


def _acknowledged() -> bytes:
    body = b"\1" + struct.pack(">I", 0x74000004) + _short("Microsoft SQL Server") + struct.pack(">I", 0x10001027)
    return _token(0xAD, body)


def _done(status: int, count: int = 0) -> bytes:
    return struct.pack("<BHHQ", 0xFD, status, 0xC1, count)


def _table(row: list[Any]) -> bytes:
    """One row of texts, numbers and a time, with its columns (2.2.7.4, 2.2.7.19)."""
    columns, cells = struct.pack("<BH", 0x81, len(row)), b"\xd1"
    for number, one in enumerate(row):
        columns += struct.pack("<IH", 0, 9)
        if isinstance(one, int):
            columns += b"\x26\4"
            cells += b"\4" + struct.pack("<i", one)
        elif isinstance(one, datetime):
            columns += b"\x2a\7"
            moment = one.replace(tzinfo=None)
            start = datetime(1, 1, 1)
            ticks = int((moment - moment.replace(hour=0, minute=0, second=0, microsecond=0)).total_seconds() * 10**7)
            cells += b"\x08" + ticks.to_bytes(5, "little") + (moment - start).days.to_bytes(3, "little")
        else:
            columns += b"\xe7" + struct.pack("<H", 256) + b"\x09\4\xd0\0\x34"
            text = str(one).encode("utf-16-le")
            cells += struct.pack("<H", len(text)) + text
        columns += _short(f"c{number}")
    return columns + cells + _done(_DONE_COUNT, 1)
