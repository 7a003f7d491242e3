"""Spots connection strings and secrets inside a larger text: a source file, a config file, a log.

A candidate is only a span and its shape; what it means is left to ``reading``.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from ..catalog import load_index, load_stores
from ..model.placeholders import is_placeholder
from ..model.suspicion import SECRET_WORD, sounds_secret

_URL = re.compile(
    r"(?:jdbc:)?[a-z][a-z0-9+]{1,30}://[^\s`]{3,}|\bfile:[^\s<>`\"']*[?&](?:mode|cache|vfs|immutable)=[^\s\"'`]*"
)
_DSN = re.compile(r"[^\s\"'`=]{1,200}@(?:tcp|unix)\([^\s()]*\)/[^\s\"'`]*")
_SEMICOLON = re.compile(
    r"(?:driver|dsn|server|host|data source|username|user id|uid|port)\s*=[^\n\"'`\\]*;"
    r"(?:\\\"(?:[^\"\\\n]|\\.)*\\\"|[^\n\"'`\\]|\"[^\"\n]*\")*",
    re.IGNORECASE,
)
_KEYWORD = re.compile(
    r"\b(?:host|hostaddr|dbname|service)\s*=\s*[^\s;,&\"'`]+(?:\s+[a-z_]+\s*=\s*(?:'[^'\n]*'|[^\s\"'`;,]+))+"
)
_PAIR = re.compile(
    rf"(?P<name>[A-Za-z0-9_.-]{{0,60}}(?:{SECRET_WORD})[A-Za-z0-9_.-]{{0,40}})[\"']?\s*(?::=|=>|[:=])\s*"
    r"(?:(?P<quote>[\"'])(?P<quoted>[^\"'\n]{1,300})(?P=quote)|(?P<bare>[^\s\"',;#<>(){}\[\]]{1,300})(?![(\[{)]))",
    re.IGNORECASE,
)
_REFERENCE = re.compile(
    r"[$%{<@].*|.*[({\[].*|(?:os|process|System|config|settings|self|args|ENV)[.\[].*|"
    r"true|false|none|null|nil|str|string|secret|optional|required|\d{1,4}|/.*|\.{1,2}/.*",
    re.IGNORECASE | re.DOTALL,
)
_IDENTIFIER = re.compile(r"[a-z_]+(?:\.[a-z_]+)+|[a-z]+(?:_[a-z]+)*", re.IGNORECASE)
_NAME = re.compile(r"[A-Za-z_]\w*(?:\.[A-Za-z_]\w*)+")
_DATABASE_URI = re.compile(r"[?&](?:mode|cache|vfs|immutable|nolock)=|\.(?:db|db3|sqlite|sqlite3)(?:[?#]|$)")
_NO_SECRET_NAME = re.compile(
    r"[_.-]?(?:type|hint|name|field|label|ur[il]|header|param|file|path|class|length|size|min|max|policy|format|prompt)s?",
    re.IGNORECASE,
)
_TRAILING = ".,;:!?)]}>\\"


class Candidate(NamedTuple):
    """A span that looks like a connection string (``cord``), or like the value of a secret's name (``pair``)."""

    kind: str
    start: int
    end: int
    name: str | None = None

    def text(self, line: str) -> str:
        """Give the candidate itself, quotes freed from the backslashes that the string around it needs."""
        return line[self.start : self.end].replace('\\"', '"')

    def place(self, line: str, offset: int) -> int:
        """Give the place in the line of a place in `text`."""
        raw, position = line[self.start : self.end], 0
        for _ in range(offset):
            position += 2 if raw.startswith('\\"', position) else 1
        return self.start + position


def spot(line: str, *, code: bool = False) -> Iterator[Candidate]:
    """Find the candidates in one line, left to right, without overlap.

    In ``code`` only a quoted value can be a secret: a bare one is the name of a variable.
    """
    found: list[Candidate] = []
    for start, end in _cords(line):
        if all(end <= c.start or start >= c.end for c in found):
            found.append(Candidate("cord", start, end))
    for match in _PAIR.finditer(line) if sounds_secret(line) else ():
        group = "quoted" if match["quoted"] is not None else "bare"
        start, end = match.span(group)
        if code and (group == "bare" or _NAME.fullmatch(match[group])):
            continue
        if _NO_SECRET_NAME.fullmatch(re.split(SECRET_WORD, match["name"], flags=re.IGNORECASE)[-1]):
            continue
        if _is_secret(match[group], group == "quoted") and all(end <= c.start or start >= c.end for c in found):
            found.append(Candidate("pair", start, end, match["name"]))
    yield from sorted(found, key=lambda c: c.start)


def _cords(line: str) -> Iterator[tuple[int, int]]:
    if "://" in line or "file:" in line:
        for match in _URL.finditer(line):
            start, end = _within_quotes(line, *match.span())
            if _known_scheme(line[start:end]):
                yield start, end
    if "@tcp(" in line or "@unix(" in line:
        for match in _DSN.finditer(line):
            yield match.span()
    if "=" in line:
        if ";" in line:
            for match in _SEMICOLON.finditer(line):
                yield match.start(), match.start() + len(match[0].rstrip().rstrip(","))
        for match in _KEYWORD.finditer(line):
            yield match.span()


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
    authority = text.partition("://")[2].partition("/")[0]
    user, at, _ = authority.rpartition("@")
    return bool(at) and ":" in user


def _is_secret(value: str, quoted: bool) -> bool:
    if len(value) < 3 or is_placeholder(value) or _REFERENCE.fullmatch(value) or _is_locator(value):
        return False
    return quoted or _IDENTIFIER.fullmatch(value) is None or any(c.isdigit() for c in value)


def _is_locator(value: str) -> bool:
    """Whether a value says where a secret is kept: its scheme is that of a store."""
    scheme, colon, _ = value.partition(":")
    return bool(colon) and scheme in load_stores()
