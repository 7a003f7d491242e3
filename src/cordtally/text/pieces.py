"""Pieces of a written text: each knows whether it is secret, so that nobody has to remember it for them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from ..model import MASK, Secret
from ..model.suspicion import safe_name


class Piece(NamedTuple):
    """Some characters of a written text, and whether they may be shown."""

    text: str
    secret: bool = False


def as_text(value: object) -> str:
    """Give a value as the word that stands for it in a text; of a secret, the secret itself."""
    if isinstance(value, str):
        return value
    if isinstance(value, Secret):
        return value.unmask()
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        from decimal import Decimal  # never 1e-07, which no driver reads

        return format(Decimal(repr(value)), "f")
    import json

    return json.dumps(value, ensure_ascii=False, sort_keys=True, default=_leaf)


def _leaf(value: object) -> str:
    """What stands inside an object and is none of JSON's types."""
    return as_text(value) if isinstance(value, Secret) else repr(value)


def as_shown(value: object) -> str:
    """Give a value as it may be shown: as `as_text` does, and secrets at any depth masked."""
    if isinstance(value, Secret):
        return str(value)
    if isinstance(value, dict | list | tuple):
        import json

        return json.dumps(value, ensure_ascii=False, sort_keys=True, default=str)
    return as_text(value)


def piece_of(value: object, written: str) -> Piece:
    """Make the piece in which a value is written, secret where the value is."""
    return Piece(written, isinstance(value, Secret))


def piece_of_key(name: str, written: str) -> Piece:
    """Make the piece in which a key is written; secret where no name looks like that, as after a misreading."""
    return Piece(written, safe_name(name) is not name)


def join(pieces: Iterable[Piece]) -> str:
    """Give the text itself, secrets included."""
    return "".join([piece.text for piece in pieces])


def join_masked(pieces: Iterable[Piece]) -> str:
    """Give the text with each secret piece masked."""
    return "".join([MASK if piece.secret else piece.text for piece in pieces])
