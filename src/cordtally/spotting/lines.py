"""Spots connection strings and secrets in one line of whatever text: a source file, a config file, a log.

A candidate is only a span and its shape; what it means is left to ``reading``.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from ..model.suspicion import sounds_secret
from .pairs import CLIENT_WORDS, says_secret, spot_pairs
from .texts import cords_in
from .values import BOTH, is_secret_name, is_secret_value, names_no_secret

_NAME = re.compile(r"[A-Za-z_]\w*(?:\.[A-Za-z_]\w*)+")


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
    for start, end in cords_in(line):
        if code and "://" not in line[start:end] and not _in_quotes(line, start):
            continue  # a statement
        if all(end <= c.start or start >= c.end for c in found):
            found.append(Candidate("cord", start, end))
    for pair in spot_pairs(line) if sounds_secret(line) or says_secret(line) else ():
        in_command = pair.name.isupper() and _in_quotes(line, pair.start)  # "NAME=value program"
        if code and not pair.told and not in_command and (not pair.quoted or _NAME.fullmatch(pair.value)):
            continue
        client = pair.name in CLIENT_WORDS
        if not client and (names_no_secret(pair.name) or not is_secret_name(pair.name, pair.value)):
            continue
        if pair.name.strip("-") == "PASS" and line[: pair.start].rstrip().endswith(":"):
            continue  # what a test run says
        free = all(pair.end <= c.start or pair.start >= c.end for c in found)
        if free and is_secret_value(pair.value, quoted=pair.quoted or pair.told):
            both = BOTH.match(pair.value) if "credential" in pair.name.casefold() else None
            found.append(Candidate("pair", pair.start + (0 if both is None else both.end()), pair.end, pair.name))
    yield from sorted(found, key=lambda c: c.start)


def _in_quotes(line: str, place: int) -> bool:
    return any(line.count(quote, 0, place) % 2 for quote in "\"'`")
