"""What the stand-ins of servers share that speak a protocol of their own: a listener on loopback, a thread a client."""

from __future__ import annotations

import socket
import ssl
import threading
from contextlib import suppress
from typing import Self

from .authority import Authority

_PATIENCE = 30.0  # s that a silent client is waited for


class Gone(Exception):
    """The client has hung up, or sent what makes no sense."""


class SocketStandIn:
    """A server on loopback; a context manager that stops it.

    Parameters
    ----------
    authority : Authority, optional
        Who vouches for it; without one it speaks no TLS.
    port : int
        Where it listens on 127.0.0.1; 0 is any free one.
    hosts : tuple of str
        Whom its certificate is for.
    days : int
        How long the certificate is valid; a negative number gives one that has expired.
    """

    tls_first = True

    def __init__(
        self,
        authority: Authority | None = None,
        *,
        port: int = 0,
        hosts: tuple[str, ...] = ("127.0.0.1", "localhost"),
        days: int = 30,
    ) -> None:
        self.context = None if authority is None else authority.context(*hosts, days=days)
        self._listener = socket.create_server(("127.0.0.1", port))
        self.port: int = self._listener.getsockname()[1]
        self.clients = 0
        self._stopped = threading.Event()
        self._open: set[socket.socket] = set()

    def __enter__(self) -> Self:
        threading.Thread(target=self._accept, daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stopped.set()
        for plug in [self._listener, *self._open]:
            with suppress(OSError):
                plug.shutdown(socket.SHUT_RDWR)
            plug.close()

    def _accept(self) -> None:
        while not self._stopped.is_set():
            try:
                plug, _ = self._listener.accept()
            except OSError:
                return
            self.clients += 1
            threading.Thread(target=self._serve, args=(plug,), daemon=True).start()

    def _serve(self, plug: socket.socket) -> None:
        plug.settimeout(_PATIENCE)
        self._open.add(plug)
        try:
            if self.tls_first and self.context is not None:
                plug = self.context.wrap_socket(plug, server_side=True)
                self._open.add(plug)
            self.serve(plug)
        except (OSError, ssl.SSLError, Gone, ValueError):
            pass
        finally:
            self._open.discard(plug)
            plug.close()

    def serve(self, plug: socket.socket) -> None:
        """Speak to one client until it goes."""
        raise NotImplementedError


def read_exactly(plug: socket.socket, count: int) -> bytes:
    """Read so many bytes.

    Raises
    ------
    Gone
        When the client hangs up before, or claims more than a stand-in reads.
    """
    if not 0 <= count < 1 << 20:
        raise Gone
    got = b""
    while len(got) < count:
        piece = plug.recv(count - len(got))
        if not piece:
            raise Gone
        got += piece
    return got
