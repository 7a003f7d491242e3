r"""Firebird's database names: a file or alias, with its server before it.

    text = protocol "://" [ host [":" port] "/" ] path  |  host ["/" port] ":" path  |  path

A single letter before the colon is a drive. Nothing is escaped. Source: firebird-driver 2.1.0, core.py
(_connect_helper), and the public documentation of Firebird 4.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..text import Piece, as_text, piece_of
from .fields import Field, Parsed, Refused, Rendered
from .grammar import BaseDialect, is_no_object

_URL = re.compile(r"(?:inet|inet4|inet6)://(?:(\[[^\]]*\]|[^/:\[]*)(?::(\d+))?/)?", re.ASCII)
_OLD = re.compile(r"(\[[^\]]*\]|[^/\\:\[]{2,}|[^/\\:\[](?=/))(?:/(\d+))?:", re.ASCII)
_HOST = re.compile(r"[^/\\:\[\]@\s]+|[0-9A-Fa-f:.]+(?:%[\w.-]+)?")


class Dialect(BaseDialect):
    """No flags."""

    positions: tuple[str, ...] = ("host", "port", "database")


def looks_like(text: str) -> int:
    """Every text is such a name, so it is read only when its driver is named."""
    return is_no_object(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a name apart; every text is one."""
    fields: list[Field] = []
    position = 0
    match = _URL.match(text) or _OLD.match(text)
    if match is not None:
        position = match.end()
        if match[1]:
            inset = 1 if match[1].startswith("[") else 0
            start, end = match.start(1) + inset, match.end(1) - inset
            fields.append(Field("host", None, text[start:end], start, end, match.start(1)))
        if match[1] and match[2]:
            fields.append(Field("port", None, match[2], match.start(2), match.end(2), match.start(2)))
    if position < len(text):
        fields.append(Field("database", None, text[position:], position, len(text), position))
    return Parsed(text, tuple(fields))


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a name; a host or path that would be read as something else is refused."""
    refused: list[Refused] = []
    host: list[Piece] = []
    port, path = "", Piece("")
    for part in fields:
        value = as_text(part.value)
        if part.role == "host" and _HOST.fullmatch(value):
            host = [piece_of(part.value, f"[{value}]" if ":" in value else value)]
        elif part.role == "port" and host:
            port = f":{value}"
        elif part.role == "database" and (host or not (_URL.match(value) or _OLD.match(value))):
            path = piece_of(part.value, value)
        else:
            why = "it would be read as a server" if part.role == "database" else "it cannot stand before a path here"
            refused.append(Refused(part, why))
    return Rendered([Piece("inet://"), *host, Piece(f"{port}/"), path] if host else [path], refused)
