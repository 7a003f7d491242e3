"""Oracle's Easy Connect.

    text  = [ [protocol ":"] "//" ] host *( "," host ) "/" [service] [":" server] ["/" instance] ["?" pair *("&" pair)]
    host  = ( "[" IPv6 "]" | name ) [":" port]
    pair  = name "=" ( '"' value '"' | value )

A host without a port takes that of the next host that has one. Source: python-oracledb 26.1, tried through
ConnectParams.parse_connect_string; the public documentation of Easy Connect Plus for the parameters.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from ..text import Cursor, GrammarError, Piece, as_text, piece_of
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import NO, PERHAPS, SURELY, BaseDialect

_PROTOCOL = re.compile(r"([A-Za-z]+)://|//")
_HOST = re.compile(r"\[([^\]]*)\]|([^\[\]:/,;?]*)")
_PORT = re.compile(r":([0-9]*)")
_LOG_IN = re.compile(r"([^/@\s\"]*)(?:/([^@\s\"]*))?@(?=(?:tcps?:)?(?://)?[^@]*$)")
_TELLING = re.compile(
    r"(?:[^/@\s=;\"(]+/[^@\s=;(]*@)?(?://)?[\w.-]+:1521/[\w.-]+|[\w$#]+/[^@\s=;(:]*@(?://)?[\w.-]+(?::\d+)?/[\w.-]+$"
)
_LONGEST = 4096
_WORD = re.compile(r"[\w.-]+")
_BARE_HOST = re.compile(r"[^\[\]:/,;?()\s=\"]+")


class Dialect(BaseDialect):
    """With ``log_in`` a user and a password stand before an ``@``; of a parameter given twice the first one counts."""

    log_in: bool = False

    repeated: Literal["last", "first", "list"] = "first"
    positions: tuple[str, ...] = ("host", "port", "database")


def looks_like(text: str) -> int:
    """A log-in or the usual port tells it; else it has a colon or a slash, and is no descriptor and no object."""
    if len(text) <= _LONGEST and _TELLING.match(text):
        return SURELY
    return PERHAPS if text.lstrip()[:1] not in {"(", "{"} and not {":", "/"}.isdisjoint(text) else NO


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a text apart.

    Raises
    ------
    GrammarError
        For anything that python-oracledb would refuse, too.
    """
    fields: list[Field] = []
    cursor = Cursor(text)
    if dialect.log_in:
        _log_in(cursor, fields)
        if _WORD.fullmatch(text, cursor.position):
            fields.append(Field("alias", None, text[cursor.position :], cursor.position, len(text), cursor.position))
            return Parsed(text, tuple(fields))
    if (match := cursor.take_pattern(_PROTOCOL)) is not None and match[1]:
        fields.append(Field("option", "PROTOCOL", match[1], 0, match.end(1), 0))
    _hosts(cursor, fields)
    if cursor.take("/"):
        _service(cursor, fields)
    if cursor.take("?"):
        _parameters(cursor, fields)
    elif not cursor.at_end:
        raise cursor.error("this character cannot stand here", hint="write a descriptor instead")
    return Parsed(text, tuple(fields))


def _log_in(cursor: Cursor, fields: list[Field]) -> None:
    """``[ user [ "/" password ] "@" ]``, as python-oracledb parts it (parse_dsn_with_credentials)."""
    match = cursor.take_pattern(_LOG_IN)
    if match is None:
        return
    for group, role in ((1, "user"), (2, "password")):
        if match[group]:
            fields.append(Field(role, None, match[group], *match.span(group), match.start(group)))


def _hosts(cursor: Cursor, fields: list[Field]) -> None:
    """``host *( ( "," | ";" ) host )``; hosts wait for the next port."""
    waiting: list[Field] = []
    while True:
        whole = cursor.position
        match = cursor.take_pattern(_HOST)
        assert match is not None
        group = 1 if match[1] is not None else 2
        waiting.append(Field("host", None, match[group], match.start(group), match.end(group), whole))
        found = cursor.take_pattern(_PORT)
        if found is not None and found[1]:
            port = Field("port", None, found[1], *found.span(1), found.start(1))
            for host in waiting[:-1]:
                fields += (host, port._replace(start=host.end, end=host.end, whole=host.end))
            fields += (waiting[-1], port)
            waiting = []
        if not (cursor.take(",") or cursor.take(";")):
            fields += waiting
            return


def _service(cursor: Cursor, fields: list[Field]) -> None:
    """``[service] [":" server] ["/" instance]``."""
    if (match := cursor.take_pattern(_WORD)) is not None:
        if not _is_word(match[0]):
            raise GrammarError("a service's name has letters and digits, _ . and -", *match.span())
        fields.append(Field("database", None, match[0], *match.span(), match.start()))
    for mark, name in ((":", "SERVER"), ("/", "INSTANCE_NAME")):
        if cursor.take(mark):
            match = cursor.take_pattern(_WORD)
            if match is None:
                raise cursor.error(f"a name is missing after {mark}", start=cursor.position - 1)
            fields.append(Field("option", name, match[0], *match.span(), match.start()))


