"""Oracle's names files: entries ``alias [, alias] = text``; a descriptor ends with its last parenthesis.

Source: python-oracledb 26.1 (its thin mode reads tnsnames.ora) and the public documentation of Oracle Net 23.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

_ENTRY = re.compile(r"\s*([\w.\-, ]+?)\s*=\s*")
_COMMENT = re.compile(r"#[^\n]*")


class Entry(NamedTuple):
    """The names of an entry, with the place of their beginning, and its text with its place."""

    names: tuple[str, ...]
    at: int
    start: int
    end: int
    text: str


def read_aliases(text: str) -> Iterator[Entry]:
    """Give the entries of a file, in their order; comments count for nothing, wherever they stand."""
    bare = _COMMENT.sub(lambda match: " " * len(match[0]), text)
    position = 0
    while (match := _ENTRY.match(bare, position)) is not None:
        start = match.end()
        position = _end_of_value(bare, start)
        value = bare[start:position].rstrip()
        names = tuple(name.strip() for name in match[1].split(","))
        yield Entry(names, match.start(1), start, start + len(value), value)


def _end_of_value(text: str, start: int) -> int:
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
