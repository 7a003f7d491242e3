"""SQLite: sessions at one file; there is no server that could tell who holds it."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from pathlib import Path
from time import monotonic
from typing import Any

from ...errors import FieldError
from .session import Activity, Capacity

DRIVER = "sqlite3"
STATEMENT = "SELECT count(*) FROM sqlite_master"


def connect(arguments: Mapping[str, object], *, limit: float, writes: bool) -> Any:  # noqa: ANN401
    """Open the file, never creating it; statements are interrupted after ``limit`` seconds."""
    given = dict(arguments)
    database = str(given.pop("database", ""))
    if not database or ":memory:" in database:
        raise FieldError("a database in memory has no pool to measure: name a file")
    if not given.pop("uri", False):
        database = Path(database).resolve().as_uri() + ("?mode=rw" if writes else "?mode=ro")
    options: dict[str, Any] = {"isolation_level": None, "check_same_thread": False, **given, "timeout": limit}
    connection = sqlite3.connect(database, uri=True, **options)
    if not writes:
        connection.execute("PRAGMA query_only = ON")
    connection.execute(STATEMENT).fetchall()
    ends = [monotonic() + limit]
    connection.set_progress_handler(lambda: int(monotonic() > ends[0]), 100_000)
    connection.create_function("cordtally_begin", 0, lambda: ends.__setitem__(0, monotonic() + limit))
    return connection


def run(connection: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    connection.execute("SELECT cordtally_begin()").fetchall()
    connection.execute(statement).fetchall()


def check(connection: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Do nothing: the session refuses by itself."""


def capacity(connection: Any) -> Capacity:  # noqa: ANN401
    """A file has no limit of its own."""
    return Capacity(None, 0, 1)


def activity(connection: Any) -> Activity:  # noqa: ANN401
    """Refuse.

    Raises
    ------
    FieldError
        Always.
    """
    raise FieldError("SQLite has no server that knows who holds connections: only the application does")


def errors() -> tuple[type[Exception], ...]:
    """What sqlite3 raises."""
    return (sqlite3.Error,)
