"""The rungs for an embedded database: a file instead of a network. Dialling never creates the file."""

from __future__ import annotations

import os
import stat
from pathlib import Path
from typing import Any

from ..model import Cord, clear
from ..servers import Refusal, refusal_of
from ..servers.sqlite import MAGIC
from .rungs import RungNotNeeded

_NEWEST_FORMAT = 2  # the version to read, byte 19 of the header (file format, 1.3.3)
_HEADER = 100


def _path(cord: Cord) -> Path | None:
    database = clear(cord.database or "")
    return None if database in {"", ":memory:"} else Path(database)


def _shown(cord: Cord, path: Path) -> str:
    return str(path.resolve()) if isinstance(cord.database, str) else str(cord.database)


def _refuse(cord: Cord, path: Path, code: str, **holes: Any) -> Refusal:  # noqa: ANN401
    return refusal_of(code, engine=cord.engine, **{"place": _shown(cord, path), **holes})


def resolve(cord: Cord) -> str:
    """Name the file in full."""
    path = _path(cord)
    return "a database in memory" if path is None else f"the file {_shown(cord, path)}"


def reach(cord: Cord) -> str:
    """See that the file is there and may be read."""
    path = _path(cord)
    if path is None:
        raise RungNotNeeded("in memory")
    # not Path.exists: it raises for a folder that may not be entered, or hides it
    try:
        status = path.stat()
    except (FileNotFoundError, NotADirectoryError):
        above = next((folder for folder in reversed(path.absolute().parents) if not folder.is_dir()), None)
        if above is not None:
            raise _refuse(cord, path, "file:no-folder", place=above) from None
        raise _refuse(cord, path, "file:missing") from None
    except (PermissionError, OSError):
        raise _refuse(cord, path, "file:shut") from None
    if not stat.S_ISREG(status.st_mode):
        raise _refuse(cord, path, "file:folder")
    if not os.access(path, os.R_OK):
        raise _refuse(cord, path, "file:shut")
    writable = os.access(path, os.W_OK) and os.access(path.absolute().parent, os.W_OK)
    return f"{status.st_size:,} bytes{'' if writable else ', read-only'}"


def database(cord: Cord) -> str:
    """See that the file is a database, of a format that is known, and whole."""
    path = _path(cord)
    if path is None:
        return "in memory"
    with path.open("rb") as stream:
        header = stream.read(_HEADER)
    if not header:
        return "an empty file: a database without tables"
    if cord.engine != "sqlite":
        return f"a file of {cord.engine}'s"
    name = Path(_shown(cord, path)).name
    if not header.startswith(MAGIC):
        raise _refuse(cord, path, "file:no-database", place=name)
    if len(header) == _HEADER:
        if header[19] > _NEWEST_FORMAT:
            raise _refuse(cord, path, "file:newer", place=name)
        size = int.from_bytes(header[16:18], "big")
        pages, whole = int.from_bytes(header[28:32], "big"), (65536 if size == 1 else size)
        # the count holds only where the one at 92 is that at 24 (file format, 1.3.8)
        if header[24:28] == header[92:96] and path.stat().st_size < pages * whole:
            short = f"{path.stat().st_size:,} of {pages * whole:,} bytes"
            raise _refuse(cord, path, "file:cut", place=name, name=short)
    return "an SQLite database"
