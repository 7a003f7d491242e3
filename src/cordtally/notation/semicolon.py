"""Semicolon-separated pairs, in the quoting of .NET, ODBC, PDO and DBI.

    text   = [prefix] [ pair *( ";" pair ) ] [";"]
    pair   = key "=" value
    .NET   : a value that begins with " or ' runs to the same mark, doubled inside; "==" in a key is one "="
    ODBC   : a value that begins with { runs to }, doubled inside; which keys take braces is up to the driver
    PDO    : a semicolon inside a value is doubled
    DBI    : nothing is quoted, and the driver may part pairs at colons, too

Sources: public documentation of .NET's DbConnectionStringBuilder (not checked against an installed one) and of
ODBC's SQLDriverConnect; psqlODBC 13.02 through unixODBC 2.3.11, tried.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal
from urllib.parse import unquote_plus

from ..text import Cursor, GrammarError, Piece, as_text, piece_of, piece_of_key
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, BaseDialect, is_no_url
from .remarks import Case, Remark

_PLAIN = re.compile(r"[A-Za-z0-9_./:,@%+*~^&!?\\-](?:[A-Za-z0-9_./:,@%+*~^&!?\\ -]*[A-Za-z0-9_./:,@%+*~^&!?\\-])?")
_BRACE_FREE = re.compile(r"[A-Za-z0-9_.-]+")
_BLANKS = " \t\r\n"
_QUOTES = {'"': '"', "'": "'"}
_BRACES = {"{": "}"}


class Dialect(BaseDialect):
    """How one driver quotes.

    ``quoting`` is ``either-quote``, ``braces``, ``doubled`` or ``none``; ``braced`` and ``percent`` list the keys that
    take braces (``*`` for all), and those whose unbraced value is percent-decoded; ``unnamed`` names the first values
    without a key, or, where ``bare_keys`` are ``next``, any such value, in turn, each with its further names behind
    a ``|``; ``keys`` are ``trimmed``, ``exact``, or ``exact-behind``: exact but for blanks after a separator;
    ``bare_keys``, without an equals sign, are otherwise ``refused`` or ``kept`` out; ``trims`` cuts blanks
    around bare values, and where ``value_ends`` are ``trimmed``, blanks at the end of every value are lost;
    ``separators`` part the pairs; ``bracketed`` lists the keys whose value may hold a colon inside [ and ];
    ``rest_is`` names the key that a text without any equals sign stands for.
    """

    synonyms: Literal["apart", "one"] = "one"
    quoting: Literal["either-quote", "braces", "doubled", "none"] = "braces"
    braced: tuple[str, ...] = ()
    percent: tuple[str, ...] = ()
    trims: bool = False
    unnamed: tuple[str, ...] = ()
    bare_keys: Literal["refused", "kept", "next"] = "refused"
    keys: Literal["trimmed", "exact", "exact-behind"] = "trimmed"
    value_ends: Literal["kept", "trimmed"] = "kept"
    separators: Literal[";", ":;"] = ";"
    bracketed: tuple[str, ...] = ()
    rest_is: str = ""


def looks_like(text: str) -> int:
    """Several pairs have a semicolon between them; a single pair may be one, too."""
    return LIKELY if is_no_url(text) and (";" in text or text.count("=") <= 1) else is_no_url(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take pairs apart.

    Raises
    ------
    GrammarError
        For a key without ``=``, a quote or brace that is never closed, or something after a closing one.
    """
    fields: list[Field] = [Field("scheme", None, prefix, 0, len(prefix), 0)] if prefix else []
    remarks: list[Remark] = []
    if dialect.quoting in {"doubled", "none"}:
        if dialect.rest_is and "=" not in text and len(text) > len(prefix):
            rest = len(prefix)
            fields.append(Field("option", dialect.rest_is, text[rest:], rest, len(text), rest))
        else:
            _parse_unquoted(text, len(prefix), dialect, fields)
        return Parsed(text, tuple(fields))
    folded = {name.casefold() for name in dialect.percent}
    braced = {name.casefold() for name in dialect.braced}
    cursor = Cursor(text, len(prefix))
    cursor.skip(";" + _BLANKS)
    while not cursor.at_end:
        whole = cursor.position
        name = _key(cursor, doubled=dialect.quoting == "either-quote")
        marks = _QUOTES if dialect.quoting == "either-quote" else _BRACES if _takes_braces(name, braced) else {}
        start, end, value = _value(cursor, marks, trims=dialect.trims)
        # psqlODBC 13 decodes PWD only where no braces protect it
        if name.casefold() in folded and text[start - 1 : start] != "{":
            value = unquote_plus(value, errors="surrogateescape")
        if not (value == "" and dialect.empty == "dropped"):
            fields.append(Field("option", name, value, start, end, whole))
        else:
            remarks.append(Remark(Case.EMPTY_IS_ABSENT, whole, cursor.position, {"name": name}))
        cursor.skip(";" + _BLANKS)
    return Parsed(text, tuple(fields), tuple(remarks))


