"""What people get wrong in a text that no driver reads; each is put right, and told only if the right one is read.

A mistake is a place in the text, what is wrong there, and the text as it should be. Nothing is read in place of what
was given: the error says what to write.
"""

from __future__ import annotations

import enum
import re
from collections.abc import Iterator
from functools import cache
from ipaddress import AddressValueError, IPv6Address
from typing import NamedTuple

from ..catalog import find_nearest, load_engine, load_index
from ..notation import percent
from ..patterns import pattern

_LONGEST = 4096  # of a longer text nobody typed a character wrong
_MOST_STEPS = 4  # export, a name, quotes and a semicolon may have come along at once
_INVISIBLE = "\ufeff\u200b\u200c\u200d\u2060\u00a0"
_QUOTES = {'"': '"', "'": "'", "`": "`", "“": "”", "‘": "’", "„": "“", "«": "»", "<": ">"}
_NAME = pattern(
    r"\s*(?:(?:export|set|setx|declare\s+-x|ENV|ARG|const|let|var|-e|--env)\s+|\$env:|[-#/*]+\s*)?"
    r"[\"']?[A-Za-z_$][\w.$-]*[\"']?\s*(?:(?::=|=>|=)\s*|:(?:\s+|(?=[\"'`“‘])))(?=[\"'`“‘A-Za-z{])"
)
_EXPORT = pattern(r"\s*(?:export|set|setx|ENV|ARG)\s+[A-Za-z_]\w*\s+(?=\S)")
_COMMAND = pattern(
    r"\s*(?:\$\s+)?(?:psql|pg_dump|pg_isready|mysql|mariadb|mongosh|mongo|mongodump|redis-cli|sqlcmd|sqlplus|sqlite3|usql)"
    r"\s+(?:-\w+\s+|--\w[\w-]*[= ])*(?=\S)"
)
_SCHEME = pattern(r"((?:jdbc:|r2dbc:)?[A-Za-z][A-Za-z0-9+.-]*(?::thin)?)(:?)(//?|\\\\|;//|:/|)(?=[^\s/\\:;=])")
_ODD_SLASHES = pattern(r"((?:jdbc:|r2dbc:)?[A-Za-z][A-Za-z0-9+.-]*)(?:[:;]?//?|:/+|:?\\\\|;//)")
_COLON_NETWORK = pattern(r"(?<=@)tcp:([^/()]*)(?=/)")
_BARE_KEY = pattern(r"([{,]\s*)([A-Za-z_]\w*)\s*:")
_TEMPLATE = pattern(r"\{\{.*?\}\}|\$\{[^}]*\}|%\(\w+\)s|%[sdv](?![0-9A-Fa-f])|\{\d{0,2}\}|<%=?.*?%>")
_DOUBLED_BRACES = pattern(r"=\s*(\{\{+)([^{};]+)(\}\}+)(?=\s*(?:;|$))")
_PORTS = pattern(r"(:\d{1,5})(:\d{1,5})(?=[/?,;]|$)")
_AUTHORITY = pattern(r"[A-Za-z][\w+.:-]*://")
_BY_HAND = {
    "psql": "postgresql", "pgsql": "postgresql", "pg": "postgresql", "postgre": "postgresql",
    "postgress": "postgresql", "postgresq": "postgresql", "postgressql": "postgresql", "mongo": "mongodb",
    "redis+ssl": "rediss", "redis+tls": "rediss", "redis-tls": "rediss", "sqlite3": "sqlite",
    "jdbc:postgres": "jdbc:postgresql", "jdbc:pgsql": "jdbc:postgresql", "jdbc:mssql": "jdbc:sqlserver",
    "jdbc:maria": "jdbc:mariadb", "mongodb-srv": "mongodb+srv", "mongodbsrv": "mongodb+srv", "mssql": "sqlserver",
}  # fmt: skip
"""Names that people give to schemes, and the ones that drivers read."""


