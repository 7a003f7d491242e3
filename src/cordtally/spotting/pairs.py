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


_QUOTED = r"(?:(?:@|N|L|u8?|f|r|b)?(?P<quote>\\?[\"'`])(?P<quoted>[^\"'`\\\n]{1,300})(?P=quote))"
_BARE = r"(?P<bare>[^\s\"'`,;#<>(){}\[\]\\]{1,300}+)(?![(\[{)])"
_STRING = r"[\"'][^\"'\n]{0,200}[\"']"
_OPTION = r"[\"']?(?P<bare>[^\s\"'$%&|;-][^\s\"'|;&]{2,100})"
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
        (r"\{\s*", rf"\s*,\s*{_QUOTED}\s*\}}", True),
        (None, rf"\??\s*:\s*(?:Optional\[)?(?:str|string|&?'?\w*\s?str)\]?(?:\s*\|\s*\w+)*\s*=\s*{_QUOTED}", True),
        (None, rf"\s+As\s+\w+\s*=\s*{_QUOTED}", True),
        (r"^\s*|[,({]\s*:?|\s:", rf"\s+{_QUOTED}\s*(?:[;,)}}\]]|$)", True),
        (r"\bset\s+(?:-\w+\s+)*", rf"\s+(?:{_QUOTED}|(?P<bare>[^\s\"'$(=]+)$)", True),
        (r"\s-", rf"\s+{_QUOTED}", True),
        (
            r"<(?:key|[\w-]*name)>[\w.-]{0,40}?",
            r"[\w.-]*</[\w-]+>\s*<[\w-]*(?:value|string)>(?P<bare>[^<>\n]{1,300})</",
            True,
        ),
        (r"<", r"(?:\s[^<>]{0,200})?>(?P<bare>[^<>\s][^<>\n]{0,300})</", True),
        (r"\b(?:name|key)\s*=\s*[\"']", rf"[\"'][^<>\n]{{0,200}}?\bvalue\s*=\s*{_QUOTED}", True),
        (r"^\s*(?:ENV|ARG)\s+", r"\s+(?P<bare>[^\s=]\S{0,300})$", True),
        (None, rf"(?:[\"'`]\]?)?\s*(?::=|=>|:(?!:)|=)\s*(?:{_QUOTED}|{_BARE})", False),
    )
)
_UPTO = r"[^\n|;&]{0,200}?"  # the rest of a command
_HOST = r"[\"'](?:[\w-]+\.[\w.-]+|localhost)[\"']"
_CONNECT = rf"\b\w*(?:connect|open)\w*\s*\(\s*{_HOST}\s*,\s*{_STRING}\s*,\s*"
# words of clients, servers and SQL, whose names do not sound like a secret
_WORDS = tuple(
    (name, re.compile(one, re.IGNORECASE))
    for name, one in (
        ("-p", rf"\b(?:mysql|mariadb)(?:dump|admin|import|check)?\b{_UPTO}\s-p(?!assw|ort|rot|ipe|lug){_OPTION}"),
        ("-a", rf"\bredis-cli\b{_UPTO}\s-a\s+{_OPTION}"),
        ("-P", rf"\bsqlcmd\b{_UPTO}\s-P\s+{_OPTION}"),
        ("-pas", rf"\b(?:isql|gbak|gsec|gfix|nbackup)\b{_UPTO}\s-pas?\w*\s+{_OPTION}"),
        (
            "user/password",
            r"\b(?:sqlplus|rman|expdp|impdp|sqlldr|exp|imp)\s+(?:-\w+\s+)*[\"']?\w{1,30}/(?P<bare>[^\s@\"'$]{2,60})@",
        ),
        ("Open", rf"\.Open\s+\"[^\"\n]*\"\s*,\s*\"[^\"\n]*\"\s*,\s*{_QUOTED}"),
        ("connect", rf"[\"'](?:jdbc|dbi|odbc|DSN)[^\"'\n]{{1,300}}[\"']\s*,\s*{_STRING}\s*,\s*{_QUOTED}"),
        ("connect", _CONNECT + _QUOTED),
        ("connect", rf"\bdatabase\s*\(\s*{_STRING}\s*,\s*{_STRING}\s*,\s*{_QUOTED}"),
        ("acl", r"^\s*user\s+\S+\s+on\s[^\n]{0,200}?>(?P<bare>\S{3,300})"),
        ("requirepass", r"(?:^\s*|--)(?:requirepass|masterauth)\s+[\"']?(?P<bare>[^\s\"'#]{3,300})"),
        ("login", r"\blogin\s+\S+\s+password\s+(?P<bare>\S{3,300})"),
        ("IDENTIFIED", r"\b(?:USER|TO)\s+\w+\s+IDENTIFIED\s+BY\s+\"(?P<bare>[^\"\n]{1,300})\""),
        (
            "IDENTIFIED BY",
            rf"(?:^\s*|\b(?:USER|ROLE|TO|GRANT)\b[^;\n]{{0,200}}?)\bIDENTIFIED\s+(?:WITH\s+\w+\s+)?BY\s+{_QUOTED}",
        ),
        ("WITH PASSWORD", rf"\b(?:CREATE|ALTER)\s+(?:ROLE|USER|LOGIN)\b[^\n;]{{0,200}}?\bPASSWORD\s*=?\s*{_QUOTED}"),
        ("OPTIONS PASSWORD", rf"\bOPTIONS\s*\([^\n;]{{0,200}}?\bPASSWORD\s+{_QUOTED}"),
        ("SET PASSWORD", rf"\bSET\s+PASSWORD\b[^\n;]{{0,200}}?=\s*(?:PASSWORD\s*\(\s*)?{_QUOTED}"),
    )
)
CLIENT_WORDS = frozenset(name for name, _ in _WORDS)
# a part of each alternative below: looked for one by one, they take a tenth of the expression's time
_SAID = [
    "sql",
    "mariadb",
    "redis",
    "requirepass",
    "masterauth",
    "identified",
    "alter",
    "create",
    "set",
    "login",
    "jdbc",
    "dbi",
    "odbc",
    "dsn",
    "user",
    "rman",
    "exp",
    "imp",
    "gbak",
    "gsec",
    "database",
    "open",
    "connect",
]
_SAYS = re.compile(
    r"\b(?:mysql|mariadb|redis-cli|sqlcmd|requirepass|masterauth|identified|alter|create|set|login|jdbc|dbi|odbc|dsn|user\s|"
    r"sqlplus|rman|expdp|impdp|sqlldr|exp|imp|isql|gbak|gsec|database\s?\(|open\s+\"|\w*(?:connect|open)\w*\s?\()",
    re.IGNORECASE,
)


def says_secret(line: str) -> bool:
    """Whether a line has a word of a client, a server or SQL that a secret may follow."""
    folded = line.lower()
    return any(word in folded for word in _SAID) and _SAYS.search(line) is not None


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
        # one of two strings, or the last word of a package's, is no name
        if match is None or line[max(0, start - 2) : start] in {'?"', "?'", "::"}:
            continue
        last = match.end()
        for pair in _around(line, match[0], start, match.end()):
            last = max(last, pair.end)
            yield pair
    for name, pattern in _WORDS if says_secret(line) else ():
        for match in pattern.finditer(line):
            yield _pair(match, name, told=True)


def _around(line: str, name: str, start: int, end: int) -> Iterator[Pair]:
    """What stands around a name; a setter's name begins behind its ``set``."""
    bare = name.lstrip("-")
    start, name = start + len(name) - len(bare), bare
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
