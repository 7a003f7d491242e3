"""SQLite: sessions at one file; there is no server that could tell who holds it. Facts from SQLite 3.40."""

from __future__ import annotations

import sqlite3
import threading
from contextlib import suppress
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..errors import FieldError
from ..model import Cord, Host
from . import plain
from .refusals import Refusal, no_answer, refusal_of
from .server import Activity, Answer, Capacity

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "sqlite3"
TLS_FIRST = False
_BEGIN = "cordtally_begin"
STATEMENT = "SELECT count(*) FROM sqlite_master"

_PRIMARY = {
    getattr(sqlite3, f"SQLITE_{name}"): name
    for name in (
        "ERROR", "PERM", "BUSY", "LOCKED", "NOMEM", "READONLY", "INTERRUPT", "IOERR", "CORRUPT", "FULL", "CANTOPEN",
        "PROTOCOL", "AUTH", "NOTADB",
    )
}  # fmt: skip
_NEWEST_FORMAT = 2  # the version to read, byte 19 of the header (file format, 1.3.3)
_HEADER = 100
MAGIC = b"SQLite format 3\0"
"""What a database file begins with (file format, section 1.3.1)."""


def look_at(header: bytes, size: int) -> tuple[str, str] | None:
    """Say what is wrong with a file by its first 100 bytes and its size: the code of a cause, and more of it."""
    if not header.startswith(MAGIC):
        return "file:no-database", ""
    if len(header) < _HEADER:
        return None
    if header[19] > _NEWEST_FORMAT:
        return "file:newer", ""
    page = int.from_bytes(header[16:18], "big")
    whole = int.from_bytes(header[28:32], "big") * (65536 if page == 1 else page)
    # the count of pages holds only where the number at 92 is that at 24 (file format, 1.3.8)
    if header[24:28] == header[92:96] and size < whole:
        return "file:cut", f"{size:,} of {whole:,} bytes"
    return None


class _File(sqlite3.Connection):
    """A connection that knows whether a thread is in it: closed under its feet, SQLite crashes the process."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:  # noqa: ANN401
        super().__init__(*args, **kwargs)
        self.busy = threading.Lock()


watch = plain.watch


def socket_name(host: Host) -> str:
    """A file has no hosts."""
    return host.name


def ask_for_tls(wire: Wire) -> bool:
    """A file is not reached through a network."""
    return False


def greet(wire: Wire, cord: Cord) -> str:
    """A file is not reached through a network."""
    return ""


def part(wire: Wire) -> None:
    """A file is not reached through a network."""


def inquire(wire: Wire, cord: Cord) -> Refusal | None:
    """A file is not reached through a network."""
    return None


def used_method(session: Any) -> str:  # noqa: ANN401
    """Nobody logs in to a file."""
    return ""


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open the file, for reading only unless ``writes``, and never creating it."""
    given = dict(plain.arguments_of(cord, DRIVER))
    database = str(given.pop("database", ""))
    in_memory = not database or ":memory:" in database
    if not given.pop("uri", False):
        database = (
            "file::memory:" if in_memory else Path(database).resolve().as_uri() + ("?mode=rw" if writes else "?mode=ro")
        )
    options: dict[str, Any] = {
        "isolation_level": None,
        "check_same_thread": False,
        "factory": _File,
        **given,
        "timeout": deadline.left,
    }
    try:
        session = sqlite3.connect(database, uri=True, **options)
        session.execute(STATEMENT).fetchall()
        session.create_function(_BEGIN, 0, lambda: None)
    except sqlite3.Error as error:
        raise cause_of(error) from None
    return session


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what SQLite raised into a cause, by its extended result code, or its primary one (the low eight bits)."""
    name = str(getattr(error, "sqlite_errorname", "") or "").removeprefix("SQLITE_")
    primary = _PRIMARY.get(getattr(error, "sqlite_errorcode", 0) & 0xFF, "")
    codes = [f"sqlite:{one}" for one in (name, primary) if one] or ["sqlite:CORRUPT"]
    return refusal_of(*codes, engine="sqlite", code=name or None, place="the file", name="not whole")


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Count the tables."""

    def ask() -> Any:  # noqa: ANN401
        with session.busy:
            (tables,) = session.execute("SELECT count(*) FROM sqlite_master WHERE type = 'table'").fetchone()
            (mode,) = session.execute("PRAGMA journal_mode").fetchone()
            return tables, mode

    try:
        tables, mode = deadline.run(ask)
    except NoAnswer:
        session.interrupt()
        raise no_answer(deadline, "sqlite") from None
    except sqlite3.Error as error:
        raise cause_of(error) from None
    more = f"{tables:,} table{'' if tables == 1 else 's'}, journal {mode}"
    return Answer(product="SQLite", version=sqlite3.sqlite_version, more=more)


def prepare(session: Any, *, limit: float, writes: bool) -> None:  # noqa: ANN401
    """Let statements be interrupted after ``limit`` seconds, counted from where `run` begins one.

    Raises
    ------
    FieldError
        For a database in memory, which every session would have for itself.
    """
    if not session.execute("PRAGMA database_list").fetchall()[0][2]:
        raise FieldError("a database in memory has no pool to measure: name a file")
    if not writes:
        session.execute("PRAGMA query_only = ON")
    ends = [monotonic() + limit]
    session.set_progress_handler(lambda: int(monotonic() > ends[0]), 100_000)
    session.create_function(_BEGIN, 0, lambda: ends.__setitem__(0, monotonic() + limit))


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    with session.busy:
        session.execute(f"SELECT {_BEGIN}()").fetchall()
        session.execute(statement).fetchall()


def check(session: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Do nothing: the session refuses by itself."""


def capacity(session: Any, deadline: Deadline) -> Capacity:  # noqa: ANN401
    """A file has no limit of its own."""
    return Capacity(None, 0, 1)


def activity(session: Any, deadline: Deadline) -> Activity:  # noqa: ANN401
    """Refuse.

    Raises
    ------
    FieldError
        Always.
    """
    raise FieldError("SQLite has no server that knows who holds connections: only the application does")


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session, once no thread is in it any more; one that stays there keeps it until it ends."""
    with suppress(Exception):
        session.interrupt()
        if session.busy.acquire(timeout=plain.PATIENCE):
            session.close()


def errors() -> tuple[type[Exception], ...]:
    """What sqlite3 raises."""
    return (sqlite3.Error,)
