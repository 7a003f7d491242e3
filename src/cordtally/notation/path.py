"""A bare file path: the whole text is the database, without any escaping."""

from __future__ import annotations

from dataclasses import dataclass

from .parts import Field, Parsed, Refused, Rendered, as_text


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """No flags."""

    repeated: str = "last"
    empty: str = "kept"
    positions: tuple[str, ...] = ("database",)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take the text as a path."""
    return Parsed(text, (Field("database", None, text, 0, len(text), 0),) if text else ())


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write the path; options have no place beside it."""
    pieces: list[tuple[str, bool]] = []
    refused: list[Refused] = []
    for part in fields:
        if part.role == "database":
            pieces.append((as_text(part.value), False))
        else:
            refused.append(Refused(part, "a path is all there is"))
    return Rendered(pieces, refused)
