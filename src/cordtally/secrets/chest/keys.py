"""Where the key of a chest is found: variables, this user's configuration folder, the person at the terminal.

In this order: ``CORDTALLY_CHEST_KEY`` (the key), ``CORDTALLY_CHEST_KEY_FILE`` (a file with it), ``keys/ID.key`` in this
user's configuration folder, ``CORDTALLY_CHEST_PASSPHRASE``, and the passphrase asked for. What opened a chest once is
kept in the process's memory, so that a passphrase is stretched once.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from ...errors import LocatorError, quoted
from ..files import read_secret
from ..own_folders import config_folder
from ..stores import Surroundings
from .format import Chest, WrongKey, unlock

VARIABLE, FILE_VARIABLE = "CORDTALLY_CHEST_KEY", "CORDTALLY_CHEST_KEY_FILE"
PASSPHRASE_VARIABLE = "CORDTALLY_CHEST_PASSPHRASE"
_MASTERS: dict[tuple[str, bytes], bytes] = {}
"""Master keys by chest and header of its locks."""


def own_key_file(number: str) -> Path:
    """Where this user's key of a chest is kept, by the chest's id.

    Raises
    ------
    MissingExtra
        When platformdirs is not installed.
    """
    return config_folder("finding this user's keys") / "keys" / f"{number}.key"


def master_of(chest: Chest, what: str, around: Surroundings) -> bytes:
    """Give the master key of a chest, by the first key that opens it.

    Parameters
    ----------
    chest : Chest
        The chest.
    what : str
        How it is called where somebody is asked.
    around : Surroundings
        The variables, and the way to ask.

    Raises
    ------
    WrongKey
        Where a key is there and opens no lock.
    Tampered
        Where its lock does not open.
    LocatorError
        Where there is none.
    """
    mark = _mark(chest)
    if mark in _MASTERS:
        return _MASTERS[mark]
    kinds, tried = {lock.kind for lock in chest.locks}, list[str]()
    for kind, key, where in _keys(chest, kinds, what, around):
        try:
            _MASTERS[mark] = master = unlock(chest, kind, key)
        except WrongKey as error:
            tried.append(f"{where}: {error}")
        else:
            return master
    if tried:
        raise WrongKey("; ".join(tried))
    ways = [f"set {VARIABLE} or {FILE_VARIABLE}"] if "key" in kinds else []
    ways += [f"set {PASSPHRASE_VARIABLE}, or ask where a person sits"] if "passphrase" in kinds else []
    raise LocatorError(f"no key is here: {'; '.join(ways)}")


def remember_master(chest: Chest, master: bytes) -> None:
    """Remember what opens a chest, for the rest of the process."""
    _MASTERS[_mark(chest)] = master


def _mark(chest: Chest) -> tuple[str, bytes]:
    return chest.id, repr(chest.locks).encode()


def forget_masters() -> None:
    """Forget what opened chests."""
    _MASTERS.clear()


def _keys(chest: Chest, kinds: set[str], what: str, around: Surroundings) -> Iterator[tuple[str, str, str]]:
    """The keys that are at hand: kind, key and where it was found."""
    environ = around.environ
    if "key" in kinds:
        if key := environ.get(VARIABLE):
            yield "key", key, VARIABLE
        if name := environ.get(FILE_VARIABLE):
            path = (around.folder / Path(name).expanduser()).resolve()
            yield "key", read_key(path), FILE_VARIABLE
        own = own_key_file(chest.id)
        if own.is_file():
            yield "key", read_key(own), str(own)
    if "passphrase" in kinds:
        if phrase := environ.get(PASSPHRASE_VARIABLE):
            yield "passphrase", phrase, PASSPHRASE_VARIABLE
        elif around.ask is not None:
            yield "passphrase", around.ask(f"Passphrase of {what}"), "what was typed"


def read_key(path: Path) -> str:
    """Read a key's file.

    Raises
    ------
    LocatorError
        Where it cannot be read, or others may read it.
    """
    key = read_secret("chest", path)
    if os.name == "posix" and path.stat().st_mode & 0o077:
        raise LocatorError(f"chest: {quoted(path)} may be read or written by others: chmod 600 {path.name}")
    return key
