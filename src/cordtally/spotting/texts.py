"""Where connection texts stand in a string, or in a line of whatever kind."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache

from ..catalog import load_index

_URL = re.compile(
    r"(?:jdbc:)?[a-z][a-z0-9+]{1,30}://[^\s`]{3,}|\bfile:[^\s<>`\"']*[?&](?:mode|cache|vfs|immutable)=[^\s\"'`]*"
)
# StackExchange.Redis: places and options, parted by commas
_COMMAS = re.compile(
    r"(?<![\w.-])[\w.-]{1,200}(?::\d{1,5})?(?:,[\w.-]+:\d{1,5})*(?:,\s?[A-Za-z]{2,30}=[^,\s\"'`;]+)*,\s?"
    r"(?:password|ssl|user|abortConnect|defaultDatabase)=[^\s\"'`;]+"
)
_DSN = re.compile(r"[^\s\"'`=]{1,200}@(?:tcp|unix)\([^\s()]*\)/[^\s\"'`]*")
_DESCRIPTOR = re.compile(r"\(\s*DESCRIPTION(?:_LIST)?\s*=", re.IGNORECASE)
_LONGEST_DESCRIPTOR = 10_000  # characters
_SEMICOLON = re.compile(
    r"(?:driver|dsn|server|host|data source|username|user id|uid|port)\s*=[^\n\"'`\\]*;"
    r"(?:\\\"(?:[^\"\\\n]|\\.)*\\\"|[^\n\"'`\\]|\"[^\"\n]*\")*",
    re.IGNORECASE,
)
# keywords stand in any order; what begins with another one than a host's is found from there on
_FIRST = "host|hostaddr|dbname|service|user|password|port|sslmode|connect_timeout|application_name|passfile|sslrootcert"
_KEYWORD = re.compile(
    rf"\b(?:{_FIRST})\s*=\s*(?:'[^'\n]*'|[^\s;,&\"'`]+)(?:\s+[a-z_]+\s*=\s*(?:'[^'\n]*'|[^\s\"'`;,]+))+"
)
_BEFORE = re.compile(r"(?:[A-Za-z][\w ]{1,30}=[^;=\"'\n]*;)*$")  # pairs that tell less, before the first that does
_ALONE = re.compile(r"dsn|driver|server|data source", re.IGNORECASE)
_LEADS = re.compile(r"\b(?:host|hostaddr|dbname|service)\s*=")
_DATABASE_URI = re.compile(r"[?&](?:mode|cache|vfs|immutable|nolock)=|\.(?:db|db3|sqlite|sqlite3)(?:[?#]|$)")
# addresses of web sites and the like: what stands in them is no connection to a database
_WEB = re.compile(
    r"https?|wss?|s?ftps?|ssh|git(?:\+\w+)?|svn(?:\+\w+)?|hg|rsync|smb|cifs|rtsp|rtmp|sip|socks\w*|ldaps?|smtps?|imaps?|"
    r"pop3s?|irc|file"
)
_TRAILING = ".,;:!?)]}>\\"
# a text of pairs: perhaps a prefix, then a name with a value, another one, and somewhere one that leads to a server
_PAIRS = re.compile(r"\s*(?:[A-Za-z]{2,12}:(?:\w+:)?)?[A-Za-z][\w ]{0,40}?\s*=\s*[^;=]*?(?:;|\s[\w ]{1,30}\s*=)")
_TO_SERVER = re.compile(
    r"(?:^|[;:\s])(?:server|data source|host|hostname|dsn|driver|addr|address|network address|dbname|service|filename|"
    r"mode|initial catalog)\s*=",
    re.IGNORECASE,
)
_WHOLE = re.compile(r"\s*[A-Za-z][\w+.:-]{0,60}:(?://)?[^\s]|\s*[A-Za-z][\w ]{1,30}\s?=|\s*\(")
_ONE_PAIR = re.compile(r"\s*(?:data source|dsn|filename)\s?=\s?[^=;\n]{1,200};?\s*", re.IGNORECASE)


def cords_of(value: str) -> list[tuple[int, int]]:
    """Give where connection texts stand in a string, apart and in order; one that begins it reaches to its end."""
    begins, ends = len(value) - len(value.lstrip()), len(value.rstrip())
    if "\n" not in value[begins:ends]:
        pairs = "=" in value and _PAIRS.match(value) and _TO_SERVER.search(value)
        if pairs or value[begins:].startswith(_long_prefixes()) or _ONE_PAIR.fullmatch(value):
            return [(begins, ends)]
    spans = sorted(cords_in(value))
    if spans and spans[0][0] <= begins and "\n" not in value[begins:ends] and _WHOLE.match(value):
        return [(begins, ends)]
    apart = list[tuple[int, int]]()
    for one in spans:
        if not apart or one[0] >= apart[-1][1]:
            apart.append(one)
    return apart


@cache
def _long_prefixes() -> tuple[str, ...]:
    """How a text begins that is one whatever follows."""
    return tuple(one for one in load_index()["prefixes"] if one.count(":") > 1)


@cache
def _prefixed() -> re.Pattern[str]:
    bare = [re.escape(one) for one in _long_prefixes() if not one.endswith("://")]
    return re.compile(rf"(?:{'|'.join(bare)})[^\s\"'`<>]+", re.IGNORECASE)


def cords_in(line: str) -> Iterator[tuple[int, int]]:
    """Give where connection texts seem to stand in a line; some of what is given may overlap."""
    if "://" in line or "file:" in line:
        for match in _URL.finditer(line):
            start, end = _within_quotes(line, *match.span())
            if _known_scheme(line[start:end]):
                yield start, end
    if "jdbc:" in line or "dbi:" in line.lower():
        for match in _prefixed().finditer(line):
            yield match.start(), match.end() - len(match[0]) + len(match[0].rstrip(_TRAILING))
    if "@tcp(" in line or "@unix(" in line:
        for match in _DSN.finditer(line):
            yield match.span()
    if "=" in line:
        if "(" in line:
            yield from _descriptors(line)
        if "," in line and ("password=" in line or "ssl=" in line):
            for match in _COMMAS.finditer(line):
                yield match.span()
        if ";" in line:
            yield from _semicolons(line)
        for match in _KEYWORD.finditer(line):
            if _LEADS.search(match[0]):
                yield match.span()


def _descriptors(line: str) -> Iterator[tuple[int, int]]:
    """Oracle's descriptors, to the bracket that closes each."""
    for match in _DESCRIPTOR.finditer(line):
        depth = 0
        for place in range(match.start(), min(len(line), match.start() + _LONGEST_DESCRIPTOR)):
            depth += (line[place] == "(") - (line[place] == ")")
            if depth == 0:
                yield match.start(), place + 1
                break


