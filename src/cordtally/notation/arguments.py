"""An object of arguments: as a Python mapping, or as the text of a JSON object (RFC 8259).

    text   = "{" [ name ":" value *( "," name ":" value ) ] "}"

Values keep their types. The library hands the mapping to the driver; the text is for reading and showing.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from json.decoder import JSONDecoder

from ..model import Secret
from ..model.suspicion import clear_name, guard_name
from ..text import Cursor, GrammarError, Piece, as_text, piece_of_key
from .fields import Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, BaseDialect

_BLANKS = " \t\n\r"
_DECODER = JSONDecoder()


class Dialect(BaseDialect):
    """JSON's own rules; of a key given twice the last wins, as in ``json.loads``.

    With ``nested``, an object inside stands for its entries, their names joined by dots.
    """

    nested: bool = False


def looks_like(text: str) -> int:
    """An object begins with a brace."""
    return LIKELY if text.lstrip()[:1] == "{" else NO


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take the text of a JSON object apart.

    Raises
    ------
    GrammarError
        For anything but one object.
    """
    cursor = Cursor(text)
    cursor.skip(_BLANKS)
    cursor.expect("{", "an object of arguments begins with {")
    fields: list[Field] = []
    cursor.skip(_BLANKS)
    while cursor.here != "}":
        if fields:
            cursor.expect(",", "a comma or } is expected")
            cursor.skip(_BLANKS)
        fields += _entry(cursor, dialect)
        cursor.skip(_BLANKS)
    cursor.position += 1
    cursor.skip(_BLANKS)
    if not cursor.at_end:
        raise GrammarError("nothing may follow the closing }", cursor.position, cursor.end)
    return Parsed(text, tuple(field for field in fields if field.value is not None))


def _entry(cursor: Cursor, dialect: Dialect) -> list[Field]:
    """``name ":" value``; a null counts as absent, and is kept here so that a comma is wanted behind it."""
    whole = cursor.position
    cursor.expect('"', "a name in double quotes is expected")
    try:
        name, cursor.position = _DECODER.raw_decode(cursor.text, whole)
        cursor.skip(_BLANKS)
        cursor.expect(":", "a colon is expected")
        cursor.skip(_BLANKS)
        start = cursor.position
        value, end = _DECODER.raw_decode(cursor.text, start)
    except json.JSONDecodeError as error:
        raise GrammarError("this is not a JSON value", error.pos, error.pos + 1) from None
    except (ValueError, RecursionError) as error:
        if isinstance(error, GrammarError):
            raise
        raise cursor.error("this is not a JSON value") from None
    cursor.position = end
    if dialect.nested and isinstance(value, dict) and value:
        return [Field("option", n, v, start, end, whole) for n, v in _flatten(value, f"{name}.")]
    quotes = 1 if isinstance(value, str) else 0
    return [Field("option", name, value, start + quotes, end - quotes, whole)]


def _flatten(mapping: Mapping[str, object], lead: str) -> Iterator[tuple[str, object]]:
    for name, value in mapping.items():
        if isinstance(value, Mapping) and value:
            yield from _flatten(value, f"{lead}{name}.")
        elif value is not None:
            yield lead + name, _kept(value)


def _kept(value: object) -> object:
    """A value as it is read: bytes are UTF-8, and a secret is given in clear, its name telling what it is."""
    if isinstance(value, Secret):
        value = value.unmask()
    return value.decode("utf-8", "surrogateescape") if isinstance(value, bytes) else value


def parse_mapping(mapping: Mapping[str, object], dialect: Dialect) -> Parsed:
    """Take a mapping as it is; bytes are decoded as UTF-8, None counts as absent, and places are all zero."""
    if dialect.nested:
        return Parsed("", tuple(Field("option", n, v, 0, 0, 0) for n, v in _flatten(mapping, "")))
    fields = [Field("option", name, _kept(value), 0, 0, 0) for name, value in mapping.items() if value is not None]
    return Parsed("", tuple(fields))


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Make the mapping, and its text; dots in names tell nested objects. Secrets stay `Secret` at any depth."""
    arguments: dict[str, object] = {}
    refused: list[Refused] = []
    for part in fields:
        place: object = arguments
        *path, last = (part.name or "").split(".") if dialect.nested else (part.name or "",)
        for step in path:
            if isinstance(place, dict):
                place = place.setdefault(step, {})
        if not isinstance(place, dict) or isinstance(place.get(last), dict):
            refused.append(Refused(part, "another argument of this name stands there already"))
            continue
        place[guard_name(last)] = part.value
    return Rendered([*_pieces(arguments)], refused, arguments)


def _pieces(value: object) -> Iterator[Piece]:
    """Write a value as JSON, in pieces; quotes around a secret stay outside it."""
    if isinstance(value, Secret):
        shown = json.dumps(as_text(value), ensure_ascii=False)
        yield from (Piece('"'), Piece(shown[1:-1], secret=True), Piece('"'))
    elif isinstance(value, dict):
        yield Piece("{")
        for index, (name, inner) in enumerate(value.items()):
            yield Piece(", " if index else "")
            shown = json.dumps(clear_name(name), ensure_ascii=False)
            yield from (Piece('"'), piece_of_key(clear_name(name), shown[1:-1]), Piece('": '))
            yield from _pieces(inner)
        yield Piece("}")
    elif isinstance(value, list):
        yield Piece("[")
        for index, inner in enumerate(value):
            yield Piece(", " if index else "")
            yield from _pieces(inner)
        yield Piece("]")
    else:
        yield Piece(json.dumps(value, ensure_ascii=False, default=as_text))
