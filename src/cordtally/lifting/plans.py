"""The plan of a lift: the edits of all files, what moves and what stays; shown masked, carried out whole."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from ..errors import FieldError
from ..model import MASK, Locator, Secret
from ..secrets import drop, put_together
from ..sweeping import SECRETS, Hit
from ..syntax import write_whole
from .undoing import keep

_AROUND = 3  # lines that are shown around an edit
PRIVATE = 0o600  # the mode of what holds a secret


class Moved(NamedTuple):
    """A secret that moves: where it stands, and the variable or file that it is kept in."""

    path: Path
    line: int
    name: str


class Refused(NamedTuple):
    """A secret that stays, and why."""

    path: Path
    line: int
    reason: str


@dataclass(slots=True)
class Lift:
    """The edits of all files, from what was read to what will be written; nothing is written before `apply`.

    ``kept_in`` is the variables file, or the folder in which each secret has a file of its own (``in_files``). Where
    they go into another ``store``, ``places`` says where by name, and ``puts`` has those that it does not keep yet.
    """

    folder: Path
    kept_in: Path
    in_files: bool = False
    tracked: bool = False
    before: dict[Path, bytes | None] = field(default_factory=dict, repr=False)
    after: dict[Path, bytes | None] = field(default_factory=dict, repr=False)
    moved: list[Moved] = field(default_factory=list)
    refused: list[Refused] = field(default_factory=list)
    values: dict[str, str] = field(default_factory=dict, repr=False)
    hidden: set[str] = field(default_factory=set, repr=False)
    modes: dict[Path, int] = field(default_factory=dict, repr=False)
    store: str | None = None
    places: dict[str, Locator] = field(default_factory=dict)
    puts: dict[Locator, Secret] = field(default_factory=dict, repr=False)

    def shown(self, path: Path) -> str:
        """Give a path as it is shown: from the project's folder on."""
        return (path.relative_to(self.folder) if path.is_relative_to(self.folder) else path).as_posix()

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/lift/1``, without a secret."""
        return {
            "schema": "cordtally/lift/1",
            "folder": str(self.folder),
            "kept_in": self.store or str(self.kept_in),
            "locators": {name: str(locator) for name, locator in self.places.items()},
            "in_files": self.in_files,
            "tracked": self.tracked,
            "names": list(self.values),
            "moved": [{"path": self.shown(one.path), "line": one.line, "name": one.name} for one in self.moved],
            "refused": [{"path": self.shown(one.path), "line": one.line, "reason": one.reason} for one in self.refused],
            "files": [self.shown(path) for path in self.after],
            "diff": self.diff(),
        }

    def diff(self) -> list[str]:
        """Give all edits as one unified diff, in which the secrets are masked."""
        lines = list[str]()
        for path, data in self.after.items():
            old, new = ((one or b"").decode("utf-8", "replace") for one in (self.before[path], data))
            names = (
                "/dev/null" if self.before[path] is None else f"a/{self.shown(path).lstrip('/')}",
                "/dev/null" if data is None else f"b/{self.shown(path).lstrip('/')}",
            )
            around = 0 if self.modes[path] == PRIVATE else _AROUND  # its other lines are secrets, too
            found = difflib.unified_diff(old.splitlines(), new.splitlines(), *names, lineterm="", n=around)
            lines += [self._masked(line) for line in found]
        return lines

    def _masked(self, line: str) -> str:
        for written in sorted(self.hidden, key=len, reverse=True):
            line = line.replace(written, MASK)
        return line

    def hide(self, *forms: str) -> None:
        """Remember how a secret is written, so that no line of the difference shows it."""
        self.hidden |= {part for form in forms for part in form.splitlines() if part.strip("\"'` ")}

    def hide_found(self, text: str, hits: Iterable[Hit]) -> None:
        """Hide whatever secrets were found in a file, since those that stay are beside those that move."""
        starts = [0, *(match.end() for match in re.finditer("\n", text))]
        for hit in hits:
            if hit.rule in SECRETS:
                start, end = starts[hit.line - 1] + hit.column - 1, starts[hit.end_line - 1] + hit.end_column - 1
                self.hide(text[start:end])

    def edit(self, path: Path, data: bytes | None, *, mode: int = 0o644) -> None:
        """Plan what a file shall be, None for one that goes; a new one gets the ``mode``."""
        if path not in self.before:
            self.before[path] = path.read_bytes() if path.exists() else None
        self.after[path] = data
        self.modes[path] = mode

    def apply(self) -> Path:
        """Put the secrets into their store, write all files, and give the undo file.

        Raises
        ------
        LocatorError
            When the store does not take a secret: nothing is written then.
        FieldError
            Where a file was edited meanwhile: nothing is written then.
        OSError
            When a file cannot be written; those before it are put back.
        """
        for path, data in self.before.items():
            if (path.read_bytes() if path.exists() else None) != data:
                raise FieldError(f"{path} has changed meanwhile: nothing was written", path=path)
        if self.puts:
            put_together(self.puts)
        kept, written = keep(self.before, self.after, self.puts), list[Path]()
        try:
            for path, data in self.after.items():
                if data is None:
                    path.unlink()
                else:
                    mode = self.modes[path]
                    path.parent.mkdir(0o777 if mode & 0o077 else 0o700, parents=True, exist_ok=True)
                    write_whole(path, data, mode)
                written.append(path)
        except OSError:
            for path in written:
                if (old := self.before[path]) is None:
                    path.unlink()
                else:
                    write_whole(path, old)
            for locator in self.puts:
                drop(locator)
            kept.unlink()
            raise
        return kept
