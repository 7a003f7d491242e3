"""The authority of a URL: who logs in, and at which hosts.

user-info = user [ ":" password ]
hosts     = host *( "," host )
host      = ( "[" IPv6 "]" | name | list of properties ) [ ":" port ]
"""

from __future__ import annotations

import re
from functools import cache
from typing import TYPE_CHECKING, Literal

from ..patterns import pattern
from ..records import Record
from ..text import GrammarError
from . import percent
from .fields import CannotHold, Field
from .remarks import Case, Remark

if TYPE_CHECKING:
    from .url import Dialect

_ADDRESS = pattern(r"(?:address=)?((?:\((?:[^()=]+=[^()]*)\))+)", re.IGNORECASE)
_PROPERTY = pattern(r"([A-Za-z]+)=([^(),]*)")
_ESCAPED = pattern(r"(?:[A-Za-z0-9._~-]+|%[0-9A-Fa-f]{2})*")
_ASCII_ESCAPE = pattern(r"%[0-7][0-9A-Fa-f]|[ \\^`{|}]")
_TROUBLE = frozenset("@/?#:[] %&+")
_PORT_HINT = "a user name or password with @ : / ? # or % in it must be percent-encoded: did it end where you meant?"


class User(Record):
    """How the user info is read.

    ``at`` says which ``@`` ends it: the ``first`` or the ``last``, before any of ``stops``; where the first colon must
    come before a ``colon_before``, as libpq has it, that decides instead. With ``plus`` = ``blank`` a ``+`` is one;
    ``allowed`` lists all that may stand there beside ASCII letters and digits, where it lists anything; where an @
    ``behind`` the authority is ``refused``, it shows a part that ended early; ``strict`` refuses what must be escaped
    and a password without a user; ``needs_host`` refuses an ``@`` at the end.
    """

    at: Literal["first", "last"] = "first"
    stops: str = "/?#"
    colon_before: Literal["", "/"] = ""
    plus: Literal["literal", "blank"] = "literal"
    allowed: str = ""
    behind: Literal["kept", "refused"] = "kept"
    strict: bool = False
    needs_host: bool = False


class Hosts(Record):
    """How hosts are read: ``escaped`` ones are decoded, ``several`` are parted by commas.

    ``bare`` ones, empty, or with an escape outside of sockets and brackets, are ``kept`` or ``refused``, ``dropped``,
    or ``dropped-but-one``, where empty, or, where empty, ``refused-in-lists``, ``refused-if-alone`` or
    ``refused-if-empty``; with ``port_needs_host`` no port stands alone; ``ports`` are each host's ``own``, or
    ``shifted`` to the first hosts; ``zones`` of IPv6 are ``kept``, ``refused``, or wanted ``before-port``. An
    ``empty_port``, a colon with nothing behind it, is ``kept`` or ``refused``, a ``zero_port`` is ``kept`` or
    ``dropped``. With ``empty_last`` a comma at the end names one more host, the default one; ``port_range`` refuses a
    port beyond 65535, or below ``least_port``; a port stands behind the ``first`` colon or the ``last``, as
    ``port_at`` says; ``ascii_escapes`` are ``kept`` or ``refused``; ``bare_ipv6`` addresses, without a port, are
    ``kept`` or ``refused``; ``unbracketed`` ones are ``refused``, or taken ``whole``; ``behind_port``, a second colon
    and what follows it are ``refused`` or ``dropped``; with ``octal_ports`` a 0 at the beginning makes one octal; with
    ``address_lists`` a host may be written ``(host=…)(port=…)``.
    """

    several: bool = False
    empty_last: bool = False
    bare: Literal["kept", "refused", "refused-in-lists", "refused-if-empty", "refused-if-alone", "dropped", "dropped-but-one"] = "kept"
    port_needs_host: bool = False
    zones: Literal["kept", "refused", "before-port"] = "kept"
    empty_port: Literal["kept", "refused"] = "kept"
    zero_port: Literal["kept", "dropped"] = "kept"
    escaped: bool = False
    port_range: bool = False
    least_port: int = 0
    ports: Literal["own", "shifted"] = "own"
    port_at: Literal["first", "last"] = "first"
    bare_ipv6: Literal["kept", "refused"] = "kept"
    unbracketed: Literal["refused", "whole"] = "refused"
    octal_ports: bool = False
    behind_port: Literal["refused", "dropped"] = "refused"
    ascii_escapes: Literal["kept", "refused"] = "kept"
    address_lists: bool = False


