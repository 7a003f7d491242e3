"""An object of arguments: as a Python mapping, or as the text of a JSON object (RFC 8259).

Values keep their types. The library hands the mapping to the driver; the text is for reading and showing.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from json.decoder import JSONDecoder
from typing import Any

from .parts import Field, GrammarError, Parsed, Refused, Rendered, as_text

_BLANKS = " \t\n\r"
_DECODER = JSONDecoder()


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """JSON's own rules; of a key given twice the last wins, as in ``json.loads``.

    With ``nested``, an object inside stands for its entries, their names joined by dots.
    """

    nested: bool = False
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
        if dialect.nested and isinstance(value, dict) and value:
            fields += [Field("option", n, v, position, end, whole) for n, v in _flatten(value, f"{name}.")]
        elif value is not None:
            fields.append(Field("option", name, value, position + quotes, end - quotes, whole))
        position = _skip(text, end)
    rest = _skip(text, position + 1)
    if rest < len(text):
        raise GrammarError("nothing may follow the closing }", rest, len(text))
    return Parsed(text, tuple(fields))


def _flatten(mapping: Mapping[str, object], lead: str) -> Iterator[tuple[str, object]]:
    for name, value in mapping.items():
        if isinstance(value, dict) and value:
            yield from _flatten(value, f"{lead}{name}.")
        elif value is not None:
            yield lead + name, value.decode("utf-8", "surrogateescape") if isinstance(value, bytes) else value


def parse_mapping(mapping: Mapping[str, object], dialect: Dialect) -> Parsed:
    """Take a mapping as it is; bytes are decoded as UTF-8, None counts as absent, and places are all zero."""
    if dialect.nested:
        return Parsed("", tuple(Field("option", n, v, 0, 0, 0) for n, v in _flatten(mapping, "")))
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
    """Make the mapping, and its text; nested objects are told by the dots in names."""
    arguments: dict[str, object] = {}
    hidden: dict[str, object] = {}
    refused: list[Refused] = []
    for part in fields:
        place: Any = arguments
        cover: Any = hidden
        *path, last = (part.name or "").split(".") if dialect.nested else (part.name or "",)
        for step in path:
            if isinstance(place, dict):
                place, cover = place.setdefault(step, {}), cover.setdefault(step, {})
        if not isinstance(place, dict) or isinstance(place.get(last), dict):
            refused.append(Refused(part, "another argument of this name stands there already"))
            continue
        place[last] = part.value
        cover[last] = _Hidden(part.value) if part.name in secrets else part.value
    return Rendered([*_pieces(hidden)], refused, arguments)


class _Hidden:
    """A value whose text is a secret piece."""

    __slots__ = ("value",)

    def __init__(self, value: object) -> None:
        self.value = value


def _pieces(value: object) -> Iterator[tuple[str, bool]]:
    """Write a value as JSON, in pieces; quotes around a secret stay outside it."""
    if isinstance(value, _Hidden):
        shown = json.dumps(value.value, ensure_ascii=False, default=as_text)
        yield from ([('"', False), (shown[1:-1], True), ('"', False)] if shown[0] == '"' else [(shown, True)])
    elif isinstance(value, dict):
        yield "{", False
        for index, (name, inner) in enumerate(value.items()):
            yield f"{', ' if index else ''}{json.dumps(name, ensure_ascii=False)}: ", False
            yield from _pieces(inner)
        yield "}", False
    else:
        yield json.dumps(value, ensure_ascii=False, default=as_text), False
