"""The rungs for an embedded database: a file instead of a network. Dialling never creates the file."""

from __future__ import annotations

import os
from pathlib import Path

from ..model import Cord, clear
from ..servers.sqlite import MAGIC
from .rungs import Diagnosis, RungBroke, RungNotNeeded


def _path(cord: Cord) -> Path | None:
    database = clear(cord.database or "")
    return None if database in {"", ":memory:"} else Path(database)


def resolve(cord: Cord) -> str:
    """Name the file in full."""
    path = _path(cord)
    return "a database in memory" if path is None else f"the file {_shown(cord, path)}"


def _shown(cord: Cord, path: Path) -> str:
    return str(path.resolve()) if isinstance(cord.database, str) else str(cord.database)


def reach(cord: Cord) -> str:
    """See that the file is there and may be read."""
    path = _path(cord)
    if path is None:
        raise RungNotNeeded("in memory")
    shown = _shown(cord, path)
    if not path.exists():
        raise RungBroke(
            Diagnosis(
                f"there is no file {shown}",
                "check the path: a relative one starts from the folder in which the program runs",
            )
        )
    if not path.is_file():
        raise RungBroke(Diagnosis(f"{shown} is a folder, or no ordinary file", "name the file in it"))
    if not os.access(path, os.R_OK):
        raise RungBroke(Diagnosis(f"{shown} may not be read", "change its owner or mode"))
    writable = "" if os.access(path, os.W_OK) else ", read-only"
    return f"{path.stat().st_size:,} bytes{writable}"


def database(cord: Cord) -> str:
    """See that the file is a database."""
    path = _path(cord)
    if path is None:
        return "in memory"
    with path.open("rb") as stream:
        magic = stream.read(len(MAGIC))
    if magic and magic != MAGIC:
        cause = f"{Path(_shown(cord, path)).name} is not an SQLite database"
        raise RungBroke(Diagnosis(cause, "it may be encrypted, cut short, or another kind of file"))
    return "an SQLite database" if magic else "an empty file: a database without tables"
