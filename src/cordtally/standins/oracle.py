"""A stand-in for Oracle's listener: it accepts, refuses with the usual numbers, or leads elsewhere.

Written from what python-oracledb sends and reads; driven by it in the tests. Behind it there is no database: whoever is
accepted is hung up on.
"""

from __future__ import annotations

import re
import socket
import struct
from typing import Any

from .authority import Authority
from .sockets import Gone, SocketStandIn, read_exactly

_CONNECT, _ACCEPT, _REFUSE, _REDIRECT, _DATA = 1, 2, 4, 5, 6
_SERVICE = re.compile(rb"\((?:SERVICE_NAME|SID)=([^)]*)\)", re.IGNORECASE)


class OracleListenerStandIn(SocketStandIn):
    """A listener with some services.

    Parameters
    ----------
    services : tuple of str
        Those that it knows; others are refused with ORA-12514, or ORA-12505 where a system identifier is asked for.
    refuses : int
        A number with which everything is refused.
    leads_to : int
        A port to which it sends clients.
    """

    def __init__(
        self,
        authority: Authority | None = None,
        *,
        services: tuple[str, ...] = ("tariff",),
        refuses: int = 0,
        leads_to: int = 0,
        **given: Any,  # noqa: ANN401
    ) -> None:
        super().__init__(authority, **given)
        self.services, self.refuses, self.leads_to = services, refuses, leads_to

    def serve(self, plug: socket.socket) -> None:
        """Answer one client's question."""
        length, _, kind = struct.unpack_from(">HHB", head := read_exactly(plug, 8))
        body = read_exactly(plug, length - 8)
        if kind != _CONNECT or not head:
            raise Gone
        count, start = struct.unpack_from(">HH", body, 16)
        data = body[start - 8 : start - 8 + count]
        if len(data) < count:  # longer ones follow in a packet of their own
            length = struct.unpack_from(">H", read_exactly(plug, 8))[0]
            data = read_exactly(plug, length - 8)[2:]
        named = _SERVICE.search(data)
        service = named[1].decode("utf-8", "replace") if named is not None else ""
        if self.leads_to:
            place = f"(ADDRESS=(PROTOCOL=tcp)(HOST=127.0.0.1)(PORT={self.leads_to}))".encode() + b"\0" + data
            # its length in one packet, the place itself in another
            plug.sendall(_packet(_REDIRECT, struct.pack(">H", len(place))))
            plug.sendall(_packet(_DATA, b"\0\0" + place))
            return
        refused = self.refuses or self._refusal(service, by_sid=b"(SID=" in data.upper())
        if refused:
            told = f"(DESCRIPTION=(TMP=)(VSNNUM=0)(ERR={refused})(ERROR_STACK=(ERROR=(CODE={refused})(EMFI=4))))"
            plug.sendall(_packet(_REFUSE, struct.pack(">BBH", 1, 0, len(told)) + told.encode()))
            return
        # version, options, ten bytes, flags, nine bytes, the size of a data unit, five bytes, flags
        plug.sendall(_packet(_ACCEPT, struct.pack(">HH10xB9xI5xI", 319, 0, 0, 8192, 0)))

    def _refusal(self, service: str, *, by_sid: bool) -> int:
        if not service:
            return 12504
        if service.casefold() in (one.casefold() for one in self.services):
            return 0
        return 12505 if by_sid else 12514


def _packet(kind: int, body: bytes) -> bytes:
    return struct.pack(">HHBBH", len(body) + 8, 0, kind, 0, 0) + body
