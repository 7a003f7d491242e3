"""The hosts of a URL.

hosts     = host *( "," host )
host      = ( "[" IPv6 "]" | name | list of properties ) [ ":" port ]
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Literal

from ..patterns import pattern
from ..records import Record
from ..text import GrammarError
from . import percent
from .fields import CannotHold, Field
from .searching import end_of

if TYPE_CHECKING:
    from .url import Dialect

_ADDRESS = pattern(r"(?:address=)?((?:\((?:[^()=]+=[^()]*)\))+)", re.IGNORECASE)
_PROPERTY = pattern(r"([A-Za-z]+)=([^(),]*)")
_ASCII_ESCAPE = pattern(r"%[0-7][0-9A-Fa-f]|[ \\^`{|}]")
_PORT_HINT = "a user name or password with @ : / ? # or % in it must be percent-encoded: did it end where you meant?"


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
    and what follows it are ``refused`` or ``dropped``; with ``octal_ports`` a 0 at the beginning makes one octal;
    writing escapes the characters that are ``also_escaped``; with ``lone_brackets`` an address in brackets should have
    nothing beside it but a port; with ``address_lists`` a host may be written
    ``(host=…)(port=…)``.
    """

    several: bool = False
    empty_last: bool = False
    bare: Literal[
        "kept", "refused", "refused-in-lists", "refused-if-empty", "refused-if-alone", "dropped", "dropped-but-one"
    ] = "kept"
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
    also_escaped: str = ""
    lone_brackets: bool = False
    address_lists: bool = False


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
    empty = [f for f in fields if f.role == "host" and f.start == f.end]
    # a port of one that is left out is still one of the ports
    gathered = dialect.hosts.ports == "shifted" and len(empty) < sum(f.role == "host" for f in fields)
    for field in [f for f in empty if gathered or text[f.end : f.end + 1] != ":"]:
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
    if flags.unbracketed == "whole" and text.startswith(":", end):
        whole = end_of(text, end, "/?,#")
        end = whole if is_ipv6(text[position:whole]) else end
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
        last = start + len(raw) if flags.behind_port == "dropped" else end
        fields.append(Field("port", None, raw, start, last, start))
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
        for character in flags.also_escaped:
            written = written.replace(character, f"%{ord(character):02X}")
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
