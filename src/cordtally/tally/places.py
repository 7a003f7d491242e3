"""Finds where a key of a table stands in a TOML text, for messages; a place that cannot be found is not named."""

from __future__ import annotations

from functools import lru_cache

from ..syntax import Node, parse_text


def find_place(source: str, table: str, key: str) -> tuple[int, int] | None:
    """Give line and column (from 1) where a key of a table is set, below its header, in an inline table or dotted.

    A key that is a table itself is set by its header, as is a table whose ``key`` is empty; the file's own keys are
    those of the table without a name.
    """
    path = [part for part in (*table.split("."), *key.split(".")) if part]
    found = _find(_tree(source), path) if path else None
    if found is None:
        return None
    return source.count("\n", 0, found.start) + 1, found.start - source.rfind("\n", 0, found.start)


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
