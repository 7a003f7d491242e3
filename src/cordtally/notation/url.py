"""The URL grammar in its dialects: plain URLs, toolkit URLs, JDBC URLs, file URIs.

    text      = prefix [ user [":" password] "@" ] host *("," host) ["/" database] ["?" pair *("&" pair)]
    host      = ( "[" IPv6 "]" | name ) [":" port]
    pair      = key ["=" value]

Source: RFC 3986 for the shape and the escapes; how each driver departs from it stands in the flags.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import cache

from . import percent
from .parts import Field, GrammarError, Parsed, Remark
from .url_writing import render

__all__ = ["Dialect", "parse", "render"]

_DIGITS = re.compile(r"[0-9]{1,9}")
_ADDRESS = re.compile(r"(?:address=)?((?:\((?:[^()=]+=[^()]*)\))+)", re.IGNORECASE)
_PROPERTY = re.compile(r"([A-Za-z]+)=([^(),]*)")
_BLANK = re.compile(r"[ \t\n\r\v\f]")
_ESCAPED = re.compile(r"(?:[A-Za-z0-9._~-]+|%[0-9A-Fa-f]{2})*")
_TROUBLE = frozenset("@/?#:[] %&+")


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """How one driver departs from RFC 3986.

    ``positions`` lists what has a place of its own, everything else being an option. ``at`` says which ``@`` ends the
    user part: ``first`` or ``last``, before any of ``user_info_stops``; with ``user_refuses`` the first colon decides.
    ``escaping`` is ``percent`` or ``none``; ``bad_escapes``, a ``%`` without two digits, are ``kept`` or ``refused``;
    ``plus`` in the query, and ``database_plus`` in the database, is ``literal`` or a ``blank``; of ``repeated`` keys
    the ``last`` or ``first`` wins, or they make a ``list``; ``empty`` values are ``kept`` or ``dropped``; a
    ``fragment`` is ``kept`` (it belongs to what stands before it) or ``dropped``; ``blanks`` are ``kept`` or
    ``refused``; the ``slash`` before the database is ``optional``, ``required``, always ``written`` though not
    required, or only ``before-database``; ``raw_slash`` inside the database is ``kept`` or ``refused``, and
    ``leading_slashes`` of it ``kept`` or ``dropped``; escapes of ``database_keeps`` characters stay as they are in it,
    and dot segments vanish (WHATWG URL, decodeURI); ``special`` replaces whole pairs.
    """

    positions: tuple[str, ...] = ("user", "password", "host", "port", "database")
    at: str = "first"
    user_info_stops: str = "/?#"
    user_refuses: str = ""
    escaping: str = "percent"
    plus: str = "literal"
    host_escaped: bool = False
    multi_host: bool = False
    repeated: str = "last"
    empty: str = "kept"
    fragment: str = "kept"
    blanks: str = "kept"
    slash: str = "optional"
    raw_slash: str = "kept"
    leading_slashes: str = "kept"
    bad_escapes: str = "refused"
    database_keeps: str = ""
    database_plus: str = "literal"
    port_range: bool = False
    equals_optional: bool = False
    opaque: bool = False
    special: dict[str, str] = field(default_factory=dict)
    user_plus: str = "literal"
    user_strict: bool = False
    path: str = "database"
    database_refuses: str = ""
    database_ends: str = ""
    separators: str = "&"
    one_equals: bool = False
    dot_segments: bool = False
    path_option: str = ""
    database_raw: bool = False
    address_lists: bool = False
    host_after_user: bool = False


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a URL apart.

    Raises
    ------
    GrammarError
        Where the driver would refuse the text, too.
    """
    escaped = dialect.escaping == "percent"
    if dialect.blanks == "refused":
        _refuse_blanks(text)
    position = len(prefix)
    fields = [Field("scheme", None, prefix, 0, position, 0)]
    remarks: list[Remark] = []
    if dialect.opaque:
        position = _skip_authority(text, position)
    elif "user" in dialect.positions:
        position = _user_part(text, position, dialect, fields, remarks)
    authority = position
    if "host" in dialect.positions:
        position = _hosts(text, position, dialect, fields)
        if dialect.host_after_user and fields[-1].role in {"user", "password"}:
            raise GrammarError("a host is missing behind the @", authority, authority + 1)
    if escaped and "%" in text:
        _refuse_bad_escapes(text, 0, len(text) if dialect.host_escaped else authority, dialect)
        if not dialect.host_escaped:
            _refuse_bad_escapes(text, position, len(text), dialect)
    position = _database(text, position, dialect, fields)
    if position < len(text) and text[position] == "?":
        _query(text, position + 1, dialect, fields)
    return Parsed(text, tuple(fields), tuple(remarks))


