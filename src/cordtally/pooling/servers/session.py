"""What the modules of the engines have in common: their functions, and what they answer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Protocol

Connection = Any


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


class ServerModule(Protocol):
    """What the module of an engine offers."""

    DRIVER: str
    STATEMENT: str

    def connect(self, arguments: Mapping[str, object], *, limit: float, writes: bool) -> Connection:
        """Open a session; read-only unless ``writes``; statements end after ``limit`` seconds."""
        ...

    def run(self, connection: Connection, statement: str) -> None:
        """Run a statement and fetch what it gives."""
        ...

    def check(self, connection: Connection, statement: str, *, writes: bool) -> None:
        """Refuse a statement that changes data, where the session itself does not."""
        ...

    def capacity(self, connection: Connection) -> Capacity:
        """How many connections the server allows and has."""
        ...

    def activity(self, connection: Connection) -> Activity:
        """Who holds connections now; the session that asks is left out."""
        ...

    def errors(self) -> tuple[type[Exception], ...]:
        """What the driver raises."""
        ...
