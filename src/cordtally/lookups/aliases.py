"""Oracle's aliases: ``tnsnames.ora``, with the files that its IFILE includes."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from ..lines.aliases import read_aliases
from .places import read_text

_DEEPEST = 8


def find_alias(name: str, path: Path) -> str | None:
    """Find the text that an alias stands for; the first entry counts, and case does not."""
    wanted = name.casefold()
    for alias, text in entries(path):
        if alias.casefold() == wanted:
            return text
    return None


def entries(path: Path, *, depth: int = 0) -> Iterator[tuple[str, str]]:
    """Give the entries of a file and of those that it includes, in order; a file that is missing has none."""
    text = read_text(path)
    if text is None or depth > _DEEPEST:
        return
    for entry in read_aliases(text):
        if entry.names[0].casefold() == "ifile":
            included = Path(entry.text.strip("\"'"))
            yield from entries(included if included.is_absolute() else path.parent / included, depth=depth + 1)
            continue
        for alias in entry.names:
            yield alias, entry.text