def _refuse_blanks(text: str) -> None:
    if (blank := _BLANK.search(text)) is not None:
        raise GrammarError("a blank is not allowed here", blank.start(), blank.end(), "write a blank as %20")


def _refuse_bad_escapes(text: str, start: int, end: int, dialect: Dialect) -> None:
    bad = percent.find_bad_escape(text, start, end) if dialect.bad_escapes == "refused" else -1
    if bad >= 0:
        raise GrammarError(
            "% must be followed by two hexadecimal digits",
            bad,
            min(bad + 3, len(text)),
            "write a plain % as %25",
        )
    zero = text.find("%00", start, end)
    if zero >= 0:
        raise GrammarError("a NUL character (%00) cannot be passed", zero, zero + 3)


def _skip_authority(text: str, position: int) -> int:
    """``file://localhost/path`` and ``file:///path`` lead to the path; any other host is refused (SQLite's rule)."""
    if not text.startswith("//", position):
        return position
    slash = text.find("/", position + 2)
    slash = len(text) if slash < 0 else slash
    if text[position + 2 : slash] not in {"", "localhost"}:
        raise GrammarError("a file URI names no host but localhost", position + 2, slash, "write file:/path")
    return slash


def _user_part(text: str, start: int, dialect: Dialect, fields: list[Field], remarks: list[Remark]) -> int:
    limit = _end_of(text, start, dialect.user_info_stops) if dialect.user_info_stops else len(text)
    colon = text.find(":", start, limit)
    if dialect.user_refuses:
        slash = text.find(dialect.user_refuses, start, limit)
        run = min(p for p in (colon, slash, limit) if p >= 0)
        at = text.find("@", colon, limit) if colon == run else -1
        if at < 0:
            colon, at = -1, text.rfind("@", start, run)
    elif dialect.at == "last":
        at = text.rfind("@", start, limit)
    else:
        at = text.find("@", start, limit)
    if at < 0:
        return start
    if colon > at:
        colon = -1
    if dialect.user_strict:
        _refuse_loose_user(text, start, at, colon)
    user_end = at if colon < 0 else colon
    if user_end > start:
        raw = text[start:user_end]
        fields.append(Field("user", None, _unescape(raw, dialect), start, user_end, start))
        _remark_raw("user name", raw, start, user_end, remarks)
    if colon >= 0:
        raw = text[colon + 1 : at]
        fields.append(Field("password", None, _unescape(raw, dialect), colon + 1, at, colon + 1))
        _remark_raw("password", raw, colon + 1, at, remarks)
    return at + 1


def _unescape(raw: str, dialect: Dialect) -> str:
    return percent.decode(raw.replace("+", " ") if dialect.user_plus == "blank" else raw)


def _refuse_loose_user(text: str, start: int, at: int, colon: int) -> None:
    place = text.find("@", start, at)
    if place < 0 and colon >= 0:
        place = text.find(":", colon + 1, at)
    if place >= 0:
        hint = f"write it as {percent.encode(text[place])}"
        raise GrammarError("this character must be escaped in a user name or password", place, place + 1, hint)
    if at in {start, colon + 1} and colon <= start:
        raise GrammarError("a user name is missing before the @", start, at + 1)


