"""Opens files to read them, and waits for none without end: a named pipe that nobody writes to is told of."""

from __future__ import annotations

import stat
from io import BufferedReader, TextIOWrapper
from pathlib import Path

from .deadline import Deadline, NoAnswer
from .errors import FieldError, quoted

PATIENCE = 5.0
"""Seconds that a pipe's writer is waited for."""


def open_to_read(path: Path) -> BufferedReader:
    """Open a file, or a pipe such as a shell's ``<(…)``.

    Raises
    ------
    FieldError
        When the path is a pipe, and nobody comes to write to it.
    OSError
        When it cannot be opened.
    """
    if not _is_pipe(path):
        return path.open("rb")
    try:
        return Deadline(PATIENCE).run(lambda: path.open("rb"), late=lambda stream: stream.close())
    except NoAnswer:
        raise FieldError(f"{quoted(path)} is a pipe, and nobody writes to it", path=path) from None


def open_text(
    path: Path, *, encoding: str = "utf-8", errors: str = "strict", newline: str | None = None
) -> TextIOWrapper:
    """Open a file, or a pipe, as text.

    Raises
    ------
    FieldError, OSError
        As `open_to_read`.
    """
    return TextIOWrapper(open_to_read(path), encoding=encoding, errors=errors, newline=newline)


def read_text(path: Path) -> str:
    """Read a file, or a pipe, of UTF-8.

    Raises
    ------
    FieldError, OSError, UnicodeDecodeError
        As `open_to_read`, and for what is no text.
    """
    with open_text(path) as stream:
        return stream.read()


def _is_pipe(path: Path) -> bool:
    try:
        return stat.S_ISFIFO(path.stat().st_mode)
    except OSError:
        return False
