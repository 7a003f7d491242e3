"""The rungs for an embedded database: a file instead of a network. Dialling never creates the file."""

from __future__ import annotations

import os
import stat
from pathlib import Path
from typing import Any

from ..catalog import load_engine
from ..model import Cord, clear
from ..servers import Refusal, duckdb, refusal_of, sqlite
from .rungs import RungNotNeeded

_HEADER = 100  # bytes from the beginning of a file that tell what it is
_LOOKS = {"sqlite": sqlite.look_at, "duckdb": duckdb.look_at}


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
    name = Path(_shown(cord, path)).name
    look = _LOOKS.get(cord.engine)
    found = None if look is None else look(header, path.stat().st_size)
    if found is not None:
        code, told = found
        raise _refuse(cord, path, code, place=name, name=told)
    return f"a database of {load_engine(cord.engine).title}"
