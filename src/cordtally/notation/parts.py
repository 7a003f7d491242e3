"""What every grammar yields and takes: fields with their places, remarks, refusals, pieces of written text.

A grammar knows separators, quoting and escaping, and nothing of what a field means to a driver.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple


class Field(NamedTuple):
    """One raw part of a text.

    ``role`` is ``scheme``, ``user``, ``password``, ``host``, ``port``, ``database`` or ``option``; ``name`` is an
    option's key as written; ``value`` is decoded (a str, or in arguments any JSON value); ``start`` and ``end`` bound
    the raw value in the text, quotes left out where there are any, and ``whole`` is where the key begins.
    """

    role: str
    name: str | None
    value: object
    start: int
    end: int
    whole: int


class Remark(NamedTuple):
    """Something that a reader tolerates and a person should know, named like the rule that reports it."""

    rule: str
    message: str
    start: int
    end: int
    fix: str


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


class GrammarError(ValueError):
    """A text that breaks a grammar; the message quotes nothing of it."""

    def __init__(self, problem: str, start: int, end: int, hint: str | None = None) -> None:
        super().__init__(problem)
        self.problem, self.start, self.end, self.hint = problem, start, end, hint


class CannotHold(ValueError):
    """A value that a grammar has no way to write; the reason quotes nothing of it."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason


class Refused(NamedTuple):
    """A field that was left out of a written text, and why."""

    field: Field
    reason: str


@dataclass(slots=True)
class Rendered:
    """A written text, in pieces; secret ones are marked. ``arguments`` holds the mapping, for that notation."""

    pieces: list[tuple[str, bool]]
    refused: list[Refused]
    arguments: dict[str, object] | None = None

    @property
    def text(self) -> str:
        """The text itself, secrets included."""
        return "".join(piece for piece, _ in self.pieces)

    def masked(self, mask: str) -> str:
        """Give the text with each secret piece replaced."""
        return "".join(mask if secret else piece for piece, secret in self.pieces)


def plain(role: str, name: str | None, value: object) -> Field:
    """Make a field that has no place yet, to be written."""
    return Field(role, name, value, 0, 0, 0)


def as_text(value: object) -> str:
    """Give an argument's value as the word that stands for it in a text."""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        from decimal import Decimal

        return format(Decimal(repr(value)), "f")
    import json

    return json.dumps(value, ensure_ascii=False, sort_keys=True, default=repr)