def _parameters(cursor: Cursor, fields: list[Field]) -> None:
    """``pair *( "&" pair )``."""
    text = cursor.text
    while not cursor.at_end:
        whole, equals = cursor.take_until("=")
        if not cursor.take("="):
            raise GrammarError("a parameter has no = and value", whole, equals, "write it as name=value")
        name = text[whole:equals].strip()
        if _WORD.fullmatch(name) is None:
            raise GrammarError("this is no name of a parameter", whole, equals)
        start = cursor.position
        if cursor.take('"'):
            start, end = cursor.take_until('"')
            if not cursor.take('"'):
                raise GrammarError('a quoted value has no closing "', start - 1, cursor.end)
        else:
            start, end = cursor.take_until("&")
            if '"' in text[start:end]:
                raise GrammarError('a " may only stand around a whole value', start, end)
        fields.append(Field("option", name.upper(), text[start:end], start, end, whole))
        if not cursor.at_end:
            cursor.expect("&", "only & may follow a quoted value")


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a text; what has no quoting here is refused by name."""
    refused: list[Refused] = []
    alias: Piece | None = None
    protocol, service, server, instance = "", Piece(""), "", Piece("")
    hosts: list[Piece] = []
    pairs: list[Piece] = []
    log_in: list[Piece] = []
    last_port = max((index for index, part in enumerate(fields) if part.role == "port"), default=-1)
    orphan = False  # a port whose host was refused goes with it
    for index, part in enumerate(fields):
        value, name = as_text(part.value), (part.name or "").upper()
        try:
            if dialect.log_in and "@" in value and part.role not in {"user", "password"}:
                raise CannotHold("an @ parts the log-in from the rest")  # noqa: TRY301 -- booked below
            if part.role in {"user", "password"}:
                if not value or not set('/@"').isdisjoint(value) or any(c.isspace() for c in value):
                    raise CannotHold("a log-in here is not empty, and holds no / @ quotes or blanks")  # noqa: TRY301
                log_in += [Piece("/" if part.role == "password" else ""), piece_of(part.value, value)]
            elif part.role == "alias":
                alias = piece_of(part.value, _word(value))
            elif part.role == "host":
                orphan = True
                follower = next((f.role for f in fields[index + 1 : index + 3] if f.role in {"host", "port"}), None)
                if follower != "port" and index < last_port:
                    raise CannotHold("a host without a port takes the next one's here")  # noqa: TRY301
                hosts += [Piece("," if hosts else ""), piece_of(part.value, _host_text(value))]
                orphan = False
            elif part.role == "port":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                hosts.append(Piece(f":{value}"))
            elif part.role == "database":
                service = piece_of(part.value, _word(value))
            elif name == "PROTOCOL":
                protocol = f"{_word(value)}://"
            elif name == "SERVER":
                server = f":{_word(value)}"
            elif name == "INSTANCE_NAME":
                instance = piece_of(part.value, f"/{_word(value)}")
            else:
                pairs += _pair(_word(name).lower(), part.value, lead="&" if pairs else "?")
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    if log_in:
        log_in.append(Piece("@"))
    if alias is not None:
        return Rendered([*log_in, alias], refused)
    return Rendered([*log_in, Piece(protocol), *hosts, Piece("/"), service, Piece(server), instance, *pairs], refused)


def _is_word(value: str) -> bool:
    """Letters and digits, and no fractions: python-oracledb does not take what has a number's worth only (¼)."""
    fractions = not value.isascii() and any(c.isnumeric() and not (c.isdigit() or c.isalpha()) for c in value)
    return _WORD.fullmatch(value) is not None and not fractions


def _word(value: str) -> str:
    if not _is_word(value):
        raise CannotHold("Easy Connect takes letters, digits, _ . and - here: a descriptor would hold it")
    return value


def _host_text(value: str) -> str:
    if ":" in value and not set("[] ").intersection(value):
        return f"[{value}]"
    if _BARE_HOST.fullmatch(value) is None:
        raise CannotHold("a host name here is not empty and holds none of [ ] : / , ; ? ( ) = or blanks")
    return value


def _pair(name: str, given: object, *, lead: str) -> list[Piece]:
    value = as_text(given)
    if '"' in value:
        raise CannotHold("Easy Connect has no escape for a double quote")
    mark = "" if _is_word(value) else '"'
    return [Piece(f"{lead}{name}={mark}"), piece_of(given, value), Piece(mark)]
