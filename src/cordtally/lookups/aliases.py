"""Oracle's aliases: ``tnsnames.ora``, with the files that its IFILE includes."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from ..lines.aliases import read_aliases
from .places import read_text

_DEEPEST, _MOST = 8, 100


def find_alias(name: str, path: Path) -> str | None:
    """Find the text that an alias stands for; the first entry counts, and case does not."""
    wanted = name.casefold()
    for alias, text in entries(path):
        if alias.casefold() == wanted:
            return text
    return None


def entries(path: Path, *, depth: int = 0, seen: set[Path] | None = None) -> Iterator[tuple[str, str]]:
    """Give the entries of a file and of those that it includes, in order; a file that is missing has none.

    One that is included again has nothing new, since the first entry of a name counts.
    """
    seen = set() if seen is None else seen
    place = path.resolve()
    text = None if place in seen or len(seen) >= _MOST else read_text(path)
    if text is None or depth > _DEEPEST:
        return
    seen.add(place)
    for entry in read_aliases(text):
        if entry.names[0].casefold() == "ifile":
            included = Path(entry.text.strip("\"'"))
            yield from entries(
                included if included.is_absolute() else path.parent / included, depth=depth + 1, seen=seen
            )
            continue
        for alias in entry.names:
            yield alias, entry.text
