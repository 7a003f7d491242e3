"""Finds the line of a field in a TOML text, for messages; a place that cannot be found is simply not named."""

from __future__ import annotations

from functools import lru_cache

from ..syntax import Node, parse_text


def find_place(source: str, table: str, field: str) -> int | None:
    """Give the line (from 1) where a field of a table is set, below its header, in an inline table or by a dotted key.

    A field that is a table itself is set by its header; the file's own fields are those of the table without a name.
    """
    path = (f"{table}.{field}").removeprefix(".").split(".")
    key = _find(_tree(source), path)
    return None if key is None else source.count("\n", 0, key.start) + 1


@lru_cache(maxsize=4)
def _tree(source: str) -> Node:
    return parse_text(source, "toml")


def _find(node: Node, path: list[str]) -> Node | None:
    """The key at the end of a path; a table may have several headers."""
    for key, value in node.pairs:
        if key.value == path[0]:
            found = key if len(path) == 1 else _find(value, path[1:])
            if found is not None:
                return found
    return None
