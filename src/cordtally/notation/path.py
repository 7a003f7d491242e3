"""A bare file path: the whole text is the database, without any escaping."""

from __future__ import annotations

import re
from dataclasses import dataclass

from .parts import Field, GrammarError, Parsed, Refused, Rendered, as_text

_ALIAS = re.compile(r"[\w.-]+")


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """``role`` says what the text is: a ``database``, or an ``alias``, which is a single word."""

    role: str = "database"
    repeated: str = "last"
    empty: str = "kept"
    positions: tuple[str, ...] = ("database",)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take the text as a path."""
    if prefix:
        start, end = len(prefix), len(text)
        found = [Field("scheme", None, prefix, 0, start, 0)]
        found += [Field(dialect.role, None, text[start:], start, end, start)] if end > start else []
        return Parsed(text, tuple(found))
    if text and dialect.role == "alias" and not _ALIAS.fullmatch(text):
        raise GrammarError("an alias is a word of letters, digits, . _ and -", 0, len(text))
    return Parsed(text, (Field(dialect.role, None, text, 0, len(text), 0),) if text else ())


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write the path; options have no place beside it."""
    pieces: list[tuple[str, bool]] = [(prefix, False)] if prefix else []
    refused: list[Refused] = []
    for part in fields:
        value = as_text(part.value)
        if part.role == "alias" and not _ALIAS.fullmatch(value):
            refused.append(Refused(part, "an alias is a word of letters, digits, . _ and -"))
        elif part.role == dialect.role:
            pieces.append((as_text(part.value), False))
        else:
            refused.append(Refused(part, f"{dialect.role} is all there is"))
    return Rendered(pieces, refused)
