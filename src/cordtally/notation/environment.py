r"""Environment variables, as lines that a POSIX shell assigns.

    line  = [ "export " ] name "=" *piece
    piece = "'" *( any but "'" ) "'"  |  '"' *( any but '"' and "\", or "\" any ) '"'  |  bare  |  "\" any

Blank lines and lines that begin with # are left out. Source: POSIX.1-2017, Shell Command Language, section 2.2.
"""

from __future__ import annotations

import re
import shlex
from dataclasses import dataclass

from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Rendered, as_text

_LINE = re.compile(r"[ \t]*(?:export[ \t]+)?([A-Za-z_][A-Za-z0-9_]*)=")
_PLAIN = re.compile(r"[A-Za-z0-9_./:,@%+=-]+")


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """Of a variable given twice the last assignment counts."""

    repeated: str = "last"
    empty: str = "kept"
    positions: tuple[str, ...] = ()


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take lines apart.

    Raises
    ------
    GrammarError
        For a line that assigns nothing, or a quote that is never closed.
    """
    fields: list[Field] = []
    position = 0
    while position < len(text):
        while position < len(text) and text[position] in " \t\r\n":
            position += 1
        end = text.find("\n", position)
        end = len(text) if end < 0 else end
        if position >= len(text) or text[position] == "#":
            position = end + 1
            continue
        match = _LINE.match(text, position)
        if match is None:
            raise GrammarError("a line assigns no variable", position, end, "write NAME=value")
        value, after = _value(text, match.end())
        quoted = text[match.end() : match.end() + 1] in {"'", '"'} and after - match.end() >= 2
        start, stop = (match.end() + 1, after - 1) if quoted else (match.end(), after)
        fields.append(Field("option", match[1], value, start, stop, match.start(1)))
        position = text.find("\n", after)
        position = len(text) if position < 0 else position + 1
    return Parsed(text, tuple(fields))


def _value(text: str, position: int) -> tuple[str, int]:
    out: list[str] = []
    while position < len(text) and text[position] not in " \t\r\n;":
        character = text[position]
        if character == "'":
            close = text.find("'", position + 1)
            if close < 0:
                raise GrammarError("a quote is never closed", position, len(text))
            out.append(text[position + 1 : close])
            position = close + 1
        elif character == '"':
            piece, position = _double(text, position)
            out.append(piece)
        elif character == "\\":
            out.append(text[position + 1 : position + 2])
            position += 2
        else:
            out.append(character)
            position += 1
    return "".join(out), min(position, len(text))


def _double(text: str, opening: int) -> tuple[str, int]:
    out: list[str] = []
    position = opening + 1
    while position < len(text):
        character = text[position]
        if character == '"':
            return "".join(out), position + 1
        if character == "\\" and text[position + 1 : position + 2] in set('$`"\\'):
            position += 1
            character = text[position]
        out.append(character)
        position += 1
    raise GrammarError("a quote is never closed", opening, len(text))


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write one line for each variable, quoted where a shell needs it."""
    pieces: list[tuple[str, bool]] = []
    refused: list[Refused] = []
    for part in fields:
        name, value = part.name or "", as_text(part.value)
        try:
            if _LINE.fullmatch(f"{name}=") is None:
                raise CannotHold("its name cannot be that of a variable")  # noqa: TRY301 -- booked below
            if "\0" in value:
                raise CannotHold("a variable cannot hold a NUL character")  # noqa: TRY301 -- booked below
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
            continue
        written = value if _PLAIN.fullmatch(value) else shlex.quote(value)
        pieces += [(f"{name}=", False), (written, part.name in secrets), ("\n", False)]
    return Rendered(pieces, refused)
