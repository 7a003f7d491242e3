"""Learns more of a log-in that was refused: from what the server said before it, or says when it is asked again."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from ..errors import MissingExtra
from ..model import Secret, TlsLevel
from ..model.tokens import end_of_token
from ..servers import Deadline, HungUp, NoAnswer, Refusal
from . import tls
from .levels import level_of

if TYPE_CHECKING:
    from .network import Line

_SAYS_NOTHING = "not-connected"
"""The cause of a driver manager's code that stands for any failure."""


def more_of(refusal: Refusal, line: Line, seen: tls.Seen, deadline: Deadline) -> Refusal:
    """Give the refusal that tells most."""
    told = _with_tls(_asked_again(refusal, line, seen, deadline), line, deadline)
    password = line.cord.password
    ends = end_of_token(password.unmask()) if told.credentials and isinstance(password, Secret) else None
    if ends is not None and ends < datetime.now(UTC):
        return line.refuse("own:token-ended", code=told.code)
    return told


def _asked_again(refusal: Refusal, line: Line, seen: tls.Seen, deadline: Deadline) -> Refusal:
    if seen.early is not None:
        return seen.early
    told = refusal.code is not None and (refusal.known is None or refusal.known.id != _SAYS_NOTHING)
    if told or not line.reached:
        return refusal
    try:
        with tls.open_wire(line, line.reached[0], deadline) as wire:
            return line.server.inquire(wire, line.cord) or refusal
    except (Refusal, HungUp, NoAnswer, OSError, MissingExtra):
        return refusal


def _with_tls(refusal: Refusal, line: Line, deadline: Deadline) -> Refusal:
    """See whether who is refused in plain text would be asked for a password in TLS; it is not given.

    The other way round nothing is tried: who wants TLS has not allowed that even a name goes in the clear.
    """
    if refusal.known is None or not (refusal.known.tls_may_help and line.reached):
        return refusal
    address = line.reached[0]
    if address.host.is_socket or level_of(line.cord, line.driver) is not TlsLevel.OFF:
        return refusal
    try:
        with tls.open_wire(line, address, deadline, TlsLevel.ENCRYPTED) as wire:
            if wire.tls is None:
                return refusal
            line.server.greet(wire, line.cord)
    except (Refusal, HungUp, NoAnswer, OSError):
        return refusal
    return line.refuse("own:only-with-tls", code=refusal.code)
