"""Undo files: what files were before, kept outside of every tree, for this user alone. They hold secrets."""

from __future__ import annotations

import base64
import hashlib
import json
import os
import tempfile
import time
from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from ..composing import parse_locator
from ..errors import FieldError, LocatorError
from ..model import Locator
from ..secrets import drop
from ..syntax import write_whole
from ..tally import FILE_NAME, load

_SCHEMA = "cordtally/undo/1"


def undo_folder() -> Path:
    """The folder of undo files: ``XDG_STATE_HOME`` (XDG Base Directory), or what stands for it on this system."""
    if (stated := os.environ.get("XDG_STATE_HOME")) and Path(stated).is_absolute():
        return Path(stated) / "cordtally" / "undo"
    if os.name == "nt" and (local := os.environ.get("LOCALAPPDATA")):
        return Path(local) / "cordtally" / "undo"
    return Path.home() / ".local" / "state" / "cordtally" / "undo"


def keep(before: Mapping[Path, bytes | None], after: Mapping[Path, bytes | None], puts: Iterable[Locator] = ()) -> Path:
    """Write an undo file, mode 0600: each file as it was (None where there was none), and what was made of it.

    ``puts`` are the places in a store that got a secret.

    Raises
    ------
    OSError
        When it cannot be written.
    """
    folder = undo_folder()
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    files = [
        {
            "path": str(path.resolve()),
            "before": None if data is None else base64.b64encode(data).decode("ascii"),
            "after": _digest(after[path]),
        }
        for path, data in before.items()
    ]
    folders = sorted({str(path.parent.resolve()) for path in before if not path.parent.exists()})
    handle, name = tempfile.mkstemp(dir=folder, prefix=f"{time.strftime('%Y%m%d-%H%M%S')}-", suffix=".json")
    with os.fdopen(handle, "w", encoding="utf-8") as stream:
        kept = [[str(locator), locator.base] for locator in puts]
        json.dump({"schema": _SCHEMA, "files": files, "folders": folders, "kept": kept}, stream)
    return Path(name)


def undo(place: str | Path) -> list[Path]:
    """Put files back as an undo file says they were: all of them, or none where one was edited since. It is deleted.

    Raises
    ------
    FieldError
        Where it is no undo file, or a file is not as it was left.
    OSError
        When a file cannot be read or written.
    """
    place = Path(place)
    try:
        kept = json.loads(place.read_text("utf-8"))
        files = [(Path(one["path"]), one["before"], one["after"]) for one in kept["files"]]
        known = kept["schema"] == _SCHEMA
        folders = [Path(one) for one in kept["folders"]]
        puts = [(str(text), str(base)) for text, base in kept.get("kept", [])]
    except (ValueError, KeyError, TypeError):
        known = False
    if not known:
        raise FieldError(f"{place} is no undo file", path=place)
    for path, _, after in files:
        if _digest(path.read_bytes() if path.exists() else None) != after:
            raise FieldError(f"{path} was edited since: nothing was undone, so that no edit is lost", path=path)
    for path, before, _ in files:
        if before is None:
            path.unlink()
        else:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_whole(path, base64.b64decode(before))
    for folder in folders:
        with suppress(OSError):  # it is not empty
            folder.rmdir()
    for text, base in puts:
        with suppress(LocatorError):  # somebody has dropped it
            drop(_located(text, Path(base)))
    place.unlink()
    return [path for path, _, _ in files]


def _located(text: str, base: Path) -> Locator:
    """A locator as its tally reads it, if there is one."""
    if (base / FILE_NAME).is_file():
        return load(base).locator(text)
    return replace(parse_locator(text), base=str(base))


def _digest(data: bytes | None) -> str | None:
    return None if data is None else hashlib.sha256(data).hexdigest()
