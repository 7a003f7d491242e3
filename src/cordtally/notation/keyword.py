r"""libpq's keyword/value grammar.

    text   = *blank [ pair *( 1*blank pair ) ] *blank
    pair   = keyword *blank "=" *blank value
    value  = "'" *( any but "'" and "\", or "\" any ) "'"  |  *( any but blank and "\", or "\" any )

Source: PostgreSQL 15 documentation, section 34.1.1.1, and libpq 18.0 itself, tried through psycopg 3.3.9.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from ..text import Cursor, GrammarError, Piece, as_text, piece_of, piece_of_key
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, BaseDialect, is_no_url
from .remarks import Case, Remark

_BLANKS = " \t\n\r\v\f"
_NAME = re.compile(r"[^\s=]+")
_BARE = re.compile(r"[A-Za-z0-9_./:,@%+*~^&!?-]+")
_RUNS = {"'": re.compile(r"[^'\\]+"), '"': re.compile(r"[^\"\\]+")}
_BARE_RUN = re.compile(r"[^ \t\n\r\v\f\\]+")


class Dialect(BaseDialect):
    """libpq's own rules; a ``trailing_backslash`` is ``kept`` (it stands for nothing) or ``refused``.

    A backslash ``escapes`` ``any`` character, or only a ``quote`` and itself, as for pgx.

    ``semicolons`` are ``kept``; or each of them, even inside quotes, is a ``blank``, as PDO makes it; or one outside
    quotes is a ``separator``, as for DBD::Pg. ``quote`` is the mark that quotes.
    """

    trailing_backslash: Literal["kept", "refused"] = "kept"
    escapes: Literal["any", "quote"] = "any"
    semicolons: Literal["kept", "blank", "separator"] = "kept"
    quote: Literal["'", '"'] = "'"


def looks_like(text: str) -> int:
    """Pairs are worth a try wherever no object begins; which keys a driver knows decides."""
    return LIKELY if is_no_url(text) else NO


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take keyword/value pairs apart.

    Raises
    ------
    GrammarError
        Where libpq would refuse the text, too.
    """
    fields: list[Field] = [Field("scheme", None, prefix, 0, len(prefix), 0)] if prefix else []
    remarks: list[Remark] = []
    given, text = text, _without_semicolons(text, dialect)
    cursor = Cursor(text, len(prefix))
    cursor.skip(_BLANKS)
    while not cursor.at_end:
        whole = cursor.position
        match = cursor.take_pattern(_NAME)
        if match is None:
            raise cursor.error("a keyword is missing before =")
        cursor.skip(_BLANKS)
        if not cursor.take("="):
            hint = "a value with blanks in it needs single quotes: did it end where you meant?"
            raise GrammarError("after a keyword an = must follow", whole, match.end(), hint)
        after_equals = cursor.position
        cursor.skip(_BLANKS)
        start = cursor.position
        if cursor.take(dialect.quote):
            value = _quoted(cursor, dialect.quote)
            if dialect.escapes == "quote":
                value = _plain(text[start + 1 : cursor.position - 1])
            fields.append(Field("option", match[0], value, start + 1, cursor.position - 1, whole))
        else:
            value = _bare(cursor)
            end = cursor.position
            if dialect.escapes == "quote":
                value = _plain(text[start:end])
            if dialect.trailing_backslash == "refused" and cursor.at_end and _ends_in_escape(text[start:end]):
                raise GrammarError("a character must follow the backslash", end - 1, end)
            fields.append(Field("option", match[0], value, start, end, whole))
            if start > after_equals and "=" in value:
                remarks.append(Remark(Case.TAKES_NEXT_PAIR, start, end, {"name": match[0]}))
        cursor.skip(_BLANKS)
    return Parsed(given, tuple(fields), tuple(remarks))


def _without_semicolons(text: str, dialect: Dialect) -> str:
    if dialect.semicolons == "blank":
        return text.replace(";", " ")
    if dialect.semicolons == "separator":
        pieces = text.split("'")
        pieces[::2] = [piece.replace(";", " ") for piece in pieces[::2]]
        return "'".join(pieces)
    return text


def _plain(raw: str) -> str:
    """What pgx makes of a value (pgconn, config.go: parseDSNSettings), in this order."""
    return raw.replace("\\\\", "\\").replace("\\'", "'")


def _ends_in_escape(raw: str) -> bool:
    return (len(raw) - len(raw.rstrip("\\"))) % 2 == 1


def _quoted(cursor: Cursor, quote: str) -> str:
    """``value = quote *( any but quote and "\\", or "\\" any ) quote``, its opening quote being passed over already."""
    opening, out = cursor.position - 1, list[str]()
    while not cursor.at_end:
        if cursor.take(quote):
            return "".join(out)
        out.append(_escaped(cursor) if cursor.take("\\") else _run(cursor, _RUNS[quote]))
    hint = f"a {quote} inside a value is written \\{quote}"
    raise GrammarError(f"a quoted value has no closing {quote}", opening, cursor.end, hint)


def _bare(cursor: Cursor) -> str:
    """``value = *( any but blank and "\\", or "\\" any )``."""
    out: list[str] = []
    while not cursor.at_end and cursor.here not in _BLANKS:
        out.append(_escaped(cursor) if cursor.take("\\") else _run(cursor, _BARE_RUN))
    return "".join(out)


def _escaped(cursor: Cursor) -> str:
    character = cursor.here
    cursor.position += len(character)
    return character


def _run(cursor: Cursor, pattern: re.Pattern[str]) -> str:
    match = cursor.take_pattern(pattern)
    assert match is not None
    return match[0]


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write keyword/value pairs; a value is quoted where that is needed."""
    pieces: list[Piece] = []
    refused: list[Refused] = []
    for part in fields:
        try:
            name, value = _name(part.name or ""), quote(as_text(part.value), dialect.quote)
            if dialect.semicolons == "blank" and ";" in name + value:
                raise CannotHold("the driver turns every semicolon into a blank")  # noqa: TRY301 -- booked below
            if dialect.semicolons == "separator" and (";" in name or r"\'" in value):
                raise CannotHold("the driver loses count of the quotes at a quote inside a value")  # noqa: TRY301
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
            continue
        between = " " if dialect.semicolons == "kept" else ";"
        pieces += [piece_of_key(name, f"{between if pieces else ''}{name}="), piece_of(part.value, value)]
    return Rendered([Piece(prefix), *pieces] if prefix else pieces, refused)


def _name(name: str) -> str:
    if _NAME.fullmatch(name) is None:
        raise CannotHold("its name holds a blank or an =")
    return name


def quote(value: str, mark: str = "'") -> str:
    r"""Quote a value where it is not plain: ``it's`` becomes ``'it\'s'``."""
    if _BARE.fullmatch(value):
        return value
    return mark + value.replace("\\", "\\\\").replace(mark, f"\\{mark}") + mark
