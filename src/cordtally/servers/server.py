"""What the modules of the engines have in common: the names that each has, and what they answer."""

from __future__ import annotations

import socket
from dataclasses import dataclass
from typing import Any, Protocol

from ..deadline import Deadline
from ..errors import MissingExtra
from ..model import Cord, Host

Session = Any
"""A driver's own connection; only the module of its engine looks into it."""


class Refusal(Exception):
    """A server, or its driver, refused; ``cause`` and ``hint`` are our own words, and quote nothing that it said.

    ``database`` says that the log-in itself held, and the database did not; ``credentials`` that it is user and
    password that the server does not accept; ``code`` is the server's own number for it, where the driver hands it on:
    an SQLSTATE, or MySQL's error.
    """

    def __init__(
        self, cause: str, hint: str, *, database: bool = False, credentials: bool = False, code: str | None = None
    ) -> None:
        super().__init__(cause)
        self.cause, self.hint, self.code = cause, hint, code
        self.database, self.credentials = database, credentials


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What a server says of itself and of whom it sees."""

    product: str
    user: str | None = None
    database: str | None = None
    more: str = ""

    def __str__(self) -> str:
        seen = [f"user {self.user}"] if self.user is not None else []
        seen += [f"database {self.database}"] if self.database is not None else []
        return ", ".join([self.product, *seen, *([self.more] if self.more else [])])


@dataclass(frozen=True, slots=True)
class Capacity:
    """How many connections a server allows, keeps for administrators, and has open; and when it ends idle sessions (s).

    None where there is no limit.
    """

    limit: int | None
    reserve: int
    open: int
    idle_timeout: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Activity:
    """Who holds a server's connections at an instant.

    ``idle_in_transaction`` do nothing and hold their locks; ``waiting`` wait for one. ``oldest`` is the age in seconds
    of the longest transaction or statement. ``transactions`` counts what the server has done since it started:
    transactions (PostgreSQL), statements (MySQL, MariaDB), commands (Redis). ``holders`` counts connections by user and
    application.
    """

    active: int
    idle: int
    idle_in_transaction: int
    waiting: int
    oldest: float
    transactions: int
    limit: int | None
    holders: tuple[tuple[str, int], ...]

    @property
    def open(self) -> int:
        """All connections."""
        return self.active + self.idle + self.idle_in_transaction


class EngineServer(Protocol):
    """What the module of an engine offers.

    Whatever a method is given a deadline for ends by then; what a server or driver refuses is a `Refusal`.
    """

    DRIVER: str
    """The driver of the catalog through which it talks."""
    STATEMENT: str
    """A statement that costs next to nothing."""

    def socket_name(self, host: Host) -> str:
        """The file of a server's socket, of a host that is one."""
        ...

    def ask_for_tls(self, plug: socket.socket, deadline: Deadline) -> bool:
        """Ask for TLS as the protocol has it; False where the server offers none."""
        ...

    def log_in(self, cord: Cord, deadline: Deadline, *, writes: bool = False) -> Session:
        """Log in with exactly what this package writes for the driver; a file is only read, unless ``writes``."""
        ...

    def answer(self, session: Session, deadline: Deadline) -> Answer:
        """Ask the server who it is and whom it sees."""
        ...

    def prepare(self, session: Session, *, limit: float, writes: bool) -> None:
        """Make a session fit for load: read-only unless ``writes``; statements end after ``limit`` seconds."""
        ...

    def run(self, session: Session, statement: str) -> None:
        """Run a statement and fetch what it gives."""
        ...

    def check(self, session: Session, statement: str, *, writes: bool) -> None:
        """Refuse a statement that changes data, where the session itself does not."""
        ...

    def capacity(self, session: Session, deadline: Deadline) -> Capacity:
        """How many connections the server allows and has."""
        ...

    def activity(self, session: Session, deadline: Deadline) -> Activity:
        """Who holds connections now; the session that asks is left out."""
        ...

    def close(self, session: Session) -> None:
        """Close a session, whatever state it is in."""
        ...

    def errors(self) -> tuple[type[Exception], ...]:
        """What the driver raises."""
        ...

    def cause_of(self, error: Exception) -> Refusal:
        """Turn what the driver raised into a cause."""
        ...


def missing(package: str, extra: str, engine: str) -> MissingExtra:
    """Make the error for a driver that is not installed."""
    return MissingExtra(package, extra, f"talking to {engine}")


def no_answer(deadline: Deadline) -> Refusal:
    """Make the refusal of a server that takes the connection and is silent."""
    cause = f"the server took the connection and did not answer within {deadline.seconds:g} s"
    return Refusal(cause, "it may be overloaded, or no database at all; a longer limit waits longer")


def count_holders(holders: dict[str, int]) -> tuple[tuple[str, int], ...]:
    """Order who holds connections, the most first."""
    return tuple(sorted(holders.items(), key=lambda holder: -holder[1]))
