r"""Files of sections and pairs: MySQL's option files, libpq's service file, ODBC's data sources.

    file = *( "[" section "]" line-end *( key [ "=" value ] line-end ) )

Only one section is read: the one that is asked for, or the first of those that the dialect lists. Sources: MySQL 9
documentation, "Using Option Files"; libpq 15, parseServiceFile; unixODBC 2.3.11, tried.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Literal

from ..errors import FieldError
from ..lines import DIALECTS, Line, encode_value, read_lines
from ..text import GrammarError, Piece, as_text, piece_of, piece_of_key
from . import percent
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, BaseDialect

_LINES = {"raw": "service", "trimmed": "odbc", "escaped": "option-file"}


class Dialect(BaseDialect):
    """How one kind of file quotes.

    ``sections`` lists the names that are read, the first one being written; empty for any. ``quoting`` is ``raw``
    (the rest of the line, its end trimmed), ``trimmed`` (both ends) or ``escaped`` (quotes and backslashes, and #
    begins a comment); with ``dashes`` a key may be written with - for _; keys that stand ``apart`` are written in
    sections of their own; ``percent`` lists those whose values are escaped as in a form.
    """

    sections: tuple[str, ...] = ()
    quoting: Literal["raw", "trimmed", "escaped"] = "raw"
    dashes: bool = False
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
    inside, found = False, False
    for line in read_lines(text, DIALECTS[_LINES[dialect.quoting]]):
        if line.section:
            inside = line.name in wanted if wanted else not found
            found = found or inside
        elif inside and not line.pair:
            raise GrammarError("a line has no = and value", line.start, line.end)
        elif inside:
            fields.append(_field(line, dialect))
    if not found:
        raise GrammarError("the section that is wanted is not there", 0, 1, "look at the names in [ ]")
    return Parsed(text, tuple(fields))


def _field(line: Line, dialect: Dialect) -> Field:
    name, value = line.name, line.value or ""
    if dialect.dashes:
        name = name.replace("_", "-")
    if name.casefold() in dialect.percent:
        value = percent.decode(value.replace("+", " "))
    quoted = int(line.style in {"'", '"'})  # a part is what stands between the quotes
    return Field("option", name, value, line.first + quoted, line.last - quoted, line.start)


def names(text: str) -> list[str]:
    """List the sections of a file, in order."""
    return [line.name for line in read_lines(text, DIALECTS["ini"]) if line.section]


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
    if dialect.quoting == "escaped" and not value.replace("\n", "").replace("\r", "").replace("\t", "").isprintable():
        raise CannotHold("an option file has no escape for a control character")
    try:
        return encode_value(value, "plain", DIALECTS[_LINES[dialect.quoting]])
    except FieldError:
        blanks = value != value.strip() and set("\n\r").isdisjoint(value)
        reason = "blanks at the end of a value are lost here" if blanks else "a line end would end the value"
        raise CannotHold(f"{reason}, and nothing is quoted") from None
