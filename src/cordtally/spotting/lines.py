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
from .pairs import CLIENT_WORDS, is_secret_name, says_secret, spot_pairs

_URL = re.compile(
    r"(?:jdbc:)?[a-z][a-z0-9+]{1,30}://[^\s`]{3,}|\bfile:[^\s<>`\"']*[?&](?:mode|cache|vfs|immutable)=[^\s\"'`]*"
)
_DSN = re.compile(r"[^\s\"'`=]{1,200}@(?:tcp|unix)\([^\s()]*\)/[^\s\"'`]*")
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
_ALONE = re.compile(r"dsn|driver|server|data source", re.IGNORECASE)
_LEADS = re.compile(r"\b(?:host|hostaddr|dbname|service)\s*=")
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
    for pair in spot_pairs(line) if sounds_secret(line) or says_secret(line) else ():
        if code and not pair.told and (not pair.quoted or _NAME.fullmatch(pair.value)):
            continue
        if _NO_SECRET_NAME.fullmatch(re.split(SECRET_WORD, pair.name, flags=re.IGNORECASE)[-1]):
            continue
        if pair.name.strip("-") == "PASS" and line[: pair.start].rstrip().endswith(":"):
            continue  # what a test run says
        if not is_secret_name(pair.name, pair.value) and pair.name not in CLIENT_WORDS:
            continue
        free = all(pair.end <= c.start or pair.start >= c.end for c in found)
        if free and _is_secret(pair.value, pair.quoted or pair.told):
            found.append(Candidate("pair", pair.start, pair.end, pair.name))
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
            yield from _semicolons(line)
        for match in _KEYWORD.finditer(line):
            if _LEADS.search(match[0]):
                yield match.span()


def _semicolons(line: str) -> Iterator[tuple[int, int]]:
    """Texts of pairs with semicolons; one ends with the string that it stands in, and another may follow."""
    at = 0
    while (match := _SEMICOLON.search(line, at)) is not None:
        end = _end_of_string(line, match.start(), match.end())
        text = line[match.start() : end].rstrip().rstrip(",")
        if text.count("=") > 1 or _ALONE.match(text):  # anything else is a statement that ends in a semicolon
            yield match.start(), match.start() + len(text)
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
