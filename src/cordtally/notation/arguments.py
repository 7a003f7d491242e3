"""An object of arguments: as a Python mapping, or as the text of a JSON object (RFC 8259).

Values keep their types. The library hands the mapping to the driver; the text is for reading and showing.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from json.decoder import JSONDecoder

from .parts import Field, GrammarError, Parsed, Rendered, as_text

_BLANKS = " \t\n\r"
_DECODER = JSONDecoder()


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """JSON's own rules; of a key given twice the last wins, as in ``json.loads``."""

    repeated: str = "last"
    empty: str = "kept"
    positions: tuple[str, ...] = ()


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take the text of a JSON object apart.

    Raises
    ------
    GrammarError
        For anything but one object.
    """
    position = _skip(text, 0)
    if text[position : position + 1] != "{":
        raise GrammarError("an object of arguments begins with {", position, position + 1)
    fields: list[Field] = []
    position = _skip(text, position + 1)
    while text[position : position + 1] != "}":
        if fields:
            position = _skip(text, _expect(text, position, ",", "a comma or }"))
        _expect(text, position, '"', "a name in double quotes")
        whole = position
        try:
            name, position = _DECODER.raw_decode(text, position)
            position = _skip(text, _expect(text, _skip(text, position), ":", "a colon"))
            value, end = _DECODER.raw_decode(text, position)
        except (ValueError, RecursionError) as error:
            place = error.pos if isinstance(error, json.JSONDecodeError) else position
            if isinstance(error, GrammarError):
                raise
            raise GrammarError("this is not a JSON value", place, place + 1) from None
        quotes = 1 if isinstance(value, str) else 0
        if value is not None:
            fields.append(Field("option", name, value, position + quotes, end - quotes, whole))
        position = _skip(text, end)
    rest = _skip(text, position + 1)
    if rest < len(text):
        raise GrammarError("nothing may follow the closing }", rest, len(text))
    return Parsed(text, tuple(fields))


def parse_mapping(mapping: Mapping[str, object]) -> Parsed:
    """Take a mapping as it is; bytes are decoded as UTF-8, None counts as absent, and places are all zero."""
    fields = []
    for name, value in mapping.items():
        kept = value.decode("utf-8", "surrogateescape") if isinstance(value, bytes) else value
        if kept is not None:
            fields.append(Field("option", name, kept, 0, 0, 0))
    return Parsed("", tuple(fields))


def _skip(text: str, position: int) -> int:
    while position < len(text) and text[position] in _BLANKS:
        position += 1
    return position


def _expect(text: str, position: int, wanted: str, called: str) -> int:
    if text[position : position + 1] != wanted:
        raise GrammarError(f"{called} is expected", position, position + 1)
    return position + 1


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Make the mapping, and its text."""
    pieces: list[tuple[str, bool]] = [("{", False)]
    arguments: dict[str, object] = {}
    for part in fields:
        name = part.name or ""
        arguments[name] = part.value
        shown = json.dumps(part.value, ensure_ascii=False, default=as_text)
        lead = f"{', ' if len(pieces) > 1 else ''}{json.dumps(name, ensure_ascii=False)}: "
        if name in secrets and isinstance(part.value, str):
            pieces += [(lead + '"', False), (shown[1:-1], True), ('"', False)]
        else:
            pieces += [(lead, False), (shown, name in secrets)]
    return Rendered([*pieces, ("}", False)], [], arguments)
