"""Oracle's Easy Connect.

    text  = [ [protocol ":"] "//" ] host *( "," host ) "/" [service] [":" server] ["/" instance] ["?" pair *("&" pair)]
    host  = ( "[" IPv6 "]" | name ) [":" port]
    pair  = name "=" ( '"' value '"' | value )

A host without a port takes that of the next host that has one. Source: python-oracledb 26.1, tried through
ConnectParams.parse_connect_string; the public documentation of Easy Connect Plus for the parameters.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Rendered, as_text

_PROTOCOL = re.compile(r"([A-Za-z]+)://|//")
_HOST = re.compile(r"\[([^\]]*)\]|([^\[\]:/,;?]*)")
_WORD = re.compile(r"[\w.-]+")


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """No flags; of a parameter given twice the first one counts."""

    repeated: str = "first"
    empty: str = "kept"
    positions: tuple[str, ...] = ("host", "port", "database")


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a text apart.

    Raises
    ------
    GrammarError
        For anything that python-oracledb would refuse, too.
    """
    fields: list[Field] = []
    position = 0
    if (match := _PROTOCOL.match(text)) is not None:
        if match[1]:
            fields.append(Field("option", "PROTOCOL", match[1], 0, match.end(1), 0))
        position = match.end()
    position = _hosts(text, position, fields)
    if text[position : position + 1] == "/":
        position = _service(text, position + 1, fields)
    if text[position : position + 1] == "?":
        _parameters(text, position + 1, fields)
    elif position < len(text):
        raise GrammarError("this character cannot stand here", position, position + 1, "write a descriptor instead")
    return Parsed(text, tuple(fields))


def _hosts(text: str, position: int, fields: list[Field]) -> int:
    waiting: list[Field] = []
    while True:
        match = _HOST.match(text, position)
        assert match is not None
        group = 1 if match[1] is not None else 2
        waiting.append(Field("host", None, match[group], match.start(group), match.end(group), position))
        position = match.end()
        if text[position : position + 1] == ":":
            end = position + 1
            while end < len(text) and text[end].isascii() and text[end].isdigit():
                end += 1
            if end > position + 1:
                port = Field("port", None, text[position + 1 : end], position + 1, end, position + 1)
                for host in waiting[:-1]:
                    fields += (host, port._replace(start=host.end, end=host.end, whole=host.end))
                fields += (waiting[-1], port)
                waiting = []
            position = end
        if text[position : position + 1] not in {",", ";"}:
            fields += waiting
            return position
        position += 1


def _service(text: str, position: int, fields: list[Field]) -> int:
    match = _WORD.match(text, position)
    if match is not None:
        fields.append(Field("database", None, match[0], position, match.end(), position))
        position = match.end()
    for mark, name in ((":", "SERVER"), ("/", "INSTANCE_NAME")):
        if text[position : position + 1] == mark:
            match = _WORD.match(text, position + 1)
            if match is None:
                raise GrammarError(f"a name is missing after {mark}", position, position + 1)
            fields.append(Field("option", name, match[0], position + 1, match.end(), position + 1))
            position = match.end()
    return position


def _parameters(text: str, position: int, fields: list[Field]) -> None:
    while position < len(text):
        equals = text.find("=", position)
        if equals < 0:
            raise GrammarError("a parameter has no = and value", position, len(text), "write it as name=value")
        name = text[position:equals].strip()
        if _WORD.fullmatch(name) is None:
            raise GrammarError("this is no name of a parameter", position, equals)
        start = equals + 1
        if text[start : start + 1] == '"':
            end = text.find('"', start + 1)
            if end < 0:
                raise GrammarError('a quoted value has no closing "', start, len(text))
            start, after = start + 1, end + 1
        else:
            ampersand = text.find("&", start)
            end = after = len(text) if ampersand < 0 else ampersand
            if '"' in text[start:end]:
                raise GrammarError('a " may only stand around a whole value', start, end)
        fields.append(Field("option", name.upper(), text[start:end], start, end, position))
        if after < len(text) and text[after] != "&":
            raise GrammarError("only & may follow a quoted value", after, after + 1)
        position = after + 1


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write a text; what has no quoting here is refused by name."""
    refused: list[Refused] = []
    protocol, service, server, instance = "", "", "", ""
    hosts: list[str] = []
    pairs: list[str] = []
    for index, part in enumerate(fields):
        value, name = as_text(part.value), (part.name or "").upper()
        try:
            if part.role == "host":
                follower = next((f.role for f in fields[index + 1 :] if f.role in {"host", "port"}), None)
                later = any(f.role == "port" for f in fields[index + 1 :])
                if follower != "port" and later:
                    raise CannotHold("a host without a port takes the next one's here")  # noqa: TRY301
                hosts.append(_host_text(value))
            elif part.role == "port":
                if fields[index - 1] in [r.field for r in refused]:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                hosts[-1] += f":{value}"
            elif part.role == "database":
                service = _word(value)
            elif name == "PROTOCOL":
                protocol = f"{_word(value)}://"
            elif name == "SERVER":
                server = f":{_word(value)}"
            elif name == "INSTANCE_NAME":
                instance = f"/{_word(value)}"
            else:
                pairs.append(f"{_word(name).lower()}={_quoted(value)}")
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    query = "?" + "&".join(pairs) if pairs else ""
    return Rendered([(f"{protocol}{','.join(hosts)}/{service}{server}{instance}{query}", False)], refused)


def _word(value: str) -> str:
    if _WORD.fullmatch(value) is None:
        raise CannotHold("Easy Connect takes letters, digits, _ . and - here: a descriptor would hold it")
    return value


def _host_text(value: str) -> str:
    if ":" in value and not set("[] ").intersection(value):
        return f"[{value}]"
    if not value or re.fullmatch(r"[^\[\]:/,;?()\s=\"]+", value) is None:
        raise CannotHold("a host name here is not empty and holds none of [ ] : / , ; ? ( ) = or blanks")
    return value


def _quoted(value: str) -> str:
    if '"' in value:
        raise CannotHold("Easy Connect has no escape for a double quote")
    return value if _WORD.fullmatch(value) else f'"{value}"'
