"""Asks a peer that does not answer as it should who it is: several first words at once, each on its own connection."""

from __future__ import annotations

import socket
import ssl
import struct
from typing import TYPE_CHECKING

from ..deadline import Deadline
from ..model import TlsLevel
from ..servers import HungUp, Refusal, Wire, module_of
from ..servers.mongodb import HELLO
from ..servers.peers import stranger, who_is
from .levels import level_of

if TYPE_CHECKING:
    from collections.abc import Callable

    from .network import Address, Line

_LISTEN = 0.15  # s: who speaks first does so at once
_FIRST_WORDS = {
    "redis": b"*1\r\n$4\r\nPING\r\n",
    "http": b"GET / HTTP/1.0\r\n\r\n",
    "postgresql": struct.pack("!ii", 8, 80877103),
    "mongodb": HELLO,
}
_MOST = 1.0


def ask_who(line: Line, address: Address, seconds: float) -> Refusal | None:
    """Give the refusal that names who is on a port, where another protocol is known by its answer; else None."""
    deadline = Deadline(min(seconds, _MOST))
    ways: list[Callable[[], tuple[str, str] | None]] = [
        lambda: _listen(address, Deadline(min(_LISTEN, deadline.seconds))),
        *[lambda words=words: _say(address, words, deadline) for words in _FIRST_WORDS.values()],
        lambda: _greet_in_tls(address, deadline),
    ]
    level = level_of(line.cord, line.driver)
    for found in deadline.run_all(ways):
        if not isinstance(found, tuple):
            continue
        if not _is_kin(found[0], line.cord.engine):
            return line.refuse(f"peer:{found[0]}", peer=found[1], place=address.shown)
        if line.server.TLS_FIRST and level is not TlsLevel.OFF:
            return line.refuse("tls:not-offered", level=level.value)
    return None


def _is_kin(peer: str, engine: str) -> bool:
    """Whether a peer speaks the engine's protocol: peers are named after the modules that talk to them."""
    return module_of(engine) == peer


def _open(address: Address, deadline: Deadline) -> Wire:
    wire = Wire(socket.socket(address.family, socket.SOCK_STREAM), deadline)
    try:
        wire.connect(address.place)
    except BaseException:
        wire.plug.close()
        raise
    return wire


def _listen(address: Address, deadline: Deadline) -> tuple[str, str] | None:
    with _open(address, deadline) as wire:
        return who_is(wire.receive(256))


def _say(address: Address, words: bytes, deadline: Deadline) -> tuple[str, str] | None:
    with _open(address, deadline) as wire:
        wire.send(words)
        said = wire.receive(256)
    if words == _FIRST_WORDS["postgresql"] and said in {b"S", b"N"}:
        return "postgresql", "PostgreSQL"
    return who_is(said)


def _greet_in_tls(address: Address, deadline: Deadline) -> tuple[str, str] | None:
    """Whether TLS is answered at once; to a handshake that fails by its own alert, too."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    with _open(address, deadline) as wire:
        try:
            wire.begin_tls(context, address.host.name or "localhost")
        except (ssl.SSLError, ValueError):
            return who_is(wire.first)
        return "tls", "TLS"


def named(line: Line, address: Address, gone: HungUp, seconds: float) -> Refusal:
    """Make the refusal for a peer that hung up: by what it said, by who it turns out to be, or by that alone."""
    if gone.said and who_is(gone.said) is not None:
        return stranger(gone.said, line.cord.engine, address.shown)
    return ask_who(line, address, seconds) or line.refuse("peer:closed", place=address.shown)
