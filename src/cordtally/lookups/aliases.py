"""Oracle's aliases: ``tnsnames.ora``, whose entries are ``alias [, alias] = descriptor``, with IFILE includes.

Source: python-oracledb 26.1 (tnsnames reading of its thin mode) and the public documentation of Oracle Net 23.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from .places import read_text

_ENTRY = re.compile(r"\s*([\w.\-, ]+?)\s*=\s*")
_COMMENT = re.compile(r"#[^\n]*")
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
    found = read_text(path)
    if found is None or depth > _DEEPEST:
        return
    text = _COMMENT.sub("", found)
    position = 0
    while (match := _ENTRY.match(text, position)) is not None:
        start = match.end()
        position = _end_of_value(text, start)
        value = text[start:position].strip()
        if match[1].strip().casefold() == "ifile":
            included = Path(value.strip("\"'"))
            yield from entries(included if included.is_absolute() else path.parent / included, depth=depth + 1)
            continue
        for alias in match[1].split(","):
            yield alias.strip(), value


def _end_of_value(text: str, start: int) -> int:
    """A descriptor ends with its last parenthesis, any other value with its line."""
    if text[start : start + 1] != "(":
        end = text.find("\n", start)
        return len(text) if end < 0 else end
    depth, position = 0, start
    while position < len(text):
        depth += {"(": 1, ")": -1}.get(text[position], 0)
        position += 1
        if depth == 0:
            break
    return position
