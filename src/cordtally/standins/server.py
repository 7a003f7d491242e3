"""What the stand-ins over HTTPS share: a server in a thread, a token that opens it, and the ways it can misbehave."""

from __future__ import annotations

import json
import secrets
import ssl
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import NamedTuple, Self

from .authority import Authority

MISBEHAVIOUR = ("", "error", "garbage", "huge", "slow", "elsewhere", "drip")
"""How a stand-in may answer instead: status 500, no JSON, 8 MiB, late, by a redirect, or a byte at a time."""
_SLOW = 30.0  # seconds
_LARGEST = 1 << 20


class Reply(NamedTuple):
    """What a request is answered with."""

    status: int
    document: object = None
    headers: tuple[tuple[str, str], ...] = ()


class StandIn:
    """A server on loopback; a context manager that stops it.

    Parameters
    ----------
    authority : Authority, optional
        Who vouches for it; without one it speaks plain HTTP.
    host, port : str, int
        Where it listens; port 0 is any free one.
    hosts : tuple of str
        Whom its certificate is for.
    days : int
        How long the certificate is valid; a negative number gives one that has expired.
    """

    path = "/"

    def __init__(
        self,
        authority: Authority | None = None,
        *,
        host: str = "127.0.0.1",
        port: int = 0,
        hosts: tuple[str, ...] = ("127.0.0.1", "localhost"),
        days: int = 30,
    ) -> None:
        self.token = f"not-a-real-key-{secrets.token_hex(4)}"
        self.requests = 0
        self.misbehaviour = ""
        self._stopped = threading.Event()
        self._server = ThreadingHTTPServer((host, port), self._handler())
        self._server.daemon_threads = True
        if authority is not None:
            context = authority.context(*hosts, days=days)
            # the handshake is the request's thread's, so that a client which does not go on keeps nobody waiting
            self._server.socket = context.wrap_socket(
                self._server.socket, server_side=True, do_handshake_on_connect=False
            )
        scheme = "http" if authority is None else "https"
        self.url = f"{scheme}://{host}:{self._server.server_address[1]}{self.path}"
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True)

    def reply(self, method: str, path: str, document: object, headers: dict[str, str]) -> Reply:
        """Answer a request that brought the right token."""
        raise NotImplementedError

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()

    def start(self) -> Self:
        """Begin to listen."""
        return self.__enter__()

    def stop(self) -> None:
        """Answer no more."""
        self._stopped.set()
        self._server.shutdown()
        self._server.server_close()

    def _answer(self, handler: BaseHTTPRequestHandler) -> None:
        self.requests += 1
        length = min(int(handler.headers.get("Content-Length") or 0), _LARGEST)
        body = handler.rfile.read(length)
        if handler.headers.get("Authorization") != f"Bearer {self.token}":
            _send(handler, Reply(401, {"error": "the token is not the right one"}))
            return
        if self.misbehaviour:
            self._misbehave(handler)
            return
        try:
            document = json.loads(body) if body else None
        except ValueError:
            _send(handler, Reply(400, {"error": "no JSON"}))
            return
        _send(handler, self.reply(handler.command, handler.path, document, dict(handler.headers)))

    def _misbehave(self, handler: BaseHTTPRequestHandler) -> None:
        match self.misbehaviour:
            case "error":
                _send(handler, Reply(500, {"error": "not-a-real-pw in an error"}))
            case "elsewhere":
                _send(handler, Reply(302, None, (("Location", "https://elsewhere.example/"),)))
            case "garbage":
                handler.send_response(200)
                handler.end_headers()
                handler.wfile.write(b"<html>not-a-real-pw")
            case "huge":
                handler.send_response(200)
                handler.end_headers()
                handler.wfile.write(b"x" * (8 << 20))
            case "drip":
                handler.send_response(200)
                handler.end_headers()
                while not self._stopped.wait(0.05):
                    handler.wfile.write(b" ")
                    handler.wfile.flush()
            case _:
                until = time.monotonic() + _SLOW
                while time.monotonic() < until and not self._stopped.wait(0.05):
                    pass

    def _handler(self) -> type[BaseHTTPRequestHandler]:
        standin = self

        class Handler(BaseHTTPRequestHandler):
            timeout = 60

            def _take(self) -> None:
                try:
                    standin._answer(self)
                except OSError:
                    self.close_connection = True

            do_GET = do_PUT = do_POST = do_PATCH = do_DELETE = _take

            def handle(self) -> None:
                try:
                    if isinstance(self.connection, ssl.SSLSocket):
                        self.connection.do_handshake()
                    super().handle()
                except OSError:  # a client that did not trust, or went
                    pass

            def log_message(self, *_: object) -> None:
                """Say nothing."""

        return Handler


def _send(handler: BaseHTTPRequestHandler, reply: Reply) -> None:
    body = b"" if reply.document is None else json.dumps(reply.document).encode()
    handler.send_response(reply.status)
    for name, value in reply.headers:
        handler.send_header(name, value)
    handler.send_header("Content-Type", "application/json")
    handler.send_header("Content-Length", str(len(body)))
    handler.end_headers()
    handler.wfile.write(body)
