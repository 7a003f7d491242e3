"""Comma-separated configuration: hosts first, then pairs, without any quoting.

    text = item *( "," item )
    item = host [":" port]  |  key "=" value

Source: public documentation of StackExchange.Redis 2 (not checked against an installed driver).
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..text import Cursor, GrammarError, Piece, as_text, piece_of, piece_of_key
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, BaseDialect, is_no_url

_LONGEST = 512  # no host is longer
_HOST_FIRST = re.compile(r"[A-Za-z0-9_.:\[\]-]+?(?:,|:[0-9]{1,5}$)")


class Dialect(BaseDialect):
    """Blanks around an item do not count; of a key given twice the last wins."""

    positions: tuple[str, ...] = ("host", "port")


def looks_like(text: str) -> int:
    """It begins with a host, which a comma or a port follows: a bare word is rather a file that is not there."""
    first = text[:_LONGEST].partition(",")[0]
    return LIKELY if _HOST_FIRST.match(text) and (first.count(":") < 2 or "[" in first) else is_no_url(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a configuration apart.

    Raises
    ------
    GrammarError
        For a key that is missing before its ``=``.
    """
    fields: list[Field] = []
    cursor = Cursor(text)
    while True:
        start, stop = _trim(text, *cursor.take_until(","))
        equals = text.find("=", start, stop)
        if equals == start and stop > start:
            raise GrammarError("a key is missing before =", start, start + 1)
        if equals > start:
            begin, close = _trim(text, equals + 1, stop)
            fields.append(Field("option", text[start:equals].strip(), text[begin:close], begin, close, start))
        elif stop > start:
            _host(text, start, stop, fields)
        if not cursor.take(","):
            return Parsed(text, tuple(fields))


def _trim(text: str, start: int, end: int) -> tuple[int, int]:
    while start < end and text[start].isspace():
        start += 1
    while end > start and text[end - 1].isspace():
        end -= 1
    return start, end


def _host(text: str, start: int, end: int, fields: list[Field]) -> None:
    """``host = ( "[" IPv6 "]" | name ) [":" port]``; a name with several colons is an IPv6 address without brackets."""
    colon = text.rfind(":", start, end)
    port = text[colon + 1 : end]
    bracketed = text[start] == "["
    if colon >= 0 and port.isascii() and port.isdigit() and (bracketed or text.count(":", start, end) == 1):
        stop = colon
    else:
        stop, port = end, ""
    inner = (start + 1, stop - 1) if bracketed and text[stop - 1] == "]" else (start, stop)
    fields.append(Field("host", None, text[inner[0] : inner[1]], *inner, start))
    if port:
        fields.append(Field("port", None, port, stop + 1, end, stop + 1))


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a configuration; what has no place between commas is refused by name."""
    items: list[list[Piece]] = []
    refused: list[Refused] = []
    orphan = False  # a port whose host was refused goes with it
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role == "host":
                orphan = True
                items.append([piece_of(part.value, _host_text(value))])
                orphan = False
            elif part.role == "port":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                items[-1].append(Piece(f":{value}"))
            else:
                _check(value, "")
                items.append([piece_of_key(part.name or "", f"{_key(part.name or '')}="), piece_of(part.value, value)])
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    pieces = [piece for index, item in enumerate(items) for piece in ([Piece(",")] if index else []) + item]
    return Rendered(pieces, refused)


def _host_text(value: str) -> str:
    _check(value, "=" if ":" in value else "=[]")
    if value == "" or (":" in value and not set("[]").isdisjoint(value)):
        raise CannotHold("a host cannot be empty or hold brackets here")
    return f"[{value}]" if ":" in value else value


def _key(name: str) -> str:
    _check(name, "=")
    if not name.strip():
        raise CannotHold("its name cannot stand as a key here")
    return name


def _check(value: str, further: str) -> None:
    if not set("," + further).isdisjoint(value):
        raise CannotHold("nothing is quoted here, and a comma would end the value")
    if value != value.strip():
        raise CannotHold("blanks at the ends of a value are lost here")
