"""The data-source name of go-sql-driver/mysql.

    text = [ user [":" password] "@" ] [ network ["(" address ")"] ] "/" database [ "?" key "=" value *( "&" ... ) ]

The last slash divides; the last @ before it ends the password; the first colon ends the user. Only parameter values
are escaped. Source: go-sql-driver/mysql 1.5.0, dsn.go.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from . import percent
from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Rendered, as_text

_PARAMETER = re.compile(r"[A-Za-z0-9_.:,-]+")
_LAST_COLON = re.compile(r"^(.*):(\d*)$", re.DOTALL)


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """go-sql-driver's rules; ``raw`` lists parameters whose value is not unescaped."""

    repeated: str = "last"
    empty: str = "kept"
    raw: tuple[str, ...] = ("collation",)
    positions: tuple[str, ...] = ("user", "password", "host", "port", "database")


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a DSN apart.

    Raises
    ------
    GrammarError
        Where the driver would refuse the text, too.
    """
    slash = text.rfind("/")
    if slash < 0:
        raise GrammarError(
            "the slash before the database is missing",
            len(text),
            len(text) + 1,
            "it stands there even without one",
        )
    fields: list[Field] = []
    at = text.rfind("@", 0, slash)
    if at >= 0:
        colon = text.find(":", 0, at)
        user_end = at if colon < 0 else colon
        if user_end:
            fields.append(Field("user", None, text[:user_end], 0, user_end, 0))
        if colon >= 0:
            fields.append(Field("password", None, text[colon + 1 : at], colon + 1, at, colon + 1))
    _address(text, at + 1, slash, fields)
    mark = text.find("?", slash)
    end = len(text) if mark < 0 else mark
    if end > slash + 1:
        fields.append(Field("database", None, text[slash + 1 : end], slash + 1, end, slash + 1))
    if mark >= 0:
        _parameters(text, mark + 1, dialect, fields)
    return Parsed(text, tuple(fields))


def _address(text: str, start: int, end: int, fields: list[Field]) -> None:
    bracket = text.find("(", start, end)
    network = text[start : bracket if bracket >= 0 else end]
    if bracket < 0:
        if network not in {"", "tcp", "unix"}:
            raise GrammarError(
                "an address stands in parentheses after its network",
                start,
                end,
                "write tcp(host:3306) or unix(/path)",
            )
        return
    if text[end - 1] != ")":
        raise GrammarError("the ( of the address has no ) before the slash", bracket, end)
    inner, inner_end = bracket + 1, end - 1
    if network not in {"tcp", "unix"}:
        raise GrammarError("the network is tcp or unix", start, bracket, "other networks must be registered in Go")
    address = text[inner:inner_end]
    if network == "unix":
        fields.append(Field("host", None, address, inner, inner_end, inner))
        return
    if address.startswith("["):
        close = address.find("]")
        if close < 0:
            raise GrammarError("the [ of an IPv6 address has no ]", inner, inner_end)
        fields.append(Field("host", None, address[1:close], inner + 1, inner + close, inner))
        port_at = close + 1
        rest = address[port_at:]
    else:
        colon = address.rfind(":")
        port_at = len(address) if colon < 0 else colon
        fields.append(Field("host", None, address[:port_at], inner, inner + port_at, inner))
        rest = address[port_at:]
    port = rest[1:]
    if rest and not (rest[0] == ":" and port.isascii() and port.isdigit()):
        raise GrammarError("a port is a number from 1 to 65535", inner + port_at, inner_end)
    if port:
        fields.append(Field("port", None, port, inner + port_at + 1, inner_end, inner + port_at + 1))


def _parameters(text: str, start: int, dialect: Dialect, fields: list[Field]) -> None:
    while start < len(text):
        end = text.find("&", start)
        end = len(text) if end < 0 else end
        equals = text.find("=", start, end)
        if equals >= 0:
            name, value = text[start:equals], text[equals + 1 : end]
            if name not in dialect.raw:
                if percent.find_bad_escape(value, 0, len(value)) >= 0:
                    raise GrammarError("% must be followed by two hexadecimal digits", equals + 1, end)
                value = percent.decode(value.replace("+", " "))
            fields.append(Field("option", name, value, equals + 1, end, start))
        start = end + 1


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write a DSN; what has no escape there is refused by name."""
    refused: list[Refused] = []
    user: list[tuple[str, bool]] = []
    address, database = "", ""
    query: list[tuple[str, bool]] = []
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role == "user":
                user.insert(0, (_user(value), False))
            elif part.role == "password":
                user += [(":", False), (value, True)]
            elif part.role == "host":
                address = _host(value)
            elif part.role == "port":
                if not address:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked like any other refusal
                address = address[:-1] + f":{part.value})"
            elif part.role == "database":
                database = _database(value)
            elif part.role == "option":
                pair = _pair(part.name or "", value, dialect)
                query += [
                    ("&" if query else "?", False),
                    (f"{pair[0]}=", False),
                    (pair[1], part.name in secrets),
                ]
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    if user:
        user.append(("@", False))
    return Rendered([*user, (f"{address}/{database}", False), *query], refused)


def _user(value: str) -> str:
    if ":" in value:
        raise CannotHold("nothing is escaped in a DSN, and the first colon ends the user name")
    return value


def _host(value: str) -> str:
    if value[:1] in {"/", "@"}:
        if "@" in value:
            raise CannotHold("nothing is escaped in a DSN, and an @ would end the password there")
        return f"unix({value})"
    if value == "" or not set("/()@?[] ").isdisjoint(value):
        raise CannotHold("nothing is escaped in a DSN: a host cannot be empty or hold / ( ) @ ? [ ] or a blank")
    return f"tcp([{value}])" if ":" in value else f"tcp({value})"


def _database(value: str) -> str:
    if value == "" or "/" in value or "?" in value:
        raise CannotHold("nothing is escaped in a DSN: a database name cannot be empty or hold / or ?")
    return value


def _pair(name: str, value: str, dialect: Dialect) -> tuple[str, str]:
    if name == "" or not set("&=/").isdisjoint(name):
        raise CannotHold("its name is empty or holds & = or /")
    if name in dialect.raw:
        if _PARAMETER.fullmatch(value) is None:
            raise CannotHold("the driver does not unescape this value, and it holds more than letters and digits")
        return name, value
    return name, percent.encode(value)
