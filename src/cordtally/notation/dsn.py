"""The data-source name of go-sql-driver/mysql.

    text = [ user [":" password] "@" ] [ network ["(" address ")"] ] "/" database [ "?" key "=" value *( "&" ... ) ]

The last slash divides; the last @ before it ends the password; the first colon ends the user. Only parameter values
are escaped. Source: go-sql-driver/mysql 1.5.0, dsn.go.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..text import Cursor, GrammarError, Piece, as_text, piece_of, piece_of_key
from . import percent
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import SURELY, BaseDialect, is_no_object

_PARAMETER = re.compile(r"[A-Za-z0-9_.:,-]+")
_FORM = re.compile(r"@(?:tcp|unix)?/(?!/)|(?:^|@)\w{0,8}\([^()]*\)(?:/|\?|$)|@(?:tcp|unix)\(")
NETWORK = "(network)"
_NETWORK = re.compile(r"[A-Za-z][A-Za-z0-9_+.-]{0,30}")
_OF_TCP = frozenset({"", "tcp", "tcp4", "tcp6"})
_NO_DEFAULTS = frozenset({"tcp4", "tcp6"})
_LONGEST = 65536  # beyond that a text is read only when its driver is named


class Dialect(BaseDialect):
    """go-sql-driver's rules; ``raw`` lists parameters whose value is not unescaped."""

    raw: tuple[str, ...] = ("collation",)
    positions: tuple[str, ...] = ("user", "password", "host", "port", "database")