def _remark_raw(what: str, raw: str, start: int, end: int, remarks: list[Remark]) -> None:
    if raw.isalnum() or _TROUBLE.isdisjoint(raw) or _ESCAPED.fullmatch(raw):
        return
    found = [c for c in dict.fromkeys(raw) if c in _TROUBLE and c not in "%+"]
    bad = percent.find_bad_escape(raw, 0, len(raw)) >= 0
    if found or bad:
        shown = " ".join("a blank" if c == " " else c for c in found + (["%"] if bad else []))
        first = "%25" if not found else percent.encode(found[0])
        remarks.append(
            Remark(
                "needs-escaping",
                f"the {what} holds {shown} unescaped; other drivers end it there",
                start,
                end,
                f"percent-encode it ({'%' if not found else found[0]} becomes {first})",
            )
        )


def _hosts(text: str, position: int, dialect: Dialect, fields: list[Field]) -> int:
    length = len(text)
    while True:
        if dialect.address_lists and (match := _ADDRESS.match(text, position)) is not None:
            end = _address(text, match, fields)
        elif position < length and text[position] == "[":
            close = text.find("]", position)
            if close < 0:
                raise GrammarError("the [ of an IPv6 address has no ]", position, length)
            if close == position + 1:
                raise GrammarError("an IPv6 address is missing between [ and ]", position, close + 1)
            raw = text[position + 1 : close]
            value = percent.decode(raw) if dialect.host_escaped else raw
            fields.append(Field("host", None, value, position + 1, close, position))
            end = close + 1
            if end < length and text[end] not in ":/?" + ("," if dialect.multi_host else ""):
                raise GrammarError("after ] a colon and a port, a slash or the end must follow", end, end + 1)
        else:
            end = _end_of(text, position, ":/?,#" if dialect.multi_host else ":/?#")
            if end < length and text[end] == "#" and dialect.fragment == "kept":
                end = _end_of(text, end, ":/?," if dialect.multi_host else ":/?")
            raw = text[position:end]
            if raw or (end < length and text[end] in ":,"):
                value = percent.decode(raw) if dialect.host_escaped else raw
                fields.append(Field("host", None, value, position, end, position))
        if end < length and text[end] == ":":
            end = _port(text, end + 1, dialect, fields)
        if end < length and text[end] == "," and dialect.multi_host:
            position = end + 1
            continue
        return end


def _address(text: str, match: re.Match[str], fields: list[Field]) -> int:
    """Read a host that is written as a list of properties; those that are not its place become options."""
    pairs = list(_PROPERTY.finditer(text, match.start(1), match.end()))
    for wanted in ("host", "port"):
        for pair in pairs:
            if pair[1].lower() == wanted:
                start, end = pair.span(2)
                fields.append(Field(wanted, None, text[start:end], start, end, pair.start()))
    return match.end()


def _port(text: str, start: int, dialect: Dialect, fields: list[Field]) -> int:
    end = _end_of(text, start, "/?,#" if dialect.multi_host else "/?#")
    raw = text[start:end]
    if raw and not (raw.isascii() and raw.isdigit()):
        raise GrammarError(
            "a port is a number from 1 to 65535",
            start,
            end,
            "a user name or password with @ : / ? # or % in it must be percent-encoded: did it end where you meant?",
        )
    if dialect.port_range and raw and not 1 <= int(raw[:9]) <= 65535:
        raise GrammarError("a port is a number from 1 to 65535", start, end)
    if raw:
        fields.append(Field("port", None, raw, start, end, start))
    return end


@cache
def _any_of(characters: str) -> re.Pattern[str]:
    return re.compile(f"[{re.escape(characters)}]")


def _end_of(text: str, start: int, stops: str) -> int:
    """The first of several characters; a search that stops there keeps the whole linear."""
    match = _any_of(stops).search(text, start)
    return len(text) if match is None else match.start()


