"""SQLite: sessions at one file; there is no server that could tell who holds it. Facts from SQLite 3.40."""

from __future__ import annotations

import socket
import sqlite3
from contextlib import suppress
from pathlib import Path
from time import monotonic
from typing import Any

from ..deadline import Deadline
from ..errors import FieldError
from ..model import Cord, Host
from ..secrets import arguments_for
from .server import Activity, Answer, Capacity, Refusal

DRIVER = "sqlite3"
STATEMENT = "SELECT count(*) FROM sqlite_master"

MAGIC = b"SQLite format 3\0"
"""What a database file begins with (file format, section 1.3.1)."""

_BUSY = {sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED}
_REFUSALS = {
    sqlite3.SQLITE_READONLY: (
        "the statement changes something, and the file is open for reading only",
        "give --allow-writes if that is meant",
    ),
    sqlite3.SQLITE_INTERRUPT: ("the statement took longer than its limit", "give it longer, or a shorter statement"),
    sqlite3.SQLITE_CANTOPEN: ("the file cannot be opened", "check its path, and who may read it and its folder"),
    sqlite3.SQLITE_ERROR: ("SQLite refuses the statement", "check its syntax and the names of its tables"),
}


def socket_name(host: Host) -> str:
    """A file has no hosts."""
    return host.name


def ask_for_tls(plug: socket.socket, deadline: Deadline) -> bool:
    """A file is not reached through a network."""
    return False


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open the file, for reading only unless ``writes``, and never creating it."""
    given = dict(arguments_for(cord, DRIVER))
    database = str(given.pop("database", ""))
    in_memory = not database or ":memory:" in database
    if not given.pop("uri", False):
        database = (
            "file::memory:" if in_memory else Path(database).resolve().as_uri() + ("?mode=rw" if writes else "?mode=ro")
        )
    options: dict[str, Any] = {"isolation_level": None, "check_same_thread": False, **given, "timeout": deadline.left}
    try:
        session = sqlite3.connect(database, uri=True, **options)
        session.execute(STATEMENT).fetchall()
    except sqlite3.Error as error:
        raise cause_of(error) from None
    return session


def cause_of(error: Exception) -> Refusal:
    """Turn what SQLite raised into a cause, by its primary result code (the low eight bits)."""
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF
    if code in _BUSY:
        return Refusal("another connection holds a lock on the file", "wait until it is done, or find it: fuser FILE")
    if code in _REFUSALS:
        return Refusal(*_REFUSALS[code])
    return Refusal("the file is damaged, or not a database", "check it: PRAGMA integrity_check")


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Count the tables."""
    try:
        (tables,) = session.execute("SELECT count(*) FROM sqlite_master WHERE type = 'table'").fetchone()
    except sqlite3.Error as error:
        raise cause_of(error) from None
    return Answer(product=f"SQLite {sqlite3.sqlite_version}", more=f"{tables} table{'' if tables == 1 else 's'}")


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
    session.create_function("cordtally_begin", 0, lambda: ends.__setitem__(0, monotonic() + limit))


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    session.execute("SELECT cordtally_begin()").fetchall()
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
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What sqlite3 raises."""
    return (sqlite3.Error,)