class Slip(enum.Enum):
    """The kinds of mistakes."""

    CAME_ALONG = "came-along"
    TEMPLATE = "template"
    BRACES = "braces"
    SCHEME = "scheme"
    ADDRESS = "address"
    SECOND_PORT = "second-port"
    USER_BEFORE_HOST = "user-before-host"
    ESCAPE = "escape"
    SEPARATOR = "separator"
    JSON = "json"


class Mistake(NamedTuple):
    """A mistake: its kind, its bounds, what it is, and the text without it."""

    kind: Slip
    start: int
    end: int
    problem: str
    right: str


def find_mistakes(text: str) -> Iterator[Mistake]:
    """Give the mistakes that this text may hold, the likeliest first; linear in its length."""
    if not text or len(text) > _LONGEST:
        return
    yield from find_surroundings(text)
    for find in (_braces, _templates, _scheme, _address, _two_ports, _user_info, _escapes, _separators, _json):
        yield from find(text)


def find_surroundings(text: str) -> Iterator[Mistake]:
    """Give what came along when the text was copied: all of it together first, then ever less."""
    if not text or len(text) > _LONGEST:
        return
    start, end, said, steps = 0, len(text), list[str](), list[Mistake]()
    while len(said) < _MOST_STEPS and start < end:
        inner = text[start:end]
        bare = inner.strip(_INVISIBLE + " \t\r\n")
        if bare != inner:
            lead = len(inner) - len(inner.lstrip(_INVISIBLE + " \t\r\n"))
            odd = inner[:lead] + inner[lead + len(bare) :]
            said.append("blanks" if set(_INVISIBLE).isdisjoint(odd) else "an invisible character")
            start, end = start + lead, start + lead + len(bare)
        elif (match := _COMMAND.match(text, start, end)) is not None:
            said.append("a command")
            start = match.end()
        elif (match := _NAME.match(text, start, end) or _EXPORT.match(text, start, end)) and not _is_pair(text, match):
            said.append("a variable's name")
            start = match.end()
        elif len(inner) > 1 and _QUOTES.get(inner[0]) == inner[-1]:
            said.append("quotes")
            start, end = start + 1, end - 1
        elif (
            inner[-1] in ",)"
            or (inner[-1] == ";" and ";" not in inner[:-1])
            or (inner[-1] in _QUOTES.values() and inner[0] not in _QUOTES)
        ):
            said.append(f"a {inner[-1]} at the end")
            end -= 1
        elif inner[0] in _QUOTES:
            said.append("a quote at the beginning")
            start += 1
        else:
            break
        what = " and ".join(word for word in dict.fromkeys(said) if word != "blanks" or len(said) == 1)
        place = (0, start) if start else (end, len(text))
        steps.append(Mistake(Slip.CAME_ALONG, *place, f"{what} came along", text[start:end]))
    # with all of it taken off first: half a pair of quotes may be read, too
    yield from reversed(steps)


def _is_pair(text: str, match: re.Match[str]) -> bool:
    """Whether the name is a key of the text itself: ``host=h user=u``, ``Server=h;…``."""
    rest = text[match.end() :]
    return "=" in match[0] and "://" not in rest[:64] and rest[:1] not in _QUOTES and "=" in rest


def _braces(text: str) -> Iterator[Mistake]:
    """Braces that a format string has twice, and of which one is meant."""
    if (match := _DOUBLED_BRACES.search(text)) is not None:
        right = _DOUBLED_BRACES.sub(r"={\2}", text)
        yield Mistake(Slip.BRACES, match.start(1), match.end(), "braces are doubled, as in a format string", right)


def _templates(text: str) -> Iterator[Mistake]:
    """A placeholder that nobody filled in, with characters that no text takes."""
    if (match := _TEMPLATE.search(text)) is not None:
        yield Mistake(Slip.TEMPLATE, *match.span(), "a placeholder was left here", _TEMPLATE.sub("x", text))


