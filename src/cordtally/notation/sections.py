r"""Files of sections and pairs: MySQL's option files, libpq's service file, ODBC's data sources.

    file = *( "[" section "]" line-end *( key [ "=" value ] line-end ) )

Only one section is read: the one that is asked for, or the first of those that the dialect lists. Sources: MySQL 9
documentation, "Using Option Files"; libpq 15, parseServiceFile; unixODBC 2.3.11, tried.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Literal

from ..text import GrammarError, Piece, as_text, piece_of, piece_of_key
from . import percent
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, BaseDialect

_SECTION = re.compile(r"[ \t]*\[([^\]\r\n]*)\]")
_ESCAPES = {"b": "\b", "t": "\t", "n": "\n", "r": "\r", "\\": "\\", "s": " ", '"': '"', "'": "'"}
_PLAIN = re.compile(r"[A-Za-z0-9_./:,@%+=*~^&!?-]+")


class Dialect(BaseDialect):
    """How one kind of file quotes.

    ``sections`` lists the names that are read, the first one being written; empty for any. ``quoting`` is ``raw``
    (the rest of the line, its end trimmed), ``trimmed`` (both ends) or ``escaped`` (quotes and backslashes, and #
    begins a comment); with ``dashes`` a key may be written with - for _; ``comments`` begin lines that do not count;
    keys that stand ``apart`` are written in sections of their own; ``percent`` lists those whose values are escaped as
    in a form.
    """

    sections: tuple[str, ...] = ()
    quoting: Literal["raw", "trimmed", "escaped"] = "raw"
    dashes: bool = False
    comments: str = "#;"
    apart: Mapping[str, str] = MappingProxyType({})
    percent: tuple[str, ...] = ()


def looks_like(text: str) -> int:
    """It begins with a section or a comment."""
    return LIKELY if text.lstrip()[:1] in {"[", "#"} else NO


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take the section apart that the dialect wants.

    Raises
    ------
    GrammarError
        As `parse_section`.
    """
    return parse_section(text, dialect, None)


def parse_section(text: str, dialect: Dialect, section: str | None) -> Parsed:
    """Take one section of a file apart: the named one, or where None the first of those that the dialect wants.

    Raises
    ------
    GrammarError
        For a line that is no pair, or a file without the section.
    """
    fields: list[Field] = []
    wanted = {section} if section is not None else set(dialect.sections)
    inside, found, position = False, False, 0
    while position < len(text):
        end = text.find("\n", position)
        end = len(text) if end < 0 else end
        match = _SECTION.match(text, position, end)
        start = position
        while start < end and text[start] in " \t\r":
            start += 1
        if match is not None:
            inside = match[1].strip() in wanted if wanted else not found
            found = found or inside
        elif start < end and inside and text[start] not in dialect.comments + "!":
            _pair(text, start, end, dialect, fields)
        position = end + 1
    if not found:
        raise GrammarError("the section that is wanted is not there", 0, 1, "look at the names in [ ]")
    return Parsed(text, tuple(fields))


def names(text: str) -> list[str]:
    """List the sections of a file, in order."""
    return [match[1].strip() for line in text.splitlines() if (match := _SECTION.match(line))]


def _pair(text: str, start: int, end: int, dialect: Dialect, fields: list[Field]) -> None:
    equals = text.find("=", start, end)
    if equals < 0 and dialect.quoting != "escaped":
        raise GrammarError("a line has no = and value", start, end)
    key_end = end if equals < 0 else equals
    name = text[start:key_end].strip()
    if dialect.dashes:
        name = name.replace("_", "-")
    begin, stop = min(key_end + 1, end), end
    while stop > begin and text[stop - 1].isspace():
        stop -= 1
    if dialect.quoting != "raw":
        while begin < stop and text[begin].isspace():
            begin += 1
    value = text[begin:stop]
    if dialect.quoting == "escaped":
        value, begin, stop = _escaped(text, begin, stop)
    if name.casefold() in dialect.percent:
        value = percent.decode(value.replace("+", " "))
    fields.append(Field("option", name, value, begin, stop, start))


def _escaped(text: str, begin: int, stop: int) -> tuple[str, int, int]:
    """A value up to its comment; a quote at both ends goes (mysys/my_default.c: remove_end_comment, search_files)."""
    stop = _end_before_comment(text, begin, stop)
    while stop > begin and text[stop - 1].isspace():
        stop -= 1
    if stop - begin > 1 and text[begin] in "'\"" and text[begin] == text[stop - 1]:
        begin, stop = begin + 1, stop - 1
    raw = text[begin:stop]
    if "\\" not in raw:
        return raw, begin, stop
    value = re.sub(r"\\(.)", lambda m: _ESCAPES.get(m[1], "\\" + m[1]), raw)
    return value, begin, stop


def _end_before_comment(text: str, begin: int, stop: int) -> int:
    """The place of the first # that stands in no quotes."""
    quote, escape = "", False
    for place in range(begin, stop):
        character = text[place]
        if character in "'\"" and not escape:
            quote = "" if quote == character else quote or character
        elif character == "#" and not quote:
            return place
        escape = bool(quote) and character == "\\" and not escape
    return stop


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a section; a value that a line cannot hold is refused."""
    title = dialect.sections[0] if dialect.sections else "greywick"
    pieces = [Piece(f"[{title}]\n")]
    apart: list[Piece] = []
    refused: list[Refused] = []
    for part in fields:
        name, value = part.name or "", as_text(part.value)
        try:
            if not name or name != name.strip() or not set("=\n\r[]#;!").isdisjoint(name):
                raise CannotHold("its name cannot begin a line here")  # noqa: TRY301 -- booked below
            written = percent.encode(value) if name.casefold() in dialect.percent else _written(value, dialect)
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
            continue
        line = [piece_of_key(name, f"{name}="), piece_of(part.value, written), Piece("\n")]
        if name in dialect.apart:
            apart += [Piece(f"[{dialect.apart[name]}]\n"), *line]
        else:
            pieces += line
    return Rendered(pieces + apart, refused)


def _written(value: str, dialect: Dialect) -> str:
    if dialect.quoting == "escaped":
        if _PLAIN.fullmatch(value):
            return value
        escaped = value.replace("\\", "\\\\").replace('"', '\\"')
        escaped = escaped.replace("\n", "\\n").replace("\r", "\\r").replace("\t", "\\t")
        if not escaped.replace(" ", "").isprintable():
            raise CannotHold("an option file has no escape for a control character")
        return f'"{escaped}"'
    if not set("\n\r\v\f\x1c\x1d\x1e\x85\u2028\u2029").isdisjoint(value):
        raise CannotHold("a line end would end the value, and nothing is quoted here")
    if value != value.rstrip() or (dialect.quoting == "trimmed" and value != value.strip()):
        raise CannotHold("blanks at the end of a value are lost here, and nothing is quoted")
    return value
