"""The files below a folder that are a project's own."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathspec import GitIgnoreSpec

_NEVER = frozenset({".git", ".hg", ".svn", "__pycache__", "node_modules", ".venv"})


def walk(root: Path, unreadable: Callable[[Path], None] | None = None) -> Iterator[Path]:
    """Give the files below a folder, in order; what ``.gitignore`` files name is left out, and links are not followed.

    Version control's own folders and those of packages are never entered; a folder that cannot be is told to
    ``unreadable``. By a list of what is still to do, since trees may be thousands deep.
    """
    specs: dict[Path, GitIgnoreSpec] = {}
    waiting = [root]
    while waiting:
        here = waiting.pop()
        try:
            with os.scandir(here) as found:
                entries = sorted(found, key=lambda entry: entry.name)
        except OSError:
            if unreadable is not None:
                unreadable(here)
            continue
        if any(entry.name == ".gitignore" for entry in entries):
            specs[here] = _load_spec(here / ".gitignore")
        folders = []
        for entry in entries:
            place = here / entry.name
            if entry.is_dir(follow_symlinks=False):
                if entry.name not in _NEVER and not _ignored(place, specs, folder=True):
                    folders.append(place)
            elif entry.is_file(follow_symlinks=False) and not _ignored(place, specs, folder=False):
                yield place
        waiting += reversed(folders)


def _load_spec(place: Path) -> GitIgnoreSpec:
    """The patterns of a file; those that are none, and a file that cannot be read, ignore nothing."""
    from pathspec import GitIgnoreSpec

    try:
        lines = place.read_text("utf-8", errors="replace").splitlines()
    except OSError:
        lines = []
    return GitIgnoreSpec.from_lines(line for line in lines if _is_pattern(line))


def _is_pattern(line: str) -> bool:
    from pathspec import GitIgnoreSpec

    try:
        GitIgnoreSpec.from_lines([line])
    except ValueError:
        return False
    return True


def _ignored(place: Path, specs: dict[Path, GitIgnoreSpec], *, folder: bool) -> bool:
    for base, spec in reversed(specs.items()):
        if place.is_relative_to(base):
            verdict = spec.check_file(place.relative_to(base).as_posix() + ("/" if folder else "")).include
            if verdict is not None:
                return verdict
    return False
