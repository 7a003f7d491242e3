r"""libpq's keyword/value grammar.

    text   = *blank [ pair *( 1*blank pair ) ] *blank
    pair   = keyword *blank "=" *blank value
    value  = "'" *( any but "'" and "\", or "\" any ) "'"  |  *( any but blank and "\", or "\" any )

Source: PostgreSQL 15 documentation, section 34.1.1.1, and libpq 18.0 itself, tried through psycopg 3.3.9.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Remark, Rendered, as_text

_BLANKS = " \t\n\r\v\f"
_NAME = re.compile(r"[^\s=]+")
_BARE = re.compile(r"[A-Za-z0-9_./:,@%+*~^&!?-]+")
_RUNS = {"'": re.compile(r"[^'\\]+"), '"': re.compile(r"[^\"\\]+")}
_BARE_RUN = re.compile(r"[^ \t\n\r\v\f\\]+")


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """libpq's own rules; a ``trailing_backslash`` is ``kept`` (it stands for nothing) or ``refused``.

    ``semicolons`` are ``kept``; or each of them, even inside quotes, is a ``blank``, as PDO makes it; or one outside
    quotes is a ``separator``, as for DBD::Pg. ``quote`` is the mark that quotes.
    """

    repeated: str = "last"
    empty: str = "kept"
    positions: tuple[str, ...] = ()
    trailing_backslash: str = "kept"
    semicolons: str = "kept"
    quote: str = "'"


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
    position = _skip(text, len(prefix))
    while position < len(text):
        match = _NAME.match(text, position)
        if match is None:
            raise GrammarError("a keyword is missing before =", position, position + 1)
        name_start, name = position, match[0]
        position = _skip(text, match.end())
        if position >= len(text) or text[position] != "=":
            raise GrammarError(
                "after a keyword an = must follow",
                name_start,
                match.end(),
                "a value with blanks in it needs single quotes: did it end where you meant?",
            )
        after_equals = position + 1
        position = _skip(text, after_equals)
        if position < len(text) and text[position] == dialect.quote:
            value, end = _quoted(text, position, dialect.quote)
            fields.append(Field("option", name, value, position + 1, end - 1, name_start))
        else:
            value, end = _bare(text, position)
            if dialect.trailing_backslash == "refused" and end == len(text) and _ends_in_escape(text[position:end]):
                raise GrammarError("a character must follow the backslash", end - 1, end)
            fields.append(Field("option", name, value, position, end, name_start))
            if position > after_equals and "=" in value:
                remarks.append(
                    Remark(
                        "needs-escaping",
                        f"{name} is empty and takes the next pair for its value",
                        position,
                        end,
                        f"write {name}='' for an empty value",
                    )
                )
        position = _skip(text, end)
    return Parsed(given, tuple(fields), tuple(remarks))


def _without_semicolons(text: str, dialect: Dialect) -> str:
    if dialect.semicolons == "blank":
        return text.replace(";", " ")
    if dialect.semicolons == "separator":
        pieces = text.split("'")
        pieces[::2] = [piece.replace(";", " ") for piece in pieces[::2]]
        return "'".join(pieces)
    return text


def _ends_in_escape(raw: str) -> bool:
    return (len(raw) - len(raw.rstrip("\\"))) % 2 == 1


def _skip(text: str, position: int) -> int:
    while position < len(text) and text[position] in _BLANKS:
        position += 1
    return position


def _quoted(text: str, position: int, quote: str) -> tuple[str, int]:
    opening = position
    out: list[str] = []
    position += 1
    while position < len(text):
        if text[position] == quote:
            return "".join(out), position + 1
        if text[position] == "\\":
            out.append(text[position + 1 : position + 2])
            position += 2
        else:
            run = _RUNS[quote].match(text, position)
            assert run is not None
            out.append(run[0])
            position = run.end()
    hint = f"a {quote} inside a value is written \\{quote}"
    raise GrammarError(f"a quoted value has no closing {quote}", opening, len(text), hint)


def _bare(text: str, position: int) -> tuple[str, int]:
    out: list[str] = []
    while position < len(text) and text[position] not in _BLANKS:
        if text[position] == "\\":
            out.append(text[position + 1 : position + 2])
            position = min(position + 2, len(text))
        else:
            run = _BARE_RUN.match(text, position)
            assert run is not None
            out.append(run[0])
            position = run.end()
    return "".join(out), position


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write keyword/value pairs; a value is quoted where that is needed."""
    pieces: list[tuple[str, bool]] = []
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
        pieces += [(f"{between if pieces else ''}{name}=", False), (value, part.name in secrets)]
    return Rendered([(prefix, False), *pieces] if prefix else pieces, refused)


def _name(name: str) -> str:
    if _NAME.fullmatch(name) is None:
        raise CannotHold("its name holds a blank or an =")
    return name


def quote(value: str, mark: str = "'") -> str:
    r"""Quote a value where it is not plain: ``it's`` becomes ``'it\'s'``."""
    if _BARE.fullmatch(value):
        return value
    return mark + value.replace("\\", "\\\\").replace(mark, f"\\{mark}") + mark
