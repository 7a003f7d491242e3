"""What modules of engines have in common whose driver tells all there is to tell; an engine that is only reached."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from ..exchange import write
from ..model import Cord, Host, TlsLevel
from ..secrets import arguments_for
from .refusals import Refusal, refusal_of

if TYPE_CHECKING:
    import ssl

    from .server import Session
    from .wire import Wire

Made = TypeVar("Made")
DRIVER = "odbc"
TLS_FIRST = True
SHARE = 0.6
"""Of a rung's time what a driver is given that tells why it gave up, if it may: in the rest it says so."""
MOST = 32 << 20
"""Bytes that all answers to our own questions together do not come near."""
PATIENCE = 1.0
"""Seconds that closing waits for a thread that is still in a library, which must not be closed under its feet."""


class Guarded(NamedTuple):
    """A connection of a library in C, and the lock of whoever is in it."""

    connection: Any
    busy: threading.Lock

    def do(self, call: Callable[[Any], Made]) -> Made:
        """Call something with the connection, alone."""
        with self.busy:
            return call(self.connection)

    def close(self) -> None:
        """Close the connection, once no thread is in it any more; one that stays there keeps it until it ends."""
        if self.busy.acquire(timeout=PATIENCE):
            self.connection.close()


def socket_name(host: Host) -> str:
    """The socket is a file of its own."""
    return host.name


def ask_for_tls(wire: Wire) -> bool:
    """TLS begins at once, or not at all: nothing is asked."""
    return True


def greet(wire: Wire, cord: Cord) -> str:
    """Say nothing before the log-in."""
    return ""


def part(wire: Wire) -> None:
    """Hang up: nobody counts that."""
    wire.end()


def watch(session: Session) -> Callable[[], None]:
    """Watch nothing: the driver, or its limit of a message, bounds what is taken."""
    return lambda: None


def inquire(wire: Wire, cord: Cord) -> Refusal | None:
    """Ask nothing more: the driver hands on the server's code."""
    return None


def used_method(session: Session) -> str:
    """Say nothing of the method: the driver does not tell it."""
    return ""


def arguments_of(cord: Cord, driver: str) -> dict[str, object]:
    """Write the arguments of a driver, and refuse where they would ask for no TLS at all though the cord does.

    Else the password would go in the clear, to a server of which the rung of TLS says that it is encrypted.
    """
    level = cord.tls.level
    # a driver that is given an authority may take to TLS by that, without a word for the level
    if level is not None and level >= TlsLevel.ENCRYPTED and cord.tls.ca is None:
        line = write(cord, f"{driver}/arguments").ledger.line("tls.level")
        if line is not None and line.target is None and line.outcome.is_loss:
            raise refusal_of("own:tls-not-said", engine=cord.engine, name=driver, level=level.value)
    return arguments_for(cord, driver)


def context_of(cord: Cord, level: TlsLevel) -> ssl.SSLContext:
    """Make Python's context for a level: what is verified, by whose authority, and who the client is."""
    import ssl

    context = ssl.create_default_context(cafile=None if cord.tls.ca in {None, "system"} else str(cord.tls.ca))
    context.check_hostname = level >= TlsLevel.VERIFY_IDENTITY
    if level < TlsLevel.VERIFY_CHAIN:
        context.verify_mode = ssl.CERT_NONE
    if cord.tls.certificate is not None:
        context.load_cert_chain(str(cord.tls.certificate), None if cord.tls.key is None else str(cord.tls.key))
    return context


def shorter(own: object, most: float) -> float:
    """The shorter of a driver's own limit and ours (both in one unit); what is no number, or 0, is no limit."""
    return min(float(own), most) if isinstance(own, int | float) and own > 0 else most