def _scheme(text: str) -> Iterator[Mistake]:
    """A colon or a slash that is missing, too much, or another character; a name that no driver has."""
    prefixes = load_index()["prefixes"]
    if "\\" in text:
        place = text.find("\\")
        right = text.replace("\\", "/")
        yield Mistake(Slip.SCHEME, place, place + 1, "a slash is meant here", right)
        yield Mistake(
            Slip.SCHEME,
            place,
            place + 1,
            "two slashes are meant here",
            re.sub(r"^([\w+.:-]+?):/*(?=[^/])", r"\1://", right),
        )
    if text.startswith("jdbc://"):
        yield Mistake(Slip.SCHEME, 5, 7, "no slashes stand behind jdbc:", f"jdbc:{text[7:]}")
    match = _ODD_SLASHES.match(text) or _SCHEME.match(text)
    if match is None:
        return
    name, end = match[1], match.end()
    if text[end : end + 1] == "@":
        for oracle in ("jdbc:oracle:thin:", "jdbc:oracle:oci:"):
            if oracle.endswith(f"{name}:"):
                yield Mistake(Slip.SCHEME, 0, end, f"{oracle}@ is meant here", oracle + text[end:])
    if (match[0] == f"{name}://" and not prefixes.keys().isdisjoint({f"{name}://", f"{name}:"})) or end == match.end(1):
        return
    lower = name.lower()
    known = next((p for p in (f"{lower}://", f"{lower}:") if p in prefixes), None)
    for meant in dict.fromkeys([lower, _BY_HAND.get(lower, "")]):
        if not meant:
            continue
        for prefix in (f"{meant}://", f"{meant}:"):
            if prefix not in prefixes:
                continue
            right = prefix + text[end:]
            if right != text:
                small = lower != name and lower == meant
                yield Mistake(
                    Slip.SCHEME,
                    0,
                    end,
                    f"drivers want {prefix}, in lower case" if small else f"{prefix} is meant here",
                    right,
                )
    # the web's own schemes are no slip of another one: drivers read them once they are named
    if known is None and "/" in match[0] and lower not in {"http", "https"}:
        for prefix in find_nearest(f"{lower}://", prefixes, most=2):
            yield Mistake(Slip.SCHEME, 0, end, f"{prefix} may be meant here", prefix + text[end:])


def _address(text: str) -> Iterator[Mistake]:
    """An IPv6 address without its brackets."""
    if (match := _AUTHORITY.match(text)) is None:
        return
    end = min((p for p in (text.find(c, match.end()) for c in "/?;,") if p >= 0), default=len(text))
    start = text.rfind("@", match.end(), end) + 1 or match.end()
    host = text[start:end]
    if host.count(":") < 2 or "[" in host:
        return
    last = host.rpartition(":")[2]
    whole, parted = (host, ""), (host.rpartition(":")[0], last)
    # 1 to 4 digits may be the end of an address: a port that servers have is taken for one
    order = [parted, whole] if last in _ports() else [whole, parted]
    for address, port in order if last.isdigit() else [whole]:
        try:
            IPv6Address(address.partition("%")[0])
        except (AddressValueError, ValueError):
            continue
        written = f"[{address}]" + (f":{port}" if port else "")
        yield Mistake(
            Slip.ADDRESS, start, end, "an IPv6 address stands in brackets", text[:start] + written + text[end:]
        )


@cache
def _ports() -> frozenset[str]:
    return frozenset(str(load_engine(name).default_port) for name in load_index()["engines"])


def _two_ports(text: str) -> Iterator[Mistake]:
    for match in _PORTS.finditer(text):
        yield Mistake(
            Slip.SECOND_PORT,
            *match.span(2),
            "a second port follows the first",
            text[: match.start(2)] + text[match.end(2) :],
        )


def _user_info(text: str) -> Iterator[Mistake]:
    """User and password before the host, where the driver takes them as options."""
    if not text.startswith("jdbc:") or (match := _AUTHORITY.match(text)) is None:
        return
    slash = text.find("/", match.end())
    at = text.rfind("@", match.end(), slash if slash >= 0 else len(text))
    if at < 0:
        return
    user, colon, password = text[match.end() : at].partition(":")
    rest = text[at + 1 :]
    if ";" in rest or "sqlserver" in match[0]:
        pairs = f";user={user}" + (f";password={password}" if colon else "")
        yield Mistake(
            Slip.USER_BEFORE_HOST,
            match.end(),
            at + 1,
            "this driver takes no user before the host",
            match[0] + rest.rstrip(";") + pairs,
        )
        return
    pairs = f"user={user}" + (f"&password={password}" if colon else "")
    right = match[0] + rest + ("&" if "?" in rest else "?" if "/" in rest else "/?") + pairs
    yield Mistake(Slip.USER_BEFORE_HOST, match.end(), at + 1, "this driver takes no user before the host", right)


