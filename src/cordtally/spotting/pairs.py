"""Names with values that may be secret, as programs, config files and shells write them: where each value stands."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from ..model.suspicion import SECRET_WORD


class Pair(NamedTuple):
    """A name and its value's span; ``quoted`` where it stands in quotes, ``told`` where its place says what it is."""

    name: str
    start: int
    end: int
    value: str
    quoted: bool
    told: bool


_QUOTED = r"(?:(?P<quote>\\?[\"'])(?P<quoted>[^\"'\\\n]{1,300})(?P=quote))"
_BARE = r"(?P<bare>[^\s\"',;#<>(){}\[\]\\]{1,300})(?![(\[{)])"
_SECRET = re.compile(SECRET_WORD, re.IGNORECASE)
_NAME = re.compile(r"[A-Za-z0-9_.-]{1,100}")
_SETTER = re.compile(r"set(?=[A-Z_])")
_SET = re.compile(rf"\s*\(\s*{_QUOTED}\s*\)")
_LONGEST_BEFORE = 60  # characters before a name that say what it is
# what stands before a name (an end of it), what stands behind, and whether that says that the value is one
_RULES = tuple(
    (None if before is None else re.compile(rf"(?:{before})$", re.IGNORECASE), re.compile(behind, re.IGNORECASE), told)
    for before, behind, told in (
        (r"\b(?:set\w*|put|add\w*|define|env|getenv|config|with\w*)\s*\(\s*[\"']", rf"[\"']\s*,\s*{_QUOTED}", True),
        (None, rf"\??\s*:\s*(?:Optional\[)?(?:str|string|&?'?\w*\s?str)\]?(?:\s*\|\s*\w+)*\s*=\s*{_QUOTED}", True),
        (r"<", r"(?:\s[^<>]{0,200})?>(?P<bare>[^<>\s][^<>\n]{0,300})</", True),
        (r"\b(?:name|key)\s*=\s*[\"']", rf"[\"'][^<>\n]{{0,200}}?\bvalue\s*=\s*{_QUOTED}", True),
        (r"^\s*(?:ENV|ARG)\s+", r"\s+(?P<bare>[^\s=]\S{0,300})$", True),
        (None, rf"[\"']?\s*(?::=|=>|[:=])\s*(?:{_QUOTED}|{_BARE})", False),
    )
)
# words of clients, servers and SQL, whose names do not sound like a secret
_WORDS = tuple(
    (name, re.compile(one, re.IGNORECASE))
    for name, one in (
        (
            "-p",
            r"\b(?:mysql|mariadb)(?:dump|admin|import|check)?\b[^\n|;&]{0,200}?\s-p(?P<bare>[^\s\"'$][^\s\"'|;&]{2,100})",
        ),
        ("-a", r"\bredis-cli\b[^\n|;&]{0,200}?\s-a\s+(?P<bare>[^\s\"'$-][^\s\"'|;&]{2,100})"),
        ("-P", r"\bsqlcmd\b[^\n|;&]{0,200}?\s-P\s+(?P<bare>[^\s\"'$-][^\s\"'|;&]{2,100})"),
        ("requirepass", r"^\s*(?:requirepass|masterauth)\s+(?P<bare>[^\s\"'#]{3,300})"),
        ("IDENTIFIED BY", rf"\bIDENTIFIED\s+(?:WITH\s+\w+\s+)?BY\s+{_QUOTED}"),
        ("PASSWORD", rf"\b(?:ROLE|USER|LOGIN)\b[^\n;]{{0,200}}?\bPASSWORD\s*=?\s*{_QUOTED}"),
    )
)
CLIENT_WORDS = frozenset(name for name, _ in _WORDS)
_SAYS = re.compile(
    r"\b(?:mysql|mariadb|redis-cli|sqlcmd|requirepass|masterauth|identified|alter|create)", re.IGNORECASE
)


_PARTS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")
# words that are a secret's name as a whole or within; others count as a whole word alone
_WITHIN = re.compile(
    r"passw|passph|pwd|secret|credential|storage_connection_string"
    r"|(?:api|access|private|account|scram|ssl|client|shared)[ _.-]?key",
    re.IGNORECASE,
)
_WHOLE = frozenset(
    ["pass", "pw", "psw", "dbpass", "userpass", "mypass", "rootpass", "mysqlpass", "pgpass", "smtppass", "ftppass"]
)
_TOKENS = frozenset(["token", "tokens", "authtoken", "accesstoken", "assertion"])
_LEAST_TOKEN = 16  # characters


def is_secret_name(name: str, value: str) -> bool:
    """Whether a name is one of a secret: by its words, since ``minipass`` and ``pass_count`` hold one by chance.

    Programs are full of tokens that are no secret: one counts where its value looks like one.
    """
    if _WITHIN.search(name) is not None:
        return True
    parts = [word.casefold() for word in _PARTS.findall(name) if not word.isdigit()]
    if parts and parts[-1] in _WHOLE:
        return True
    words = set(parts)
    looks = len(value) >= _LEAST_TOKEN and any(c.isdigit() for c in value) and any(c.isalpha() for c in value)
    return bool(words & _TOKENS) and looks


def says_secret(line: str) -> bool:
    """Whether a line has a word of a client, a server or SQL that a secret may follow."""
    return _SAYS.search(line) is not None


def spot_pairs(line: str) -> Iterator[Pair]:
    """Find names with values, from each word that sounds like a secret on: in a time that grows with the line."""
    last = -1
    for word in _SECRET.finditer(line):
        start = word.start()
        while start > max(last, 0) and _NAME.fullmatch(line[start - 1]):
            start -= 1
        if start <= last:
            continue
        match = _NAME.match(line, start)
        if match is None:
            continue
        last = match.end()
        yield from _around(line, match[0], start, match.end())
    for name, pattern in _WORDS if says_secret(line) else ():
        for match in pattern.finditer(line):
            yield _pair(match, name, told=True)


def _around(line: str, name: str, start: int, end: int) -> Iterator[Pair]:
    """What stands around a name; a setter's name begins behind its ``set``."""
    short = name.rpartition(".")[2]
    if _SETTER.match(short) is not None and (match := _SET.match(line, end)) is not None:
        yield _pair(match, short[3:], told=True)
        return
    ahead = line[max(0, start - _LONGEST_BEFORE) : start]
    for before, behind, told in _RULES:
        if before is None or before.search(ahead) is not None:
            match = behind.match(line, end)
            if match is not None:
                yield _pair(match, name, told=told)
                return


def _pair(match: re.Match[str], name: str, *, told: bool) -> Pair:
    groups = match.groupdict()
    group = "quoted" if groups.get("quoted") is not None else "bare"
    return Pair(name, *match.span(group), match[group], group == "quoted", told)
