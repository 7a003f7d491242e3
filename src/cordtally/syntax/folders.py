"""The files below a folder that are a project's own."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

from .ignoring import IgnoreRules, load_rules

_NEVER = frozenset({".git", ".hg", ".svn", "__pycache__", "node_modules", ".venv"})


class _Level(NamedTuple):
    """The rules of a folder, the number of parts of its path below the root, and the rules of the folders above."""

    rules: IgnoreRules
    depth: int
    above: _Level | None


def walk(
    root: Path, unreadable: Callable[[Path], None] | None = None, ignored: Callable[[Path], None] | None = None
) -> Iterator[Path]:
    """Give the files below a folder, as `walk_names` does, as paths."""
    for place, _, left_out in walk_names(str(root), unreadable):
        if not left_out:
            yield Path(place)
        elif ignored is not None:
            ignored(Path(place))


def walk_names(
    root: str, unreadable: Callable[[Path], None] | None = None
) -> Iterator[tuple[str, tuple[str, ...], bool]]:
    """Give the files below a folder, in order: the place, the parts of the path, and whether ``.gitignore`` has it.

    Links are not followed; version control's own folders, those of packages and what is ignored are never entered. A
    folder that cannot be read is told to ``unreadable``. By a list of what is still to do, since trees may be
    thousands deep; each file is asked of the rules of the folders above it alone.
    """
    waiting: list[tuple[str, tuple[str, ...], _Level | None]] = [(root, (), None)]
    while waiting:
        here, parts, level = waiting.pop()
        try:
            with os.scandir(here) as found:
                entries = sorted(found, key=lambda entry: entry.name)
        except OSError:
            if unreadable is not None:
                unreadable(Path(here))
            continue
        if any(entry.name == ".gitignore" for entry in entries):
            level = _Level(load_rules(Path(here, ".gitignore")), len(parts), level)
        folders = []
        for entry in entries:
            inner = (*parts, entry.name)
            if entry.is_dir(follow_symlinks=False):
                if entry.name not in _NEVER and not _is_left_out(inner, level, folder=True):
                    folders.append((entry.path, inner, level))
            elif entry.is_file(follow_symlinks=False):
                yield entry.path, inner, level is not None and _is_left_out(inner, level, folder=False)
        waiting += reversed(folders)


def _is_left_out(parts: tuple[str, ...], level: _Level | None, *, folder: bool) -> bool:
    while level is not None:
        verdict = level.rules.verdict(parts[level.depth :], folder=folder)
        if verdict is not None:
            return verdict
        level = level.above
    return False
