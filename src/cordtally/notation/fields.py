"""What every grammar yields and takes: fields with their places, refusals, pieces of written text.

A grammar knows separators, quoting and escaping, and nothing of what a field means to a driver.
"""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

from ..text import Piece, join, join_masked
from .remarks import Remark


class Field(NamedTuple):
    """One raw part of a text.

    ``role`` is ``scheme``, ``user``, ``password``, ``host``, ``port``, ``database`` or ``option``; ``name`` is an
    option's key as written; ``value`` is decoded (a str, or in arguments any JSON value), and a `Secret` where it is to
    be written and not to be shown; ``start`` and ``end`` bound the raw value in the text, quotes left out where there
    are any, and ``whole`` is where the key begins; all three are 0 in a field that is to be written.
    """

    role: str
    name: str | None
    value: object
    start: int = 0
    end: int = 0
    whole: int = 0


class Parsed(NamedTuple):
    """A text that was taken apart; ``"".join(pieces())`` gives it back."""

    text: str
    fields: tuple[Field, ...]
    remarks: tuple[Remark, ...] = ()

    def pieces(self) -> list[str]:
        """Cut the text at the edges of its fields; the pieces cover it without gap or overlap."""
        cuts = [0]
        for field in sorted(self.fields, key=lambda f: (f.start, f.end)):
            cuts += (field.start, field.end)
        cuts.append(len(self.text))
        if cuts != sorted(cuts):
            raise AssertionError("fields overlap or are out of order")
        return [self.text[a:b] for a, b in pairwise(cuts)]


class CannotHold(ValueError):
    """A value that a grammar has no way to write; the reason quotes nothing of it."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason


class Refused(NamedTuple):
    """A field that was left out of a written text, and why."""

    field: Field
    reason: str


class Rendered(NamedTuple):
    """A written text in pieces; ``arguments`` holds the mapping, for that notation, its secrets as `Secret`."""

    pieces: list[Piece]
    refused: list[Refused]
    arguments: dict[str, object] | None = None

    @property
    def text(self) -> str:
        """The text itself, secrets included."""
        return join(self.pieces)

    @property
    def masked(self) -> str:
        """The text with each secret piece replaced by the mask."""
        return join_masked(self.pieces)
