"""One file of a tally: found, read, and its problems said with their places."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ..catalog import find_nearest
from ..errors import TallyError, UnknownName
from ..pipes import open_to_read
from .places import find_place

FILE_NAME = "tally.toml"
_LINE = re.compile(r"\(at line (\d+), column (\d+)\)")  # as tomllib says it
_LARGEST = 16 << 20


@dataclass(frozen=True, slots=True)
class TallyFile:
    """A file that lies there: its characters, and what stands in it."""

    path: Path
    source: str = field(repr=False)
    raw: Mapping[str, object] = field(repr=False)
    data: bytes = field(default=b"", repr=False, compare=False)

    def line(self, table: str, key: str) -> int | None:
        """The line, from 1, of a key of a table; of the table itself where the key is empty."""
        found = find_place(self.source, table, key)
        return None if found is None else found[0]

    def problem(self, table: str, key: str, message: str, *, nearest: tuple[str, ...] = ()) -> TallyError:
        """Make the error for what is wrong at a key of a table: with the file, line and column."""
        found = find_place(self.source, table, key)
        where = f"{self.path}:{found[0]}:{found[1]}" if found else str(self.path)
        head = f"[{table}]" if table else "the file"
        line = found[0] if found else None
        return TallyError(f"{where}: {head}: {message}", path=self.path, line=line, nearest=nearest)

    def check_keys(self, table: str, held: Iterable[str], known: Iterable[str], kind: str = "field") -> None:
        """Refuse a key that is not known.

        Raises
        ------
        TallyError
            With its place and the nearest one that is known.
        """
        known = tuple(known)
        for key in held:
            if key not in known:
                nearest = find_nearest(key, known)
                error = UnknownName(kind, key, nearest=nearest, hint=f"known: {', '.join(known)}")
                raise self.problem(table, key, str(error), nearest=nearest)

    def table(self, where: str, value: object) -> dict[str, object]:
        """Give what must be a table.

        Raises
        ------
        TallyError
            Where it is none.
        """
        if isinstance(value, dict):
            return value
        head, _, key = where.rpartition(".")
        raise self.problem(head, key, f"{where} must be a table")


def find_tally(start: Path | None = None) -> Path:
    """Find the nearest ``tally.toml``, here or in a folder above.

    Raises
    ------
    TallyError
        When there is none.
    """
    folder = (start or Path()).resolve()
    for candidate in (folder, *folder.parents):
        if (candidate / FILE_NAME).is_file():
            return candidate / FILE_NAME
    raise TallyError(
        f"there is no {FILE_NAME} in {folder} or any folder above it; cordtally init makes one, which begins with "
        "the line: tally = 1"
    )


def local_path(place: Path) -> Path:
    """The file beside a tally that is this machine's alone: ``tally.local.toml``."""
    return place.with_name(f"{place.stem}.local{place.suffix}")


def read_file(place: Path) -> TallyFile:
    """Read a file of a tally.

    Raises
    ------
    TallyError
        When it is missing, or no TOML.
    """
    try:
        with open_to_read(place) as stream:
            data = stream.read(_LARGEST + 1)
        source = data.decode("utf-8-sig").replace("\r\n", "\n")
    except OSError as error:
        raise TallyError(f"{place}: cannot be read ({error.strerror})", path=place) from None
    except UnicodeDecodeError:
        raise TallyError(f"{place}: is not UTF-8 text", path=place) from None
    if len(data) > _LARGEST:
        raise TallyError(f"{place}: is larger than {_LARGEST >> 20} MiB", path=place)
    try:
        return TallyFile(place, source, tomllib.loads(source), data)
    except RecursionError:
        raise TallyError(f"{place}: is not TOML: it is nested too deep", path=place) from None
    except ValueError as error:  # a number of too many digits is one, beside tomllib's own
        found = _LINE.search(str(error))
        where = f"{place}:{found[1]}:{found[2]}" if found else str(place)
        told = _LINE.sub("", str(error)).rstrip()
        raise TallyError(f"{where}: is not TOML: {told}", path=place, line=int(found[1]) if found else None) from None