def _database(text: str, position: int, dialect: Dialect, fields: list[Field]) -> int:
    length = len(text)
    if dialect.slash == "required" and (position >= length or text[position] != "/"):
        raise GrammarError("a slash must follow the host, even without a database", position, position + 1)
    if dialect.opaque:
        start = position
    elif position < length and text[position] == "/":
        start = position if dialect.path == "socket" else position + 1
    else:
        return position
    end = text.find("?", start)
    end = length if end < 0 else end
    if dialect.fragment == "dropped":
        end = min(end, _end_of(text, start, "#"))
    if dialect.path == "socket":
        fields.append(Field("socket", None, percent.decode(text[start:end]), start, end, start))
        return _past_path(text, end, dialect)
    if dialect.database_ends:
        end = _end_of(text, start, dialect.database_ends + "?")
    if dialect.raw_slash == "refused" and text.find("/", start, end) >= 0:
        place = text.find("/", start, end)
        raise GrammarError("a slash inside the database name must be escaped", place, place + 1, "write it as %2F")
    if end > start:
        value = text[start:end]
        if dialect.escaping == "percent" and not dialect.database_raw:
            value = percent.decode(value.replace("+", " ") if dialect.database_plus == "blank" else value)
        if dialect.database_keeps:
            value = _decode_but(text[start:end], dialect.database_keeps)
        if dialect.leading_slashes == "dropped":
            value = value.lstrip("/")
        if dialect.path == "number":
            value = value.replace("/", "")
        if not _DIGITS.fullmatch(value) if dialect.path == "number" else False:
            return _past_path(text, end, dialect)
        bad = next((c for c in dialect.database_refuses if c in value), None)
        if bad is not None:
            raise GrammarError("a database name cannot hold this character", start, end)
        if dialect.path_option:
            fields.append(Field("option", dialect.path_option, value, start, end, start))
            return _past_path(text, end, dialect)
        role = "instance" if dialect.path == "instance" else "database"
        if role == "database" or fields[-1].role in {"host", "port"}:
            fields.append(Field(role, None, value, start, end, start))
    return _past_path(text, end, dialect)


def _past_path(text: str, end: int, dialect: Dialect) -> int:
    if dialect.database_ends and end < len(text) and text[end] != "?":
        return _end_of(text, end, "?")
    return len(text) if end < len(text) and text[end] == "#" and dialect.fragment == "dropped" else end


def _decode_but(raw: str, kept: str) -> str:
    """Decode all escapes but those of some characters, as JavaScript's decodeURI does."""
    pieces = re.split("(" + "|".join(f"%{ord(c):02X}" for c in kept) + ")", raw, flags=re.IGNORECASE)
    return "".join(piece if index % 2 else percent.decode(piece) for index, piece in enumerate(pieces))


def _query(text: str, start: int, dialect: Dialect, fields: list[Field]) -> None:
    length = len(text)
    if dialect.fragment == "dropped":
        length = _end_of(text, start, "#")
    blank_plus, escaped = dialect.plus == "blank", dialect.escaping == "percent"
    separator = next((c for c in dialect.separators if text.find(c, start, length) >= 0), "&")
    while start < length:
        end = text.find(separator, start, length)
        end = length if end < 0 else end
        equals = text.find("=", start, end)
        if dialect.one_equals and equals >= 0 and text.find("=", equals + 1, end) >= 0:
            place = text.find("=", equals + 1, end)
            raise GrammarError("a value holds a second =", place, place + 1, "write it as %3D")
        if equals < 0 and end > start and not dialect.equals_optional and dialect.repeated != "list":
            raise GrammarError("a parameter has no = and value", start, end, "write it as name=value")
        if end > start and not (dialect.empty == "dropped" and equals in {-1, end - 1}):
            key_end = end if equals < 0 else equals
            key, value = text[start:key_end], text[key_end + 1 : end]
            if blank_plus:
                key, value = key.replace("+", " "), value.replace("+", " ")
            if escaped:
                if "%" in value:
                    value = percent.decode(value)
                if "%" in key:
                    key = percent.decode(key)
            if dialect.special and f"{key}={value}" in dialect.special:
                key, _, value = dialect.special[f"{key}={value}"].partition("=")
            fields.append(Field("option", key, value, min(key_end + 1, end), end, start))
        start = end + 1