@cache
def _any_of(characters: str) -> re.Pattern[str]:
    return re.compile(f"[{re.escape(characters)}]")


def end_of(text: str, start: int, stops: str) -> int:
    """Find the first of several characters; a search that stops there keeps the whole linear."""
    match = _any_of(stops).search(text, start)
    return len(text) if match is None else match.start()


def parse_user(text: str, start: int, flags: User, fields: list[Field], remarks: list[Remark]) -> int:
    """``[ user [ ":" password ] "@" ]``: take it apart where there is one, and give the place behind it.

    Raises
    ------
    GrammarError
        Where the dialect is strict and the part must be escaped.
    """
    # SQLAlchemy and tokio-postgres stop at nothing: even a slash may stand in a password there
    limit = end_of(text, start, flags.stops) if flags.stops else len(text)
    colon = text.find(":", start, limit)
    if flags.colon_before:
        # libpq (conninfo_uri_parse_options): up to the first : @ or /; behind a colon, up to the next @
        slash = text.find(flags.colon_before, start, limit)
        run = min(p for p in (colon, slash, limit) if p >= 0)
        at = text.find("@", colon, limit) if colon == run else -1
        if at < 0:
            colon, at = -1, text.rfind("@", start, run)
    elif flags.at == "last":
        at = text.rfind("@", start, limit)
    else:
        at = text.find("@", start, limit)
    if flags.behind == "refused" and (later := text.find("@", limit)) >= 0:
        hint = f"write it as {percent.encode(text[limit])}"
        raise GrammarError("a user name or password ends here, and an @ follows", limit, later + 1, hint)
    if at < 0:
        return start
    # the colon of a port, behind the @
    if colon > at:
        colon = -1
    if flags.strict:
        _refuse_loose(text, start, at, colon, flags.stops)
    if flags.allowed:
        _refuse_all_but(flags.allowed, text, start, at)
    user_end = at if colon < 0 else colon
    if user_end > start:
        raw = text[start:user_end]
        fields.append(Field("user", None, _decoded(raw, flags), start, user_end, start))
        _remark_raw("user name", raw, start, user_end, remarks)
    if colon >= 0:
        raw = text[colon + 1 : at]
        fields.append(Field("password", None, _decoded(raw, flags), colon + 1, at, colon + 1))
        _remark_raw("password", raw, colon + 1, at, remarks)
    return at + 1


def _decoded(raw: str, flags: User) -> str:
    return percent.decode(raw.replace("+", " ") if flags.plus == "blank" else raw)


def _refuse_all_but(allowed: str, text: str, start: int, at: int) -> None:
    """Refuse any other character (Go, net/url: validUserinfo)."""
    for place, character in enumerate(text[start:at], start):
        if not (character.isascii() and character.isalnum()) and character not in allowed:
            hint = f"write it as {percent.encode(character)}"
            raise GrammarError("this character must be escaped in a user name or password", place, place + 1, hint)


def _refuse_loose(text: str, start: int, at: int, colon: int, stops: str) -> None:
    place = text.find("@", start, at)
    if place < 0 and colon >= 0:
        place = text.find(":", colon + 1, at)
    if place < 0 and not stops:
        # the MongoDB driver for Go (connstring.go: parse) looks for an @ in the whole text
        place = text.find("/", start, at)
        if place < 0 and (later := text.find("@", at + 1, end_of(text, at + 1, "/?"))) >= 0:
            place = later
    if place >= 0:
        hint = f"write it as {percent.encode(text[place])}"
        raise GrammarError("this character must be escaped in a user name or password", place, place + 1, hint)
    if start in {at, colon}:
        raise GrammarError("a user name is missing before the @", start, at + 1)


