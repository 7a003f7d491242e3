"""What is done with a chest as a whole: made, given other keys, looked at."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from ...errors import LocatorError, quoted
from ..stores import Surroundings
from .format import Opened, new_chest, new_key, unlock, with_lock
from .keeping import change_chest, create_chest, open_chest, previous_path, read_chest
from .keys import forget_masters, own_key_file, remember_master


@dataclass(frozen=True, slots=True, kw_only=True)
class Verified:
    """What a chest is like: its id, generation, locks with their kinds, and how many entries it has."""

    id: str
    generation: int
    locks: tuple[tuple[str, str], ...]
    entries: int
    previous: int | None

    def to_dict(self) -> dict[str, object]:
        """Give it with the keys of the machine output."""
        return {
            "id": self.id,
            "generation": self.generation,
            "locks": [{"name": name, "kind": kind} for name, kind in self.locks],
            "entries": self.entries,
            "previous": self.previous,
        }


@dataclass(frozen=True, slots=True)
class Key:
    """A key for a lock: its kind, ``passphrase`` or ``key``, itself, and what the lock is called."""

    kind: str
    text: str
    name: str

    def __repr__(self) -> str:
        return f"<Key {self.name}>"


def make_chest(path: Path, key: Key | None, *, key_file: Path | None = None) -> Path | None:
    """Make a chest; without a ``key`` one is drawn and written to a file, whose path is given.

    Raises
    ------
    LocatorError
        Where a chest or a key's file is there already.
    """
    opened, written = new_chest(), None
    if key is None:
        written = key_file or own_key_file(opened.chest.id)
        key = Key("key", new_key(), "key")
        write_key(written, key.text)
    try:
        create_chest(path, with_lock(opened, key.name, key.kind, key.text))
    except BaseException:
        if written is not None:
            written.unlink()
        raise
    return written


def write_key(path: Path, text: str) -> None:
    """Write a key into a file of its own, for this user alone.

    Raises
    ------
    LocatorError
        Where a file is there already, or it cannot be written.
    """
    try:
        path.parent.mkdir(0o700, parents=True, exist_ok=True)
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except OSError as error:
        why = os.strerror(error.errno or 0)
        raise LocatorError(f"chest: the key's file {quoted(path)} cannot be made ({why})") from None
    with os.fdopen(handle, "w") as stream:
        stream.write(f"{text}\n")


def add_lock(path: Path, key: Key, around: Surroundings) -> None:
    """Let one more key open a chest.

    Raises
    ------
    LocatorError
        Where a lock has that name, or the chest cannot be opened or written.
    """

    def added(opened: Opened) -> Opened:
        if any(lock.name == key.name for lock in opened.chest.locks):
            raise LocatorError(f"chest: there is a lock {key.name} already: give the new one another name")
        return with_lock(opened, key.name, key.kind, key.text)

    change_chest(path, around, added)


def rekey(path: Path, keys: Iterable[Key], around: Surroundings) -> list[str]:
    """Give a chest a new master key, and locks for some keys alone; the names of locks that are gone are given.

    Whoever had only another key opens it no longer; what was in it, such a one may have read.

    Parameters
    ----------
    path : Path
        The chest.
    keys : iterable of Key
        Those that open it from now on, by the names of its locks.
    around : Surroundings
        How it is opened.

    Raises
    ------
    LocatorError
        Where a key opens none of its locks, or the chest cannot be opened or written.
    """
    kept = list(keys)
    chest = read_chest(path)
    for key in kept:
        remember_master(chest, unlock(chest, key.kind, key.text))

    def renewed(opened: Opened) -> Opened:
        made = replace(opened, master=os.urandom(32), chest=replace(opened.chest, locks=()))
        for key in kept:
            made = with_lock(made, key.name, key.kind, key.text)
        return made

    change_chest(path, around, renewed)
    forget_masters()
    return [lock.name for lock in chest.locks if lock.name not in {key.name for key in kept}]


def verify_chest(path: Path, around: Surroundings, *, older: bool = False) -> Verified:
    """Open a chest and tell what it is like.

    Raises
    ------
    LocatorError
        As `open_chest`.
    """
    opened = open_chest(path, around, older=older)
    try:
        previous = read_chest(previous_path(path), older=True).generation
    except LocatorError:
        previous = None
    return Verified(
        id=opened.chest.id,
        generation=opened.chest.generation,
        locks=tuple((lock.name, lock.kind) for lock in opened.chest.locks),
        entries=len(opened.entries),
        previous=previous,
    )
