r"""Password lines: ``host:port:database:user:password``, where ``\`` escapes; libpq's password file.

Source: PostgreSQL 15, fe-connect.c, passwordFromFile. Fields are compared as they stand, but for escapes. A ``#``
begins a comment only at the very beginning of a line, since elsewhere it may be part of a password.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from ..errors import FieldError

FIELDS = ("host", "port", "database", "user", "password")


class Field(NamedTuple):
    """One field as it is written, and what it stands for."""

    start: int
    end: int
    value: str


def read_passwords(text: str) -> Iterator[tuple[int, list[Field]]]:
    """Give each line that says something, by its number, with its fields: five, or fewer where it is cut short."""
    start = 0
    for number, line in enumerate(text.split("\n"), start=1):
        if line and not line.startswith("#"):
            yield number, _fields(line.rstrip("\r"), start)
        start += len(line) + 1


def _fields(line: str, offset: int) -> list[Field]:
    """Cut a line at its colons; what stands behind the fifth field's end counts for nothing."""
    fields, piece, begin, position = list[Field](), "", 0, 0
    while position < len(line) and len(fields) < len(FIELDS):
        character = line[position]
        if character == "\\" and position + 1 < len(line):
            piece += line[position + 1]
            position += 1
        elif character == ":":
            fields.append(Field(offset + begin, offset + position, piece))
            piece, begin = "", position + 1
        else:
            piece += character
        position += 1
    if len(fields) < len(FIELDS):
        fields.append(Field(offset + begin, offset + position, piece))
    return fields


def encode_field(value: str) -> str:
    """Write a field.

    Raises
    ------
    FieldError
        When it holds a line end, for which there is no escape.
    """
    if not {"\n", "\r", "\0"}.isdisjoint(value):
        raise FieldError("a line of a password file ends with its line: it has no escape for a line end")
    return value.replace("\\", "\\\\").replace(":", "\\:")
