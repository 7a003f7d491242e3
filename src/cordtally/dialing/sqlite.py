"""The rungs for SQLite: a file instead of a network. Dialling never creates the file."""

from __future__ import annotations

import os
import sqlite3
from pathlib import Path
from urllib.parse import quote

from ..model import Cord
from .rungs import Diagnosis, RungBroke, RungNotNeeded

_MAGIC = b"SQLite format 3\0"


def _path(cord: Cord) -> Path | None:
    return None if cord.database in {None, "", ":memory:"} else Path(cord.database or "")


def resolve(cord: Cord) -> str:
    """Name the file in full."""
    path = _path(cord)
    return "a database in memory" if path is None else f"the file {path.resolve()}"


def reach(cord: Cord) -> str:
    """See that the file is there and may be read."""
    path = _path(cord)
    if path is None:
        raise RungNotNeeded("in memory")
    if not path.exists():
        raise RungBroke(
            Diagnosis(
                f"there is no file {path.resolve()}",
                "check the path: a relative one starts from the folder in which the program runs",
            )
        )
    if path.is_dir():
        raise RungBroke(Diagnosis(f"{path} is a folder", "name the file in it"))
    if not os.access(path, os.R_OK):
        raise RungBroke(Diagnosis(f"{path} may not be read", "change its owner or mode"))
    writable = "" if os.access(path, os.W_OK) else ", read-only"
    return f"{path.stat().st_size:,} bytes{writable}"


def database(cord: Cord) -> str:
    """See that the file is a database."""
    path = _path(cord)
    if path is None:
        return "in memory"
    with path.open("rb") as stream:
        magic = stream.read(16)
    if magic and magic != _MAGIC:
        raise RungBroke(
            Diagnosis(
                f"{path.name} is not an SQLite database", "it may be encrypted, cut short, or another kind of file"
            )
        )
    return "an SQLite database" if magic else "an empty file: a database without tables"


def answer(cord: Cord, limit: float) -> str:
    """Open the file read-only and ask for its tables."""
    path = _path(cord)
    name = "file::memory:" if path is None else f"file:{quote(str(path.resolve()))}?mode=ro"
    try:
        connection = sqlite3.connect(name, uri=True, timeout=limit)
        try:
            (tables,) = connection.execute("SELECT count(*) FROM sqlite_master WHERE type = 'table'").fetchone()
        finally:
            connection.close()
    except sqlite3.Error as error:
        locked = "locked" in str(error)
        raise RungBroke(
            Diagnosis(
                "another connection holds a lock on the file" if locked else "the file is damaged, or not a database",
                "wait until it is done, or find it: fuser FILE" if locked else "check it: PRAGMA integrity_check",
            )
        ) from None
    return f"SQLite {sqlite3.sqlite_version}, {tables} table{'' if tables == 1 else 's'}"
