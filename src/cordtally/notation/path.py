"""A bare file path: the whole text is the database, without any escaping.

text = [prefix] path
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from ..text import GrammarError, Piece, as_text, piece_of
from .fields import Field, Parsed, Refused, Rendered
from .grammar import NO, PERHAPS, SURELY, BaseDialect, is_no_object

_ALIAS = re.compile(r"[\w.-]+")
_FILE = re.compile(r":memory:|[^=;\n]+\.(?:db|db3|sqlite|sqlite3)")
_LONGEST = 4096  # no file system takes a longer path


class Dialect(BaseDialect):
    """``role`` says what the text is: a ``database``, or an ``alias``, which is a single word."""

    role: Literal["database", "alias"] = "database"
    positions: tuple[str, ...] = ("database",)


def looks_like(text: str) -> int:
    """Any text may be a path; one with the ending of a database file, and what SQLite keeps in memory, surely is."""
    if text.startswith("file:") or not is_no_object(text):
        return NO
    return SURELY if _FILE.fullmatch(text[:_LONGEST]) else PERHAPS


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take the text as a path.

    Raises
    ------
    GrammarError
        For an alias that is more than a word.
    """
    start = len(prefix)
    fields = [Field("scheme", None, prefix, 0, start, 0)] if prefix else []
    if len(text) > start:
        if not prefix and dialect.role == "alias" and not _ALIAS.fullmatch(text):
            raise GrammarError("an alias is a word of letters, digits, . _ and -", 0, len(text))
        fields.append(Field(dialect.role, None, text[start:], start, len(text), start))
    return Parsed(text, tuple(fields))


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write the path; options have no place beside it."""
    pieces = [Piece(prefix)] if prefix else []
    refused: list[Refused] = []
    for part in fields:
        value = as_text(part.value)
        if part.role == "alias" and not _ALIAS.fullmatch(value):
            refused.append(Refused(part, "an alias is a word of letters, digits, . _ and -"))
        elif part.role == dialect.role:
            pieces.append(piece_of(part.value, value))
        else:
            refused.append(Refused(part, f"{dialect.role} is all there is"))
    return Rendered(pieces, refused)