def _takes_braces(name: str, braced: set[str]) -> bool:
    return "*" in braced or name.casefold() in braced


def _parse_unquoted(text: str, position: int, dialect: Dialect, fields: list[Field]) -> None:
    """Pairs without quotes: a separator ends the value, unless it is doubled or stands in brackets."""
    doubled, position_of_first = dialect.quoting == "doubled", position
    # a bracket that is never closed encloses nothing; looked up once, so that hostile texts take linear time
    last_bracket = text.rfind("]") if dialect.bracketed else -1
    # a value without a key stands for the next that has none yet, an empty one, too (DBD/mysql.pm: _OdbcParse)
    names = [one.split("|") for one in dialect.unnamed]
    first_of = {name: same[0] for same in names for name in same}
    named: set[str] = set()
    unkeyed: dict[str, Field] = {}
    while position < len(text):
        end = _end_of_unquoted(text, position, dialect, last_bracket)
        equals = text.find("=", position, end)
        given = len(fields) - (1 if position_of_first else 0)
        if equals < 0 and dialect.bare_keys == "next":
            name = next((same[0] for same in names if same[0] not in named), None)
            if name is not None:
                unkeyed[name] = Field("option", name, text[position:end], position, end, position)
                fields.append(unkeyed[name])
                named.add(name)
        elif equals < 0 and end > position and given < len(dialect.unnamed):
            # DBI: "dbi:mysql:tides:gauge.example:3306", in this order
            name = names[given][0]
            fields.append(Field("option", name, text[position:end], position, end, position))
        elif equals < 0 and end > position and text[position:end].strip() and dialect.bare_keys == "refused":
            raise GrammarError("a key has no = and value", position, end, "nothing is quoted here: did it end early?")
        if equals >= 0:
            start, name, value = equals + 1, text[position:equals], text[equals + 1 : end]
            if dialect.keys == "exact-behind" and position > position_of_first:
                name = name.lstrip()
            name = name.strip() if dialect.keys == "trimmed" else name
            if not name.strip():
                raise GrammarError("a key is missing before =", position, equals + 1)
            if dialect.bare_keys == "next":
                same = first_of.get(name, name)
                if same in unkeyed:  # what stands with its key counts
                    fields.remove(unkeyed.pop(same))
                named.add(same)
            if doubled:
                value = value.replace(";;", ";")
            # DBI takes brackets off only where something follows (DBD/mysql.pm: _OdbcParse)
            if dialect.bracketed and end < len(text) and value[:1] == "[" and value[-1:] == "]":
                start, value = start + 1, value[1:-1]
            if dialect.trims:
                start, value = start + len(value) - len(value.lstrip()), value.strip()
            stop = start + len(value) if not doubled else end
            fields.append(Field("option", name, value, start, stop, position))
        position = end + 1


def _end_of_unquoted(text: str, position: int, dialect: Dialect, last_bracket: int) -> int:
    bracket, doubled = False, dialect.quoting == "doubled"
    while position < len(text):
        character = text[position]
        if dialect.bracketed and character in "[]":
            bracket = character == "[" and position < last_bracket
        elif character in dialect.separators and not bracket:
            if not (doubled and text.startswith(";", position + 1)):
                return position
            position += 1
        position += 1
    return len(text)


def _key(cursor: Cursor, *, doubled: bool) -> str:
    """``key "="``, where a ``doubled`` = inside the key is one; give the key."""
    whole = cursor.position
    while True:
        _, end = cursor.take_until("=;")
        if doubled and cursor.take("=="):
            continue
        if not cursor.take("="):
            hint = "a value that holds ; must be quoted: did it end where you meant?"
            raise GrammarError("a key has no = and value", whole, end, hint)
        name = cursor.text[whole:end].strip()
        if doubled:
            name = name.replace("==", "=")
        if not name:
            raise GrammarError("a key is missing before =", whole, end + 1)
        return name


