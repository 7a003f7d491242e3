"""A socket under one deadline: whatever its peer does, all that is read and written on it together ends by then."""

from __future__ import annotations

import socket
import ssl
from collections.abc import Callable
from contextlib import suppress
from typing import TYPE_CHECKING

from ..deadline import NoAnswer

if TYPE_CHECKING:
    from typing import Self

    from ..deadline import Deadline

LARGEST = 1 << 20
"""Bytes of one message: none of those that are read here is near it, whatever length a peer claims."""
_PIECE = 16 << 10


class HungUp(Exception):
    """The peer closed the connection, or reset it, while something was to be read or written."""

    def __init__(self, *, said: bytes = b"") -> None:
        super().__init__("the peer hung up")
        self.said = said


class Wire:
    """A connected socket and its deadline; TLS can begin on it at any time.

    Parameters
    ----------
    plug : socket
        Connected, or not yet; it is closed with the wire.
    deadline : Deadline
        When everything ends.
    """

    def __init__(self, plug: socket.socket, deadline: Deadline) -> None:
        self.plug, self.deadline = plug, deadline
        self._place = ""
        self.tls: ssl.SSLObject | None = None
        self.first = b""  # what the peer said first of all, or in place of a handshake
        self.greeted = False  # whether the server's own greeting was read, where it speaks first
        # how a protocol carries the handshake in messages of its own, where it does
        self.pack: Callable[[bytes], bytes] = bytes
        self.unpack: Callable[[Wire], bytes] | None = None
        self._coming, self._going = ssl.MemoryBIO(), ssl.MemoryBIO()

    @property
    def place(self) -> str:
        """Whom it is or was connected with: address and port, or a socket's file; empty where it never was."""
        with suppress(OSError):  # a peer that has hung up has none any more
            found = self.plug.getpeername()
            self._place = f"{found[0]} port {found[1]}" if isinstance(found, tuple) else str(found)
        return self._place

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.plug.close()

    def connect(self, place: object) -> None:
        """Connect the socket.

        Raises
        ------
        NoAnswer, OSError
            When it does not come about.
        """
        self.plug.settimeout(self.deadline.left)
        try:
            self.plug.connect(place)  # type: ignore[arg-type]
            self._place = self.place
        except TimeoutError:
            raise NoAnswer from None

    def send(self, data: bytes) -> None:
        """Send bytes, through TLS where it has begun."""
        if self.tls is None:
            self._send(data)
            return
        self.tls.write(data)
        self._send(self._going.read())

    def receive(self, most: int = _PIECE) -> bytes:
        """Receive what there is, at least a byte.

        Raises
        ------
        HungUp
            When there is no more.
        """
        if self.tls is None:
            return self._receive(most)
        while True:
            try:
                found = self.tls.read(most)
            except ssl.SSLWantReadError:
                self._coming.write(self._receive(_PIECE))
                continue
            except ssl.SSLZeroReturnError:
                found = b""
            if not found:
                raise HungUp
            return found

    def read(self, count: int) -> bytes:
        """Receive exactly so many bytes.

        Raises
        ------
        HungUp
            When the peer closes before; it has what came.
        """
        if count > LARGEST:
            raise HungUp
        got = b""
        while len(got) < count:
            try:
                got += self.receive(count - len(got))
            except HungUp:
                raise HungUp(said=got) from None
        return got

    def end(self) -> None:
        """Hang up, and wait until the peer has done so, too: by then it has given back what it held for this one.

        Raises
        ------
        NoAnswer
            When it does not in time, or has too much to say.
        """
        try:
            self.plug.shutdown(socket.SHUT_WR)
            for _ in range(LARGEST // _PIECE):
                self._receive(_PIECE)
        except (HungUp, OSError):
            return
        raise NoAnswer

    def begin_tls(self, context: ssl.SSLContext, name: str) -> None:
        """Agree on TLS; behind the handshake the bytes go as they are, whatever carried it.

        Raises
        ------
        ssl.SSLError, HungUp, NoAnswer
            When it does not come about.
        """
        self.first = b""
        made = context.wrap_bio(self._coming, self._going, server_hostname=name)
        while True:
            try:
                made.do_handshake()
            except ssl.SSLWantReadError:
                if going := self._going.read():
                    self._send(self.pack(going))
                self._coming.write(self._receive(_PIECE) if self.unpack is None else self.unpack(self))
            except ssl.SSLError:
                if going := self._going.read():  # the alert: it is what the server's log tells of
                    self._send_quietly(self.pack(going))
                raise
            else:
                break
        if going := self._going.read():
            self._send(self.pack(going))
        self.tls = made

    def _send(self, data: bytes) -> None:
        self.plug.settimeout(self.deadline.left)
        try:
            self.plug.sendall(data)
        except TimeoutError:
            raise NoAnswer from None
        except OSError:
            raise HungUp from None

    def _send_quietly(self, data: bytes) -> None:
        try:
            self._send(data)
        except (HungUp, NoAnswer):
            return

    def _receive(self, most: int) -> bytes:
        self.plug.settimeout(self.deadline.left)
        try:
            got = self.plug.recv(min(most, _PIECE))
        except TimeoutError:
            raise NoAnswer from None
        except OSError:
            raise HungUp from None
        if not got:
            raise HungUp
        self.first = self.first or got
        return got
