"""What the modules of the engines have in common: the names that each has, and what they answer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any, Protocol

from ..deadline import Deadline
from ..errors import MissingExtra
from ..model import Cord, Host

if TYPE_CHECKING:
    from .refusals import Refusal
    from .wire import Wire

Session = Any
"""A driver's own connection; only the module of its engine looks into it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What a server says of itself and of whom it sees; None where it does not tell.

    ``encrypted`` is TLS as the server sees it: its version and cipher, or an empty text for none; ``role`` is
    ``primary`` or ``standby``; ``rights`` are those of an administrator or an owner; ``clock`` is the server's time
    less this machine's (s), within half a round trip; ``opened``, ``limit`` and ``reserve`` count connections;
    ``idle_timeout`` and ``statement_timeout`` are the server's own for this session (s), 0 where there are none;
    ``through`` is a pooler in between.
    """

    product: str
    version: str = ""
    user: str | None = None
    database: str | None = None
    schemas: str | None = None
    encrypted: str | None = None
    role: str | None = None
    reads_only: bool | None = None
    rights: tuple[str, ...] = ()
    clock: float | None = None
    opened: int | None = None
    limit: int | None = None
    reserve: int | None = None
    idle_timeout: float | None = None
    statement_timeout: float | None = None
    through: str | None = None
    place: str | None = None
    more: str = ""

    def __post_init__(self) -> None:
        """Replace what moves a cursor or hides text: all of this is what a server likes to say."""
        for name in ("product", "version", "user", "database", "schemas", "encrypted", "role", "more"):
            said = getattr(self, name)
            if isinstance(said, str) and not said.isprintable():
                object.__setattr__(
                    self, name, "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in said)
                )

    @property
    def called(self) -> str:
        """Product and version."""
        return f"{self.product} {self.version}".strip()

    def to_dict(self) -> dict[str, object]:
        """Give what is told as plain values."""
        told = asdict(self)
        return {name: list(value) if isinstance(value, tuple) else value for name, value in told.items()}


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


class Reached(Protocol):
    """What a module offers to whoever reaches a server of its engine, without any driver.

    What answers in another protocol, or refuses already, is a `Refusal`; a `Wire` keeps its own deadline.
    """

    DRIVER: str
    """The driver of the catalog that decides what TLS is used where nothing is stated."""
    TLS_FIRST: bool
    """Whether TLS begins with the first byte, and nothing is asked before."""

    def socket_name(self, host: Host) -> str:
        """The file of a server's socket, of a host that is one."""
        ...

    def ask_for_tls(self, wire: Wire) -> bool:
        """Ask for TLS as the protocol has it; False where the server offers none."""
        ...

    def greet(self, wire: Wire, cord: Cord) -> str:
        """Say as much as needs no password, and name the log-in that the server asks for, empty where it does not."""
        ...

    def part(self, wire: Wire) -> None:
        """End what was begun on a wire, in a way that the server does not count as a failure of this machine's."""
        ...

    def inquire(self, wire: Wire, cord: Cord) -> Refusal | None:
        """Log in on a wire of one's own, where that tells more of a refusal than the driver does; or None."""
        ...


class Talking(Protocol):
    """What a module offers to whoever talks to a server through its driver.

    Whatever a method is given a deadline for ends by then; what a server or driver refuses is a `Refusal`.
    """

    DRIVER: str
    """The driver of the catalog through which it talks."""
    STATEMENT: str
    """A statement that costs next to nothing."""

    def used_method(self, session: Session) -> str:
        """Name the way in which the session was logged in, empty where the driver does not tell."""
        ...

    def log_in(self, cord: Cord, deadline: Deadline, *, writes: bool = False) -> Session:
        """Log in with exactly what this package writes for the driver; a file is only read, unless ``writes``."""
        ...

    def answer(self, session: Session, deadline: Deadline) -> Answer:
        """Ask the server who it is and whom it sees."""
        ...

    def run(self, session: Session, statement: str) -> None:
        """Run a statement and fetch what it gives."""
        ...

    def watch(self, session: Session) -> Callable[[], None]:
        """Give what refuses a server that sends, from now on, far more than any answer to a question of ours has."""
        ...

    def close(self, session: Session) -> None:
        """Close a session, whatever state it is in."""
        ...

    def errors(self) -> tuple[type[Exception], ...]:
        """What the driver raises."""
        ...

    def cause_of(self, error: Exception, cord: Cord | None = None) -> Refusal:
        """Turn what the driver raised into a cause."""
        ...


class Dialled(Reached, Talking, Protocol):
    """What the module of an engine offers that can be dialled."""


class EngineServer(Dialled, Protocol):
    """What the module of an engine offers besides to pools, which measure and watch a server."""

    def prepare(self, session: Session, *, limit: float, writes: bool) -> None:
        """Make a session fit for load: read-only unless ``writes``; statements end after ``limit`` seconds."""
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


def missing(package: str, extra: str, engine: str) -> MissingExtra:
    """Make the error for a driver that is not installed."""
    return MissingExtra(package, extra, f"talking to {engine}")


def count_holders(holders: dict[str, int]) -> tuple[tuple[str, int], ...]:
    """Order who holds connections, the most first."""
    return tuple(sorted(holders.items(), key=lambda holder: -holder[1]))
