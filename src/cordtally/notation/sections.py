r"""Files of sections and pairs: MySQL's option files, libpq's service file, ODBC's data sources.

    file = *( "[" section "]" line-end *( key [ "=" value ] line-end ) )

Only one section is read: the one that is asked for, or the first of those that the dialect lists. Sources: MySQL 9
documentation, "Using Option Files"; libpq 15, parseServiceFile; unixODBC 2.3.11, tried.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from ..text import GrammarError, Piece, as_text, piece_of, piece_of_key
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, BaseDialect

_SECTION = re.compile(r"[ \t]*\[([^\]\r\n]*)\]")
_ESCAPES = {"b": "\b", "t": "\t", "n": "\n", "r": "\r", "\\": "\\", "s": " ", '"': '"', "'": "'"}
_PLAIN = re.compile(r"[A-Za-z0-9_./:,@%+=*~^&!?-]+")


class Dialect(BaseDialect):
    """How one kind of file quotes.

    ``sections`` lists the names that are read, the first one being written; empty for any. ``quoting`` is ``raw``
    (the rest of the line, its end trimmed), ``trimmed`` (both ends) or ``escaped`` (quotes and backslashes, and #
    begins a comment); with ``dashes`` a key may be written with - for _; ``comments`` begin lines that do not count.
    """

    sections: tuple[str, ...] = ()
    quoting: Literal["raw", "trimmed", "escaped"] = "raw"
    dashes: bool = False
    comments: str = "#;"


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
    fields.append(Field("option", name, value, begin, stop, start))


def _escaped(text: str, begin: int, stop: int) -> tuple[str, int, int]:
    quote = text[begin : begin + 1]
    if quote and quote in "'\"":
        close = text.find(quote, begin + 1, stop)
        begin, stop = begin + 1, stop if close < 0 else close
    else:
        comment = text.find("#", begin, stop)
        stop = stop if comment < 0 else comment
        while stop > begin and text[stop - 1].isspace():
            stop -= 1
    raw = text[begin:stop]
    if "\\" not in raw:
        return raw, begin, stop
    value = re.sub(r"\\(.)", lambda m: _ESCAPES.get(m[1], "\\" + m[1]), raw)
    return value, begin, stop


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a section; a value that a line cannot hold is refused."""
    title = dialect.sections[0] if dialect.sections else "greywick"
    pieces = [Piece(f"[{title}]\n")]
    refused: list[Refused] = []
    for part in fields:
        name, value = part.name or "", as_text(part.value)
        try:
            if not name or name != name.strip() or not set("=\n\r[]#;!").isdisjoint(name):
                raise CannotHold("its name cannot begin a line here")  # noqa: TRY301 -- booked below
            written = _written(value, dialect)
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
            continue
        pieces += [piece_of_key(name, f"{name}="), piece_of(part.value, written), Piece("\n")]
    return Rendered(pieces, refused)


def _written(value: str, dialect: Dialect) -> str:
    if dialect.quoting == "escaped":
        if '"' in value and "'" in value:
            raise CannotHold("both kinds of quotes in one value cannot be written in an option file")
        if _PLAIN.fullmatch(value):
            return value
        mark = "'" if '"' in value else '"'
        escaped = value.replace("\\", "\\\\").replace("\n", "\\n").replace("\r", "\\r").replace("\t", "\\t")
        if not escaped.replace(" ", "").isprintable():
            raise CannotHold("an option file has no escape for a control character")
        return mark + escaped + mark
    if not set("\n\r\v\f\x1c\x1d\x1e\x85\u2028\u2029").isdisjoint(value):
        raise CannotHold("a line end would end the value, and nothing is quoted here")
    if value != value.rstrip() or (dialect.quoting == "trimmed" and value != value.strip()):
        raise CannotHold("blanks at the end of a value are lost here, and nothing is quoted")
    return value