def _value(cursor: Cursor, marks: dict[str, str], *, trims: bool) -> tuple[int, int, str]:
    """Pass over a value, up to the semicolon after it; give its bounds, quotes left out, and the value.

    ``marks`` maps each opening mark that counts here to its closing one.
    """
    text = cursor.text
    if trims:
        cursor.skip(_BLANKS)
    closing = marks.get(cursor.here)
    if closing is None:
        start, after = cursor.take_until(";")
        end = start + len(text[start:after].rstrip()) if trims else after
        return start, end, text[start:end]
    cursor.position += 1
    start, end = cursor.take_doubled(closing, f"a value has no closing {closing}", f"write {closing} inside as two")
    after, stop = cursor.take_until(";")
    if text[after:stop].strip():
        raise GrammarError(f"only a semicolon may follow the closing {closing}", after, stop)
    return start, end, text[start:end].replace(closing * 2, closing)


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write pairs, each value quoted as its driver reads it."""
    pieces: list[Piece] = []
    refused: list[Refused] = []
    ends_bracketed = False
    braced = {name.casefold() for name in dialect.braced}
    for part in fields:
        name, value = part.name or "", as_text(part.value)
        try:
            if dialect.value_ends == "trimmed" and value != value.rstrip():
                raise CannotHold("the driver cuts blanks at the end of a value")  # noqa: TRY301 -- booked below
            if dialect.quoting == "either-quote":
                key, written = _dotnet_key(name), _dotnet_value(value)
            elif dialect.quoting == "braces":
                key, written = _odbc_key(name), _odbc_value(value, _takes_braces(name, braced))
            else:
                key, written = _bare_key(name, dialect), _bare_value(name, value, dialect)
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
            continue
        pieces += [piece_of_key(name, f"{';' if pieces else ''}{key}="), piece_of(part.value, written)]
        ends_bracketed = bool(dialect.bracketed) and written.endswith("]")
    if ends_bracketed:  # DBI takes brackets off only where something follows
        pieces.append(Piece(";"))
    return Rendered([Piece(prefix), *pieces] if prefix else pieces, refused)


def _bare_key(name: str, dialect: Dialect) -> str:
    if not name.strip() or name != name.strip() or not set(dialect.separators + "=[]").isdisjoint(name):
        raise CannotHold("its name cannot stand as a key here")
    return name


def _bare_value(name: str, value: str, dialect: Dialect) -> str:
    if dialect.trims and value != value.strip():
        raise CannotHold("the driver cuts blanks around a value")
    if dialect.quoting == "doubled":
        if value.startswith(";"):
            raise CannotHold("a semicolon is written as two, and cannot stand at the beginning of a value")
        return value.replace(";", ";;")
    if name in dialect.bracketed and ":" in value and set("[];").isdisjoint(value):
        return f"[{value}]"
    if not set(dialect.separators + ("[]" if dialect.bracketed else "")).isdisjoint(value):
        raise CannotHold(f"nothing is quoted here, and {' or '.join(dialect.separators)} would end the value")
    return value


def _dotnet_key(name: str) -> str:
    if not name.strip() or name != name.strip() or ";" in name or not name.isprintable() or name[0] in "='\"":
        raise CannotHold("its name cannot stand as a key here")
    return name.replace("=", "==")


def _dotnet_value(value: str) -> str:
    if value == "":
        raise CannotHold("an empty value counts as not given")
    if _PLAIN.fullmatch(value):
        return value
    return '"' + value.replace('"', '""') + '"'


def _odbc_key(name: str) -> str:
    if not name.strip() or name != name.strip() or not set(";={}").isdisjoint(name) or not name.isprintable():
        raise CannotHold("its name cannot stand as a keyword here")
    return name


def _odbc_value(value: str, braces: bool) -> str:
    if braces:
        return value if _BRACE_FREE.fullmatch(value) else "{" + value.replace("}", "}}") + "}"
    if ";" in value or value[:1] == "{":
        raise CannotHold("the driver takes this value as it stands, up to the next semicolon, and knows no quoting")
    return value