def looks_like(text: str) -> int:
    """An address in parentheses before a slash, and no pair before it, is found nowhere else."""
    if len(text) > _LONGEST or "=" in text.partition("?")[0].rpartition("@")[2]:
        return is_no_object(text)
    return SURELY if _FORM.search(text) else is_no_object(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a DSN apart.

    Raises
    ------
    GrammarError
        Where the driver would refuse the text, too.
    """
    slash = text.rfind("/")
    if slash < 0:
        place = text.find("?") if "?" in text else len(text)
        hint = "it stands there even without one"
        raise GrammarError("the slash before the database is missing", place, place + 1, hint)
    fields: list[Field] = []
    at = text.rfind("@", 0, slash)
    if at >= 0:
        colon = text.find(":", 0, at)
        user_end = at if colon < 0 else colon
        if user_end:
            fields.append(Field("user", None, text[:user_end], 0, user_end, 0))
        if colon >= 0:
            fields.append(Field("password", None, text[colon + 1 : at], colon + 1, at, colon + 1))
    _address(Cursor(text, at + 1, slash), fields)
    cursor = Cursor(text, slash + 1)
    start, end = cursor.take_until("?")
    if end > start:
        fields.append(Field("database", None, text[start:end], start, end, start))
    if cursor.take("?"):
        _parameters(cursor, dialect, fields)
    return Parsed(text, tuple(fields))


def _address(cursor: Cursor, fields: list[Field]) -> None:
    """``[ network ["(" ( path | host [":" port] ) ")"] ]``, up to the slash."""
    text = cursor.text
    start, bracket = cursor.take_until("(")
    network = text[start:bracket]
    if not cursor.take("("):
        if network not in {"", "tcp", "unix"}:
            hint = "write tcp(host:3306) or unix(/path)"
            raise GrammarError("an address stands in parentheses after its network", start, bracket, hint)
        return
    if text[cursor.end - 1] != ")":
        raise GrammarError("the ( of the address has no ) before the slash", bracket, cursor.end)
    inner, end = bracket + 1, cursor.end - 1
    # without a name the network is tcp (go-sql-driver 1.9, dsn.go: normalize)
    if network not in {"", "tcp", "unix"}:
        if not _NETWORK.fullmatch(network):
            raise GrammarError("a network is a word, like tcp or unix", start, bracket, "did the password end early?")
        fields.append(Field("option", NETWORK, network, start, bracket, start))
    if network not in {"", "tcp", "unix"} and inner == end:
        raise GrammarError(
            f"this driver knows no default address for {network}", bracket, cursor.end, "write the address"
        )
    # only to a network of tcp does a port belong; others are registered in Go, and their addresses are their own
    if network not in _OF_TCP:
        fields.append(Field("host", None, text[inner:end], inner, end, inner))
        return
    if text.startswith("[", inner):
        close = text.find("]", inner, end)
        if close < 0:
            raise GrammarError("the [ of an IPv6 address has no ]", inner, end)
        fields.append(Field("host", None, text[inner + 1 : close], inner + 1, close, inner))
        port_at = close + 1
    else:
        colon = text.rfind(":", inner, end)
        # more than one colon, and no brackets: an IPv6 address without a port (dsn.go: ensureHavePort)
        if text.count(":", inner, end) > 1:
            colon = -1
        port_at = end if colon < 0 else colon
        fields.append(Field("host", None, text[inner:port_at], inner, port_at, inner))
    port = text[port_at + 1 : end]
    if text.startswith("[", inner) and not port:
        hint = "write it, as in [::1]:3306"
        raise GrammarError("this driver reads no default port beside an address in brackets", inner, end, hint)
    if network in _NO_DEFAULTS and not port:
        # dsn.go: normalize; the default address and port are those of tcp alone
        raise GrammarError(
            f"this driver reads no default port behind {network}", inner, end, f"write it, as in {network}(host:3306)"
        )
    if port_at < end and not (text[port_at] == ":" and port.isascii() and port.isdigit()):
        raise GrammarError("a port is a number from 1 to 65535", port_at, end)
    if port:
        fields.append(Field("port", None, port, port_at + 1, end, port_at + 1))


def _parameters(cursor: Cursor, dialect: Dialect, fields: list[Field]) -> None:
    """``key "=" value *( "&" key "=" value )``; what has no = is passed over, as the driver does."""
    text = cursor.text
    while not cursor.at_end:
        start, end = cursor.take_until("&")
        equals = text.find("=", start, end)
        if equals >= 0:
            name, value = text[start:equals], text[equals + 1 : end]
            if name not in dialect.raw:
                if percent.find_bad_escape(value, 0, len(value)) >= 0:
                    raise GrammarError("% must be followed by two hexadecimal digits", equals + 1, end)
                value = percent.decode(value.replace("+", " "))
            fields.append(Field("option", name, value, equals + 1, end, start))
        cursor.take("&")


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a DSN; what has no escape there is refused by name."""
    refused: list[Refused] = []
    user: list[Piece] = []
    address: list[Piece] = []
    port, database = "", Piece("")
    network = next((as_text(f.value) for f in fields if f.name == NETWORK), "")
    alone = {f.role for f in fields} & {"host", "port"} == {"host"}
    if not _NETWORK.fullmatch(network) or not (
        (alone and network not in _NO_DEFAULTS) or (not alone and network in _OF_TCP)
    ):
        network = ""
    query: list[Piece] = []
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role == "user":
                user.insert(0, piece_of(part.value, _user(value)))
            elif part.role == "password":
                user += [Piece(":"), piece_of(part.value, value)]
            elif part.role == "host":
                verbatim = network not in _OF_TCP and set("()/@").isdisjoint(value)
                usual, written = ("", value) if verbatim else _host(value)
                address = [Piece(f"{network or usual}("), piece_of(part.value, written), Piece(")")]
            elif part.role == "port":
                if not address:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked like any other refusal
                port = f":{value}"
            elif part.role == "database":
                database = piece_of(part.value, _database(value))
            elif part.name == NETWORK:
                if not network or not address or str(address[0].text) != f"{network}(":
                    raise CannotHold("it cannot stand before this address")  # noqa: TRY301 -- booked like any other
            elif part.role == "option":
                name, written = _pair(part.name or "", value, dialect)
                query += [piece_of_key(name, f"{'&' if query else '?'}{name}="), piece_of(part.value, written)]
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    if user:
        user.append(Piece("@"))
    if port:
        address.insert(2, Piece(port))
    return Rendered([*user, *address, Piece("/"), database, *query], refused)


def _user(value: str) -> str:
    if ":" in value:
        raise CannotHold("nothing is escaped in a DSN, and the first colon ends the user name")
    return value


def _host(value: str) -> tuple[str, str]:
    if value[:1] in {"/", "@"}:
        if "@" in value:
            raise CannotHold("nothing is escaped in a DSN, and an @ would end the password there")
        return "unix", value
    if value == "" or not set("/()@?[] ").isdisjoint(value):
        raise CannotHold("nothing is escaped in a DSN: a host cannot be empty or hold / ( ) @ ? [ ] or a blank")
    return "tcp", f"[{value}]" if ":" in value else value


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