def _remark_raw(what: str, raw: str, start: int, end: int, remarks: list[Remark]) -> None:
    # three tests, the cheapest first: nearly all names and passwords leave at one of them
    if raw.isalnum() or _TROUBLE.isdisjoint(raw) or _ESCAPED.fullmatch(raw):
        return
    found = [c for c in dict.fromkeys(raw) if c in _TROUBLE and c not in "%+"]
    if percent.find_bad_escape(raw, 0, len(raw)) >= 0:
        found.append("%")
    if found:
        shown = " ".join("a blank" if c == " " else c for c in found)
        facts = {"part": what, "characters": shown, "first": found[0], "escaped": f"%{ord(found[0]):02X}"}
        remarks.append(Remark(Case.UNESCAPED, start, end, facts))


def render_user(value: str, flags: User) -> str:
    """Write a user.

    Raises
    ------
    CannotHold
        For an empty one, where the dialect is strict.
    """
    if value == "" and flags.strict:
        raise CannotHold("an empty user name cannot stand here")
    return percent.encode(value)


def parse_hosts(text: str, position: int, dialect: Dialect, fields: list[Field]) -> int:
    """``host *( "," host )``: take them apart, and give the place behind them.

    Raises
    ------
    GrammarError
        For a bracket without its partner, and a port that is none.
    """
    flags, length, begin = dialect.hosts, len(text), position
    while True:
        if flags.port_at == "last":
            end = _with_last_colon(text, position, dialect, fields)
            if end < length and text[end] == ",":
                position = end + 1
                continue
            return end
        if flags.address_lists and (match := _ADDRESS.match(text, position)) is not None:
            end = _properties(text, match, fields)
        elif position < length and text[position] == "[":
            end = _bracketed(text, position, flags, fields)
            if flags.bare_ipv6 == "refused" and text[end : end + 1] != ":":
                hint = "write it, as in [::1]:3306"
                raise GrammarError("this driver reads no default port beside an IPv6 address", position, end, hint)
        else:
            end = _name(text, position, dialect, fields)
        if end < length and text[end] == ":":
            end = _port(text, end + 1, dialect, fields)
        if end < length and text[end] == "," and flags.several:
            position = end + 1
            continue
        if flags.ports == "shifted":
            _refuse_last(text, begin, position, end)
        if flags.bare.startswith("dropped"):
            _drop_empty(text, begin, end, dialect, fields)
        return end


def _refuse_last(text: str, begin: int, position: int, end: int) -> None:
    """Go takes a list of hosts for one host, and looks at what follows its last colon or ] (net/url: parseHost)."""
    mark = text.rfind("]", begin, end) + 1 if text.startswith("[", begin) else text.rfind(":", begin, end)
    tail = text[mark:end] if mark >= 0 else ""
    if tail and not (tail[0] == ":" and (tail[1:].isdigit() or tail == ":")):
        raise GrammarError("the last host of a list must have a port where another has one", position, end)


def _drop_empty(text: str, begin: int, end: int, dialect: Dialect, fields: list[Field]) -> None:
    """Leave out the hosts of which nothing is written (pgx, config.go: parseURLSettings; connstring.go: addHost)."""
    empty = [f for f in fields if f.role == "host" and f.start == f.end and text[f.end : f.end + 1] != ":"]
    for field in empty:
        fields.remove(field)
    if dialect.hosts.bare == "dropped-but-one" and not any(f.role == "host" for f in fields):
        raise GrammarError("a host is missing here", begin, end, "name one")


def _with_last_colon(text: str, position: int, dialect: Dialect, fields: list[Field]) -> int:
    """A host and its port as pgJDBC parts them (Driver.parseURL): at the last colon, but inside brackets."""
    end = end_of(text, position, "/?,")
    colon = text.rfind(":", position, end)
    if colon < text.rfind("]", position, end):
        colon = -1
    stop = colon if colon >= 0 else end
    start, inside = position, stop
    if text.startswith("[", position) and text.endswith("]", position, stop):
        start, inside = position + 1, stop - 1
    if stop > position or colon >= 0 or text[end : end + 1] == ",":
        fields.append(Field("host", None, text[start:inside], start, inside, position))
    return end if colon < 0 else _port(text, colon + 1, dialect, fields)


