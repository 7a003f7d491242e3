r"""Environment variables, as lines that a POSIX shell assigns.

    line  = [ "export " ] name "=" *piece
    piece = "'" *( any but "'" ) "'"  |  '"' *( any but '"' and "\", or "\" any ) '"'  |  bare  |  "\" any

Blank lines and lines that begin with # are left out. Source: POSIX.1-2017, Shell Command Language, section 2.2.
"""

from __future__ import annotations

import re
import shlex
from collections.abc import Sequence

from ..text import Cursor, GrammarError, Piece, as_text, piece_of, piece_of_key
from .fields import Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, BaseDialect

_LINE = re.compile(r"[ \t]*(?:export[ \t]+)?([A-Za-z_][A-Za-z0-9_]*)=")
_FIRST = re.compile(r"\s*(?:#.*\n\s*)*(?:export\s+)?[A-Z][A-Z0-9_]+=")
_PLAIN = re.compile(r"[A-Za-z0-9_./:,@%+=-]+")
_BARE = re.compile(r"[^ \t\r\n;'\"\\]+")


class Dialect(BaseDialect):
    """Of a variable given twice the last assignment counts."""


def looks_like(text: str) -> int:
    """Its first line that is no comment assigns a name in capitals."""
    return LIKELY if _FIRST.match(text) else NO


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take lines apart.

    Raises
    ------
    GrammarError
        For a line that assigns nothing, or a quote that is never closed.
    """
    fields: list[Field] = []
    cursor = Cursor(text)
    cursor.skip(" \t\r\n")
    while not cursor.at_end:
        if cursor.here != "#":
            match = cursor.take_pattern(_LINE)
            if match is None:
                raise GrammarError("a line assigns no variable", *cursor.take_until("\n"), "write NAME=value")
            begin = cursor.position
            value = _value(cursor)
            after = min(cursor.position, cursor.end)
            quoted = text[begin : begin + 1] in {"'", '"'} and after - begin >= 2
            start, stop = (begin + 1, after - 1) if quoted else (begin, after)
            fields.append(Field("option", match[1], value, start, stop, match.start(1)))
        cursor.take_until("\n")
        cursor.skip(" \t\r\n")
    return Parsed(text, tuple(fields))


def _value(cursor: Cursor) -> str:
    r"""``*piece``, up to a blank, a semicolon or the end of the line."""
    out: list[str] = []
    while not cursor.at_end and cursor.here not in " \t\r\n;":
        if cursor.take("'"):
            start, end = cursor.take_until("'")
            if not cursor.take("'"):
                raise GrammarError("a quote is never closed", start - 1, cursor.end)
            out.append(cursor.text[start:end])
        elif cursor.take('"'):
            out.append(_double(cursor))
        elif cursor.take("\\"):
            out.append(cursor.here)
            cursor.position += 1
        elif (match := cursor.take_pattern(_BARE)) is not None:
            out.append(match[0])
    return "".join(out)


def _double(cursor: Cursor) -> str:
    r"""``*( any but '"' and "\", or "\" any ) '"'``: a backslash escapes ``$``, a backquote, quotes and itself."""
    opening, out = cursor.position - 1, list[str]()
    while not cursor.at_end:
        start, end = cursor.take_until('"\\')
        out.append(cursor.text[start:end])
        if cursor.take('"'):
            return "".join(out)
        if cursor.take("\\"):
            out.append(cursor.here if cursor.here and cursor.here in '$`"\\' else "\\" + cursor.here)
            cursor.position += 1
    raise GrammarError("a quote is never closed", opening, cursor.end)


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write one line for each variable, quoted where a shell needs it."""
    pieces: list[Piece] = []
    refused: list[Refused] = []
    for part in fields:
        name, value = part.name or "", as_text(part.value)
        if _LINE.fullmatch(f"{name}=") is None:
            refused.append(Refused(part, "its name cannot be that of a variable"))
        elif "\0" in value:
            refused.append(Refused(part, "a variable cannot hold a NUL character"))
        else:
            written = value if _PLAIN.fullmatch(value) else shlex.quote(value)
            pieces += [piece_of_key(name, f"{name}="), piece_of(part.value, written), Piece("\n")]
    return Rendered(pieces, refused)
