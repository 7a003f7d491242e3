"""Finds the line of a field in a TOML text, for messages; a place that cannot be found is simply not named."""

from __future__ import annotations

import re

_HEADER = re.compile(r"\s*\[([^\[\]]+)\]\s*(?:#.*)?$")


def find_place(source: str, table: str, field: str) -> int | None:
    """Give the line (from 1) where a field of a table is set, written below its header or inside an inline table.

    A field that is a table itself is set by its header; the file's own fields are those of the table without a name.
    """
    current = ""
    path = f"{table}.{field}".removeprefix(".")
    key = re.compile(rf"(?:^|[{{,.\s])[\"']?{re.escape(field)}[\"']?\s*=")
    for number, line in enumerate(source.splitlines(), 1):
        header = _HEADER.match(line)
        if header is not None:
            current = ".".join(part.strip().strip("\"'") for part in header[1].split("."))
            if current == path or current.startswith(f"{path}."):
                return number
        elif (current == table or current.startswith(f"{table}.")) and key.search(line):
            return number
    return None
