"""Keeps other processes from a file while it is read and written: a lock on a file of its own, beside it or elsewhere.

The file itself is renamed away by a write, and with it any lock on it. A lock ends with its process, however that ends.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ..errors import LocatorError, quoted

_PAUSE = 0.02  # seconds


@contextmanager
def locked(path: Path, *, beside: bool = False, limit: float = 10.0) -> Iterator[None]:
    """Hold the lock of a file; other threads and processes wait for it.

    Parameters
    ----------
    path : Path
        The file; it need not be there.
    beside : bool
        Whether the lock is a file beside it, which machines and containers share that share the folder.
    limit : float
        How long to wait, in seconds.

    Raises
    ------
    LocatorError
        When somebody else holds it all that time.
    """
    own = path.resolve().with_name(f".{path.resolve().name}.lock") if beside else lock_path(path)
    try:
        stream = own.open("a+b")
    except OSError as error:
        raise LocatorError(f"{quoted(path)} cannot be locked ({os.strerror(error.errno or 0)})") from None
    with stream:
        until = time.monotonic() + limit
        while not _try(stream.fileno()):
            if time.monotonic() > until:
                raise LocatorError(f"{quoted(path)} is being written by another process for {limit:g} s: try again")
            time.sleep(_PAUSE)
        yield


def lock_path(path: Path) -> Path:
    """The file that stands for the lock: in a folder of this user's alone, named after the path, never removed."""
    name = getattr(os, "getuid", lambda: os.environ.get("USERNAME", ""))()
    folder = Path(tempfile.gettempdir()) / f"cordtally-{name}"
    folder.mkdir(0o700, exist_ok=True)
    if folder.is_symlink() or (os.name == "posix" and folder.stat().st_uid != os.getuid()):
        raise LocatorError(f"{quoted(folder)} belongs to somebody else: no lock can be held there")
    return folder / hashlib.sha256(os.fsencode(path.resolve())).hexdigest()[:32]


def _try(descriptor: int) -> bool:
    """Take the lock if nobody has it."""
    try:
        import fcntl
    except ImportError:  # Windows
        import msvcrt

        try:
            msvcrt.locking(descriptor, msvcrt.LK_NBLCK, 1)  # type: ignore[attr-defined,unused-ignore]
        except OSError:
            return False
        return True
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True
