"""Which commands of a tally this user has vouched for: kept outside of every repository, by the exact command line.

A cloned repository can name any command in its tally, and none of them runs before its user has said so. What is
vouched for is the program, its arguments, the folder, and the content of each file of that folder that the command
line names: a script that has changed since is no longer the same command.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
from pathlib import Path

from ..errors import LocatorError, quoted
from ..syntax import write_whole
from .declarations import Command
from .locking import locked
from .own_folders import config_folder

_SCHEMA = "cordtally/vouched/1"
_LARGEST = 64 << 20


def vouched_path() -> Path:
    """The file in which it is kept, in this user's configuration folder.

    Raises
    ------
    MissingExtra
        When platformdirs is not installed.
    """
    return config_folder("remembering which commands may run") / "vouched.json"


def is_vouched(command: Command) -> bool:
    """Whether this user has vouched for exactly this command."""
    return _fingerprint(command) in _read()


def vouch(command: Command) -> None:
    """Remember that the command may run.

    Raises
    ------
    LocatorError
        When it cannot be remembered.
    """
    with locked(vouched_path()):
        _write({**_read(), _fingerprint(command): [command.folder, *command.run]})


def withdraw(command: Command) -> bool:
    """Let the command run no longer, as it is or as it was in this folder; whether it might have."""
    with locked(vouched_path()):
        before = _read()
        kept = {mark: line for mark, line in before.items() if line != [command.folder, *command.run]}
        if kept != before:
            _write(kept)
    return kept != before


def program_of(command: Command) -> str:
    """The path of the program.

    Raises
    ------
    LocatorError
        When there is none.
    """
    name = command.run[0]
    given = Path(command.folder) / Path(name).expanduser() if os.sep in name or "/" in name else name
    found = shutil.which(str(given))
    if found is None:
        raise LocatorError(f"exec: the program {quoted(name)} of the command {command.name} is not there")
    return found


def _fingerprint(command: Command) -> str:
    folder = Path(command.folder).resolve()
    files = {}
    for word in command.run:
        path = (folder / Path(word).expanduser()).resolve()
        if path.is_relative_to(folder) and path.is_file() and path.stat().st_size <= _LARGEST:
            files[word] = hashlib.sha256(path.read_bytes()).hexdigest()
    told = [str(folder), program_of(command), list(command.run), files]
    return hashlib.sha256(json.dumps(told, ensure_ascii=True).encode()).hexdigest()


def _read() -> dict[str, list[str]]:
    path = vouched_path()
    try:
        raw = json.loads(path.read_text("utf-8"))
    except FileNotFoundError:
        return {}
    except (OSError, ValueError):
        raw = None
    if isinstance(raw, dict) and raw.get("schema") == _SCHEMA and isinstance(raw.get("commands"), dict):
        return dict(raw["commands"])
    raise LocatorError(f"exec: {quoted(path)} cannot be read: delete it, and vouch for each command anew")


def _write(commands: dict[str, list[str]]) -> None:
    path = vouched_path()
    try:
        path.parent.mkdir(0o700, parents=True, exist_ok=True)
        document = {"schema": _SCHEMA, "commands": commands}
        write_whole(path, (json.dumps(document, indent=1) + "\n").encode(), 0o600)
    except OSError as error:
        raise LocatorError(f"exec: {quoted(path)} cannot be written ({os.strerror(error.errno or 0)})") from None