def _escapes(text: str) -> Iterator[Mistake]:
    """A password that ends at one of its own characters, or a % that begins no escape."""
    if (match := _AUTHORITY.match(text)) is None:
        return
    start, at = match.end(), text.rfind("@")
    colon = text.find(":", start, max(at, start))
    if at < 0 or colon < 0:
        return
    raw = text[colon + 1 : at]
    wrong = next((i for i, c in enumerate(raw) if c in "/?#@[] %" and not (c == "%" and _escape_at(raw, i))), None)
    if wrong is None:
        return
    escaped = "".join(
        percent.encode(c) if c in "/?#@[] :" or (c == "%" and not _escape_at(raw, i)) else c for i, c in enumerate(raw)
    )
    character = "a blank" if raw[wrong] == " " else raw[wrong]
    place = colon + 1 + wrong
    problem = f"{character} in a password is written {percent.encode(raw[wrong])}"
    yield Mistake(Slip.ESCAPE, place, place + 1, problem, text[: colon + 1] + escaped + text[at:])


def _escape_at(raw: str, index: int) -> bool:
    return len(raw) > index + 2 and set(raw[index + 1 : index + 3]) <= set("0123456789abcdefABCDEF")


def _separators(text: str) -> Iterator[Mistake]:
    """Pairs that are parted by another character, or named with a colon."""
    if "://" in text or text.lstrip()[:1] in {"{", "[", "("}:
        return
    for mark, right, words in (
        ("&", " ", "blanks"),
        (",", ";", "semicolons"),
        (",", " ", "blanks"),
        ("|", ";", "semicolons"),
    ):
        if (place := text.find(mark)) >= 0 and "=" in text[place:]:
            yield Mistake(
                Slip.SEPARATOR, place, place + 1, f"pairs are parted by {words} here", text.replace(mark, right)
            )
    if "=" not in text and (place := text.find(":")) >= 0 and "@" not in text:
        right = text.replace(": ", "=") if ": " in text else text.replace(":", "=")
        yield Mistake(Slip.SEPARATOR, place, place + 1, "a key and its value are joined by =", right)
    if (match := _COLON_NETWORK.search(text)) is not None:
        right = f"{text[: match.start(1)]}({match[1]}){text[match.end(1) :]}"
        yield Mistake(
            Slip.SEPARATOR,
            match.start(),
            match.end(),
            "an address stands in parentheses after its network",
            right.replace("tcp:(", "tcp("),
        )


def _json(text: str) -> Iterator[Mistake]:
    """An object as another language writes it."""
    if text.lstrip()[:1] != "{":
        return
    right, problem = text, ""
    if "'" in text and '"' not in text:
        right, problem, place = right.replace("'", '"'), "JSON wants double quotes", text.find("'")
        right = re.sub(r"\bTrue\b", "true", re.sub(r"\bFalse\b", "false", re.sub(r"\bNone\b", "null", right)))
        yield Mistake(Slip.JSON, place, place + 1, problem, right)
    quoted = _BARE_KEY.sub(r'\1"\2":', right)
    if quoted != right and (match := _BARE_KEY.search(right)) is not None:
        yield Mistake(Slip.JSON, match.start(2), match.end(2), "a name stands in double quotes", quoted)
    if (match := re.search(r",\s*\}\s*$", right)) is not None:
        yield Mistake(
            Slip.JSON,
            match.start(),
            match.start() + 1,
            "a comma stands before the closing }",
            right[: match.start()] + right[match.start() + 1 :],
        )