def _bracketed(text: str, position: int, flags: Hosts, fields: list[Field]) -> int:
    """``"[" IPv6 "]"``."""
    close = text.find("]", position)
    if close < 0:
        raise GrammarError("the [ of an IPv6 address has no ]", position, len(text))
    if close == position + 1:
        raise GrammarError("an IPv6 address is missing between [ and ]", position, close + 1)
    raw = text[position + 1 : close]
    if flags.zones == "refused" and (zone := raw.find("%")) >= 0:
        # WHATWG URL, 3.5: an IPv6 address has no zone
        raise GrammarError("an address with a zone cannot stand in this URL", position + 1 + zone, close)
    fields.append(Field("host", None, percent.decode(raw) if flags.escaped else raw, position + 1, close, position))
    end = close + 1
    if flags.zones == "before-port" and "%" in raw and text[end : end + 1] != ":":
        raise GrammarError("an address with a zone is read only where a port follows", position, end, "write the port")
    if end < len(text) and text[end] not in ":/?" + ("," if flags.several else ""):
        raise GrammarError("after ] a colon and a port, a slash or the end must follow", end, end + 1)
    return end


def _name(text: str, position: int, dialect: Dialect, fields: list[Field]) -> int:
    """A name, up to a port, the path, the query, or the next host; an empty one only where something follows it."""
    flags = dialect.hosts
    end = end_of(text, position, ":/?,#" if flags.several else ":/?#")
    if end < len(text) and text[end] == "#" and dialect.fragment == "kept":
        end = end_of(text, end, ":/?," if flags.several else ":/?")
    # Go's net.SplitHostPort sees too many colons, and its drivers go on with all of it
    if flags.unbracketed == "whole" and text.startswith(":", end) and is_ipv6(text[position : end_of(text, end, "/?,#")]):
        end = end_of(text, end, "/?,#")
    raw = text[position:end]
    # "host:5432" and "a,,b" name a default host by leaving it out; the end of the text names none
    if flags.ascii_escapes == "refused" and (match := _ASCII_ESCAPE.search(text, position, end)) is not None:
        # Go, net/url: validEncoded and unescape, for hosts
        raise GrammarError("a host name cannot hold a blank, or an escape of an ASCII character", *match.span())
    if flags.bare == "refused":
        _refuse_bare(text, position, end)
    elif flags.bare == "refused-in-lists":
        _refuse_gap(text, position, end)
    alone = flags.bare == "refused-if-alone" and "," not in {text[position - 1], text[end : end + 1]}
    no_name = flags.bare == "refused-if-empty" or alone or (flags.port_needs_host and text[end : end + 1] == ":")
    if no_name and end == position:
        raise GrammarError("a host is missing here", position, end + 1, "name one")
    last = flags.empty_last and text[position - 1 : position] == ","
    if raw or last or (end < len(text) and text[end] in ":,"):
        fields.append(Field("host", None, percent.decode(raw) if flags.escaped else raw, position, end, position))
    return end


def is_ipv6(text: str) -> bool:
    """Whether a text is an IPv6 address, without its zone."""
    from ipaddress import AddressValueError, IPv6Address  # for the few that have two colons

    try:
        IPv6Address(text)
    except AddressValueError:
        return False
    return True


def _refuse_gap(text: str, start: int, end: int) -> None:
    """Refuse nothing between two commas, as asyncpg does (connect_utils: _parse_hostlist)."""
    behind = text[end : end + 1]
    if start == end and behind != ":" and "," in {text[start - 1], behind}:
        raise GrammarError("a host is missing beside this comma", start, end + 1, "name one")


