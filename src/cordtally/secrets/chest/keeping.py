"""A chest on disk: read, and written whole with the generation before it kept beside it; older ones are noticed.

A write, which holds a lock of its own beside the chest: the new bytes go into a temporary file and to the disk, the
present chest is linked as ``NAME.previous``, the temporary file renamed over it, and the folder brought to the disk.
Killed at any step, the chest is either of the old or of the new generation.

What generation was seen last is remembered in this user's state folder: it is read before the chest and written after
it, or a writer in between would look like somebody who puts an older chest there. Where nothing is remembered, as in a
fresh clone, an older one cannot be told.
"""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from ...errors import LocatorError, quoted
from ...syntax import settle
from ..locking import locked
from ..own_folders import state_folder
from ..stores import Surroundings
from .format import LARGEST_CHEST, Chest, Damaged, Opened, Tampered, WrongKey, open_box, parse, seal
from .keys import master_of


class RolledBack(Tampered):
    """An older generation than the one that was seen last lies there."""


def previous_path(path: Path) -> Path:
    """The file with the generation before the present one."""
    return path.with_name(f"{path.name}.previous")


def read_chest(path: Path, *, older: bool = False) -> Chest:
    """Read a chest without opening it.

    Raises
    ------
    LocatorError
        Where there is none, or it cannot be read.
    Damaged
        Where it is broken; the message says whether the generation before is whole.
    RolledBack
        Where it is older than what was seen last, unless that is what is wanted.
    """
    with _said(path):
        seen = _seen()
        chest = parse(_bytes(path))
        before = seen.get(chest.id, 0)
        if chest.generation < before and not older:
            raise RolledBack(
                f"it is of generation {chest.generation}, and {before} was seen here: somebody put an older one there; "
                "if it is a backup that you restored: cordtally chest verify --take-older"
            )
        return chest


def open_chest(path: Path, around: Surroundings, *, older: bool = False) -> Opened:
    """Open a chest with whatever key is at hand.

    Raises
    ------
    LocatorError
        As `read_chest`, `master_of` and `open_box`.
    """
    chest = read_chest(path, older=older)
    with _said(path):
        opened = open_box(chest, master_of(chest, path.name, around))
    if chest.generation > _seen().get(chest.id, 0) or older:
        _remember(chest)
    return opened


def change_chest(path: Path, around: Surroundings, change: Callable[[Opened], Opened]) -> Opened:
    """Change what is in a chest, under its lock.

    Raises
    ------
    LocatorError
        As `open_chest`; and when it cannot be written, and then it is as it was.
    """
    with locked(path, beside=True):
        opened = change(open_chest(path, around))
        return _write(path, opened)


def create_chest(path: Path, opened: Opened) -> Opened:
    """Write a new chest.

    Raises
    ------
    LocatorError
        Where something is there already, or it cannot be written.
    """
    with _said(path):
        try:
            path.parent.mkdir(0o700, parents=True, exist_ok=True)
        except OSError as error:
            raise LocatorError(f"its folder cannot be made ({os.strerror(error.errno or 0)})") from None
    with locked(path, beside=True), _said(path):
        if path.exists() or path.is_symlink():
            raise LocatorError("it is there already")
        return _write(path, opened)


def _write(path: Path, opened: Opened) -> Opened:
    data, sealed = seal(opened)
    with _said(path):
        if len(data) > LARGEST_CHEST:
            raise LocatorError(f"it would be larger than {LARGEST_CHEST >> 20} MiB")
        try:
            _replace(path, data)
        except OSError as error:
            raise LocatorError(f"it cannot be written ({os.strerror(error.errno or 0)}); it is as it was") from None
    _remember(sealed.chest)
    return sealed


def _replace(path: Path, data: bytes) -> None:
    target = path.resolve()
    kept = target.stat() if target.exists() else None
    if kept is not None and hasattr(os, "geteuid") and kept.st_uid != os.geteuid():
        raise LocatorError("it belongs to another user, and would become this one's")
    new, previous = target.with_name(f".{target.name}.new"), previous_path(target)
    new.unlink(missing_ok=True)  # of a writer that was killed; whoever holds the lock is alone
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
    handle = os.open(new, flags, 0o600)
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        if kept is not None:
            os.chmod(new, kept.st_mode & 0o777)
            _keep(target, previous)
        os.replace(new, target)
    except BaseException:
        new.unlink(missing_ok=True)
        raise
    settle(target.parent)


def _keep(target: Path, previous: Path) -> None:
    """Have the present chest under another name, too, which never is without one."""
    beside = previous.with_name(f".{previous.name}.new")
    beside.unlink(missing_ok=True)
    try:
        os.link(target, beside)
    except OSError:  # a file system without links
        shutil.copy2(target, beside)
    os.replace(beside, previous)


def _bytes(path: Path) -> bytes:
    try:
        with path.open("rb") as stream:
            return stream.read(LARGEST_CHEST + 1)
    except FileNotFoundError:
        raise LocatorError("there is none: cordtally chest create makes one") from None
    except OSError as error:
        raise LocatorError(f"it cannot be read ({os.strerror(error.errno or 0)})") from None


@contextmanager
def _said(path: Path) -> Iterator[None]:
    """Put the chest's path before what is wrong with it."""
    try:
        yield
    except (Damaged, Tampered, WrongKey, LocatorError) as error:
        if str(error).startswith("chest: "):
            raise
        hint = _hint(path) if isinstance(error, Damaged | Tampered) and not isinstance(error, RolledBack) else ""
        raise type(error)(f"chest: {quoted(path)}: {error}{hint}", path=path) from None


def _hint(path: Path) -> str:
    """Whether the generation before is whole."""
    previous = previous_path(path)
    with contextlib.suppress(LocatorError):
        return f"; {previous.name} beside it is whole, of generation {parse(_bytes(previous)).generation}"
    return ""


def _memory() -> Path:
    return state_folder("remembering which chest was seen last") / "chests"


def _seen() -> dict[str, int]:
    """The highest generation of each chest that was seen here; a file a chest, so that none needs a lock."""
    found = {}
    with contextlib.suppress(OSError):
        for path in _memory().iterdir():
            with contextlib.suppress(OSError, ValueError):
                found[path.name] = int(path.read_text("ascii"))
    return found


def _remember(chest: Chest) -> None:
    """Remember a generation; where that is not possible, as in a container without a home, nothing is."""
    with contextlib.suppress(OSError):
        folder = _memory()
        folder.mkdir(0o700, parents=True, exist_ok=True)
        new = folder / f".{chest.id}.{os.getpid()}"
        new.write_text(str(chest.generation), "ascii")
        os.replace(new, folder / chest.id)