def _semicolons(line: str) -> Iterator[tuple[int, int]]:
    """Texts of pairs with semicolons; one ends with the string that it stands in, and another may follow."""
    at = 0
    while (match := _SEMICOLON.search(line, at)) is not None:
        end = _end_of_string(line, match.start(), match.end())
        before = _BEFORE.search(line[max(0, match.start() - 300) : match.start()])
        start = match.start() - (0 if before is None else len(before[0]))
        text = line[start:end].rstrip().rstrip(",")
        if text.count("=") > 1 or _ALONE.match(text):  # anything else is a statement that ends in a semicolon
            yield start, start + len(text)
        at = max(end, match.start() + 1)


def _end_of_string(line: str, start: int, end: int) -> int:
    """Where the string ends that a text begins in; a text of pairs has quotes of its own, doubled or escaped there."""
    quote, place, opened = "", 0, 0
    while place < end:
        character = line[place]
        if not quote and character in "\"'`":
            quote, opened = character, place
        elif quote and character == "\\":
            place += 1
        elif quote == character:
            if line[place + 1 : place + 2] == quote and opened < start:
                place += 1
            elif opened < start <= place:
                return place
            else:
                quote = ""
        place += 1
    return end


def _within_quotes(line: str, start: int, end: int) -> tuple[int, int]:
    """Let a quoted URL reach to its closing quote, and a bare one end before closing punctuation."""
    quote = line[start - 1 : start]
    if quote in {'"', "'", "`"} and quote:
        closing = line.find(quote, start)
        return start, closing if closing >= 0 else end
    for mark in "\"'":
        place = line.find(mark, start, end)
        end = place if place >= 0 else end
    while end > start and line[end - 1] in _TRAILING:
        end -= 1
    return start, end


def _known_scheme(text: str) -> bool:
    if text.startswith("file:"):
        return _DATABASE_URI.search(text) is not None
    if any(text.startswith(prefix) for prefix in load_index()["prefixes"]):
        return True
    scheme, _, rest = text.partition("://")
    user, at, _ = rest.partition("/")[0].rpartition("@")
    return bool(at) and ":" in user and not _WEB.fullmatch(scheme.rpartition(":")[2])
