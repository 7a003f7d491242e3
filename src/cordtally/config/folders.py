"""The connections that the files below a folder declare."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

from ..errors import CordTallyError
from ..journal import note
from ..syntax import format_of, walk
from .declarations import Declared, declared_in

# a file without any of these declares nothing: most files of a tree are never parsed
_TELLING = (b"://", b"host", b"server", b"database", b"datasource", b"data source", b"jdbc", b"dsn", b"db_")
_LARGEST = 4 << 20


def declared_below(root: Path, *, variables: Mapping[str, str] | None = None) -> Iterator[tuple[Path, list[Declared]]]:
    """Give each file below a folder that declares connections, with them; one that cannot be read is noted in the log.

    Raises
    ------
    MissingExtra
        When the grammar of a file's format is not installed.
    """
    for path in walk(root):
        if format_of(path) in {None, "markdown"} or path.name == "tally.toml":  # examples; a tally speaks for itself
            continue
        try:
            if path.stat().st_size > _LARGEST or not _tells(path.read_bytes()):
                continue
            found = declared_in(path, variables=variables)
        except (CordTallyError, OSError) as error:
            if isinstance(error, ImportError):
                raise
            note("config", "%s: not read: %s", path, type(error).__name__)
            continue
        if found:
            yield path, found


def _tells(data: bytes) -> bool:
    # single words searched one by one take a tenth of the time of an expression of them all
    folded = data.lower()
    return any(word in folded for word in _TELLING) or b"\0" in data[:64]