def _refuse_bare(text: str, start: int, end: int) -> None:
    """PyMongo 4 (uri_parser_shared: split_hosts, parse_host) wants each host, a port behind a colon, and no escapes."""
    if end == start and text[end : end + 1] != ":":
        raise GrammarError("a host is missing here", start, end + 1, "name one, without a comma behind the last")
    if "%" in text[start:end] and (not text.endswith(".sock", start, end) or text[end : end + 1] == ":"):
        hint = "only the path of a socket may, which ends with .sock and has no port"
        raise GrammarError("a host name cannot hold an escape", start, end, hint)


def _properties(text: str, match: re.Match[str], fields: list[Field]) -> int:
    """A host that is written as a list of properties; a port without a host gets an empty one."""
    pairs = {pair[1].lower(): pair for pair in _PROPERTY.finditer(text, match.start(1), match.end())}
    place = match.start(1)
    if "host" not in pairs:
        fields.append(Field("host", None, "", place, place, place))
    for wanted in ("host", "port"):
        if (pair := pairs.get(wanted)) is not None:
            start, end = pair.span(2)
            if wanted == "port" and not (pair[2].isascii() and pair[2].isdigit()):
                raise GrammarError("a port is a number from 1 to 65535", start, end)
            fields.append(Field(wanted, None, pair[2], start, end, pair.start()))
    return match.end()


def _port(text: str, start: int, dialect: Dialect, fields: list[Field]) -> int:
    flags = dialect.hosts
    stops = "/?" + ("," if flags.several else "") + ("#" if dialect.fragment == "dropped" else "")
    end = end_of(text, start, stops)
    raw = text[start:end].strip(" ") if dialect.blanks == "trimmed" else text[start:end]
    if flags.behind_port == "dropped" and ":" in raw:  # MariaDB Connector/J (HostAddress.parseSimpleHostAddress)
        raw = raw.partition(":")[0]
    if not raw:
        if flags.empty_port == "refused":
            hint = "give it, or leave the colon out"
            raise GrammarError("a port is missing behind the colon", start - 1, start, hint)
        return end
    if not (raw.isascii() and raw.isdigit()):
        hint = _PORT_HINT if "@" in text[end:] else "write digits only, or leave it out"
        raise GrammarError("a port is a number from 1 to 65535", start, end, hint)
    # nine digits tell: int() itself refuses more than 4,300, with an error of its own
    if flags.port_range and not flags.least_port <= int(raw[:9]) <= 65535:
        raise GrammarError("a port is a number from 1 to 65535", start, end)
    if flags.octal_ports and raw.startswith("0") and set(raw) <= set("01234567"):
        raw = str(int(raw[:9], 8))
    if flags.zero_port == "kept" or raw.strip("0"):
        fields.append(Field("port", None, raw, start, start + len(raw) if flags.behind_port == "dropped" else end, start))
    return end


def render_host(value: str, flags: Hosts) -> str:
    """Write a host; IPv6 in brackets.

    Raises
    ------
    CannotHold
        For characters that would end it, where nothing is escaped.
    """
    if flags.zones == "refused" and ":" in value and "%" in value:
        raise CannotHold("an address with a zone cannot stand in this URL")
    if value == "" and flags.bare == "refused-if-empty":
        raise CannotHold("the driver wants a host name here")
    if flags.escaped:
        # a socket's path may hold colons, an abstract one begins with @: neither is an IPv6 address
        if ":" in value and value[:1] not in {"/", "@"}:
            return f"[{percent.encode(value, ':')}]"
        written = percent.encode(value)
        if flags.bare == "refused" and not value.endswith(".sock") and (written == "" or "%" in written):
            raise CannotHold("the driver wants a host name here, or a socket that ends with .sock")
        return written
    if ":" in value:
        if not set("[]/?#@,& ").isdisjoint(value):
            raise CannotHold("an address in brackets cannot hold [ ] / ? # @ , & or a blank")
        return f"[{value}]"
    if not set("/?#@,&[]% \t\n\r").isdisjoint(value) or not value.isprintable():
        raise CannotHold("a host name here is written as it is, and cannot hold / ? # @ , & [ ] % or blanks")
    return value
