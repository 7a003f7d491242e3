"""Which lines of a file could hold a connection or a secret: one search over its bytes, before anything is decoded.

The search is linear whatever the input: by RE2 where it is installed, otherwise by Python's own expressions, whose
repeats are bounded for that. Both find the same places; what they find is only looked at further.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache
from typing import Any, BinaryIO, NamedTuple

from ..catalog import load_index
from .calls import load_calls

# a name of which a part says secret; names that only happen to hold such a word are told apart later
_SECRET = (
    r"(?:passw|passphrase|passcode|pwd|psw|secret|credential|client_?assertion|"
    r"(?:api|access|private|account|scram|ssl|client|shared|storage)[ _.-]?key|storage_connection_string)[\w.:-]{0,40}"
)
_SHORT = r"(?:pass|pw)\d?"
_TOKEN = r"token\w{0,20}"
_BEHIND = (
    r"[\"'`]?\]?\)?\s{0,20}(?:(?:=>|:=|->|<<?-|=)\s{0,20}[^\s=]|:[ \t]{0,20}[^\s=])|"
    r"[\"'`][ \t]{0,20},[ \t]{0,20}[^\s]|[ \t]{0,20},[ \t]{0,20}[\"']|[\"']?>[^<\s]|"
    r"\(\s{0,20}[^\s\w)]|[\"'`]\s{0,20}\{"
)
_BEHIND_SHORT = (
    r"[\"'`]?\]?\s{0,20}(?:(?:=>|:=|=)\s{0,20}[\"'\w$<]|:[ \t]{0,20}[\"'\w$<])|[\"'],[ \t]{0,20}[\"'\w$]|>[^<\s]"
)
_TYPED = (
    r"\s{1,5}[\"'][^\"'\s]|\s+As\s+\w+\s{0,5}=|\??\s?:\s?[\w.&'<>|\[\] ]{1,40}=\s?[\"'`]|"
    r"(?:\[\d{0,6}\]|[ \t]\w{1,20})[ \t]{0,5}=[ \t]?[\"'`]"
)
_ATTRIBUTE = (
    r"[\"']\s[^<>\n]{0,200}?value\s{0,5}=|[\"']?,?\s{1,60}[\"']?(?:value|default)[\"']?\s{0,5}[:=]|"
    r"</[\w-]+>\s{0,60}<[\w-]*(?:value|string)>"
)
_CLIENTS = (
    r"(?:mysql|mariadb)[a-z]{0,8}\b[^\n]{0,300}?\s-p[^\s]|redis-cli\b[^\n]{0,300}?\s-a\s|sqlcmd\b[^\n]{0,300}?\s-P\s|"
    r"(?:sqlplus|rman|expdp|impdp|sqlldr|exp|imp)\s[^\n]{0,100}?\w/[^\s@]{1,60}@|password\s?\(\s?'|(?:isql|gsec|gbak)\b[^\n]{0,200}?\s-pas?\w*\s|"
    r"curl\b[^\n]{0,200}?\s-u\s?[\"']?\w+:|"
    r"\s--?[\w-]{0,30}pass(?:word|wd)?[= ]|\b(?:requirepass|masterauth)\s|"
    r"\blogin\s+\S+\s+password\s|identified\s+(?:with\s+\S+\s+)?by\s|"
    r"password\s+(?:=\s*)?[\"']|\buser\s+\S+\s+on\s|(?:\.|->)auth\(|\bauth\s+[\"']?[^\s\"']{6}"
)
_LOOK_UPS = (
    r"(?:environ|getenv|get_env|fetch_env|envvar|(?-i:process\.env|ENV\W|env::var|System\.Get)|GetEnvironmentVariable|config\.get|env\()"
    r"[^\n]{0,20}?(?:database|db_|_db|\bpg|postgres|mysql|mariadb|mongo|redis|mssql|sql|oracle|jdbc|dsn|pass|pwd|_ur[il])"
)
# `postgres`, `mysql:/`, `mongodb`, `redis:/`, `jdbc:`, `mariadb`, `Server=`, as base64 writes them
PACKED = "cG9zdGdyZX|bXlzcWw6Ly|bW9uZ29kYj|cmVkaXM6Ly|cmVkaXNzOi|amRiYzp|bWFyaWFkYj|U2VydmVyP|c3Fsc2VydmVyOi"
_BASE64 = f"(?-i:{PACKED})"
_SEVERAL = (
    r"(?:server|data ?source|dsn|host|hostname|driver|address|addr|provider|uid|user id|username|"
    r"user|port|database)\s{0,5}="
    r"[^;=\n]{1,200};\s{0,5}[^=\n;]{1,40}="
)
_KEYWORDS = (
    r"\b(?:host|hostaddr|dbname|user|password|port|sslmode|service)\s{0,5}=\s{0,5}(?:'[^'\n]{0,200}'|[^\s=;,]{1,200})"
    r"[ \t]{1,10}[a-z_]{2,30}\s{0,5}=\s{0,5}[^\s=]"
)
AUTHORITY = r"[a-z0-9]:\\?/\\?/[^\s/@:'\"<>]{0,200}:[^\s/@'\"<>]{1,300}@"
_COMMON = frozenset(["create", "new", "password", "auth", "Open"])  # names of many calls: what they are given tells
_GENERAL = frozenset(
    ["using", "connect", "Connect"]
)  # names that others have, too: a text is what they are given first
_LONGEST_LINE = 20_000  # characters: of a longer one only the surroundings of what was found are looked at
_AROUND = 4_000  # characters
_BLOCK = 4 << 20
_OVERLAP = 16 << 10


class Stretch(NamedTuple):
    """Bytes from one place to another that are to be looked at: whole lines, or a part of a very long one."""

    start: int
    end: int


@cache
def _expression() -> str:
    alternatives = [
        *prefixes(),
        AUTHORITY,
        r"\bfile:[^\s<>`\"']{0,300}[?&](?:mode|cache|vfs|immutable)=",
        r"@(?:tcp|unix)\(",
        r",\s?(?:password|ssl)=",
        _SEVERAL,
        r"[\"'](?:dsn|server|data source)\s?=[^\"'\n]{1,200}[\"']",
        _KEYWORDS,
        f"{_SECRET}(?:[\"']\\s?\\{{[^}}]{{0,300}}?default|{_BEHIND}|{_TYPED}|{_ATTRIBUTE})",
        rf"\bset\s+(?:-\w+\s+)?\w*(?:{_SECRET}|{_SHORT})\s",
        r"\(\s?description\s?=",
        rf"{_SHORT}(?:{_BEHIND_SHORT}|{_TYPED}|{_ATTRIBUTE})",
        rf"{_TOKEN}[\"']?\s{{0,10}}(?:[:=]>?|>)\s{{0,10}}[\"']?[\w+/.-]{{16}}",
        r"\b(?:ENV|ARG)\s+\w*(?:pass|pwd|secret|token)\w*\s",
        _CLIENTS,
        _BASE64,
        r"\bdatabase\s?\(\s?[\"']",
        rf"\b(?:{'|'.join(sorted(load_calls().keys() - _COMMON - _GENERAL))})\s?\([^()\n]{{0,80}}[\"']",
        rf"\b(?:{'|'.join(sorted(_GENERAL))})\s?\(\s{{0,40}}[\"'`$@]",
        _LOOK_UPS,
        r"cord-tally: accept ",
        r"\bkind[\"']?:\s*[\"']?Secret\b",
    ]
    return "|".join(f"(?:{one})" for one in alternatives)


def prefixes() -> list[str]:
    """How texts begin; a short word with a colon is one only where a pair or a path follows."""
    # JSON may escape slashes (RFC 8259, 7), and PHP does
    known = [one for one in load_index()["prefixes"] if one.count(":") > 1 or one.endswith("://")]
    long = [re.escape(one).replace("//", r"\\?/\\?/") for one in known]
    return [
        f"(?:{'|'.join(long)})",
        r"\b(?:mysql|pgsql|sqlsrv|odbc|oci|firebird|dblib):[\w ]{1,30}=",
        r"\bsqlite3?:[\w./:-]",
    ]


@cache
def _compiled() -> Any:  # noqa: ANN401 -- of a package that need not be there
    return linear(_expression())


def linear(expression: str) -> Any:  # noqa: ANN401
    """Compile an expression over bytes, in which capitals do not count, so that it is linear where RE2 is installed."""
    try:
        import re2
    except ImportError:
        return re.compile(expression.encode(), re.IGNORECASE)
    options = re2.Options()
    options.case_sensitive = False
    options.encoding = re2.Options.Encoding.LATIN1
    options.max_mem = 64 << 20
    options.log_errors = False
    # counted repeats make its automaton large and slow, and it needs none: what it finds more is looked at for nothing
    unbounded = re.sub(r"\{(\d),\d{2,}\}", lambda match: "*" if match[1] == "0" else "+", expression)
    return re2.compile(unbounded.encode(), options)


def sift(data: bytes) -> list[Stretch]:
    """Give the stretches of UTF-8 text in which something could stand, in order, as whole lines where they can be."""
    found = list[Stretch]()
    last = -1
    for match in _compiled().finditer(data):
        first, end = match.span()
        if end <= last:
            continue
        start = data.rfind(b"\n", max(0, first - _LONGEST_LINE), first) + 1
        if start == 0 and first > _LONGEST_LINE:
            start = _boundary(data, first - _AROUND)
        stop = data.find(b"\n", end, end + _LONGEST_LINE)
        if stop < 0:
            stop = len(data) if len(data) - end < _LONGEST_LINE else _boundary(data, end + _AROUND)
        if found and start <= found[-1].end and start < last:
            found[-1] = Stretch(found[-1].start, max(stop, found[-1].end))
        else:
            found.append(Stretch(start, stop))
        last = stop
    return found


def _boundary(data: bytes, place: int) -> int:
    """The next place at which a character begins."""
    place = max(place, 0)
    while place < len(data) and data[place] & 0xC0 == 0x80:
        place += 1
    return place


def blocks(stream: BinaryIO, first: bytes) -> Iterator[tuple[bytes, int]]:
    """Give a large file in blocks that overlap, each with the place in it at which the next one begins.

    What stands on a border is whole in one of the two.
    """
    data = first
    while True:
        more = stream.read(_BLOCK)
        data += more
        if not more:
            yield data, len(data)
            return
        kept = data.rfind(b"\n", max(0, len(data) - _OVERLAP)) + 1 or _boundary(data, len(data) - _OVERLAP)
        yield data, kept
        data = data[kept:]
