"""``chest:NAME``: an entry of the project's chest, ``tally.chest``; ``chest:PATH#NAME`` of another one."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from ..catalog import find_nearest
from ..errors import LocatorError
from .chest.format import Entry, Opened
from .chest.keeping import change_chest, open_chest, read_chest
from .stores import LARGEST_SECRET, Described, Surroundings

FILE_NAME = "tally.chest"


class Chests:
    """Secrets in Cord Tally's own encrypted file."""

    scheme = "chest"
    writable = True
    expires = False

    def get(self, rest: str, around: Surroundings) -> str:
        """Give an entry."""
        return self.get_together([rest], around)[0]

    def get_together(self, rests: Sequence[str], around: Surroundings) -> list[str]:
        """Give several entries; each chest is read once."""
        places = [_place(rest, around) for rest in rests]
        opened = {path: open_chest(path, around) for path in dict.fromkeys(path for path, _ in places)}
        return [_entry(opened[path], name).secret for path, name in places]

    def put(self, rest: str, secret: str, around: Surroundings) -> None:
        """Keep an entry."""
        self.put_together({rest: secret}, around)

    def put_together(self, secrets: Mapping[str, str], around: Surroundings) -> None:
        """Keep several entries; each chest is written once."""
        places = {_place(rest, around): secret for rest, secret in secrets.items()}
        if any(len(secret.encode()) > LARGEST_SECRET for secret in places.values()):
            raise LocatorError(f"chest: a secret has at most {LARGEST_SECRET:,} bytes")
        for path in dict.fromkeys(path for path, _ in places):
            made = {name: Entry(secret, time.time()) for (of, name), secret in places.items() if of == path}
            change_chest(path, around, _adding(made))

    def drop(self, rest: str, around: Surroundings) -> None:
        """Take an entry out; the generation before still has it."""
        path, name = _place(rest, around)

        def without(opened: Opened) -> Opened:
            _entry(opened, name)
            return replace(opened, entries={one: entry for one, entry in opened.entries.items() if one != name})

        change_chest(path, around, without)

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List the entries of a chest."""
        path, _ = _place(f"{rest.partition('#')[0]}#x" if "#" in rest else "x", around)
        head = f"{rest.partition('#')[0]}#" if "#" in rest else ""
        return [f"{head}{name}" for name in open_chest(path, around).entries]

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell of the chest, and since when an entry is as it is."""
        path, name = _place(rest, around)
        chest = read_chest(path)
        changed = _entry(open_chest(path, around), name).changed
        return Described(f"{path}, generation {chest.generation}", changed)


def chest_path(around: Surroundings) -> Path:
    """The project's own chest."""
    return (around.folder / FILE_NAME).absolute()


def _place(rest: str, around: Surroundings) -> tuple[Path, str]:
    path, mark, name = rest.rpartition("#")
    if not name or len(name) > 200:
        raise LocatorError("chest: wants a NAME, like chest:tides/production, or PATH#NAME for another chest")
    return (around.folder / Path(path).expanduser()).absolute() if mark else chest_path(around), name


def _adding(made: Mapping[str, Entry]) -> Callable[[Opened], Opened]:
    return lambda opened: replace(opened, entries={**opened.entries, **made})


def _entry(opened: Opened, name: str) -> Entry:
    found = opened.entries.get(name)
    if found is None:
        nearest = find_nearest(name, opened.entries, most=1)
        hint = f"; it has {nearest[0]}" if nearest else ""
        raise LocatorError(f"chest: there is no entry {name}{hint}", nearest=nearest)
    return found
