"""Whether lines of a program could tell anything: asked before the file is parsed, since most that were sifted cannot.

What stands between two quotes is looked at, whatever grammar makes of it: rather too much than too little.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache
from typing import Any

from ..model.suspicion import sounds_secret
from .calls import load_calls
from .lines import spot
from .pairs import says_secret
from .sifting import AUTHORITY, PACKED, linear, prefixes
from .texts import cords_of
from .values import is_secret_name, is_secret_value, names_no_secret

_WORD = re.compile(r"[A-Za-z_][\w.-]*(?: [Kk][Ee][Yy])?")
_LISTED = re.compile(r"([\"'`])[^\"'`]{1,60}\1\s*,\s*$")
_OPENED = re.compile(r"[(\[{]\s*(?:[^\"'`,(){}\[\]]{0,60},\s*)?$")
_CALLED = re.compile(r"[\w.:>-]*$")
_DEFAULT = re.compile(r"default|value", re.IGNORECASE)  # then the name may stand far before it
_NEAR = 160  # characters, in which a secret's name stands before its value
_SHORTEST = 8  # characters of a name with a value
_LONGEST = 100_000  # characters: what is longer is not looked at here
_LONGEST_PIECE, _OVERLAP = 4_000, 500  # characters
_BEFORE = 2_000  # characters before a value that are looked at


def promises(lines: str, language: str) -> bool:
    """Whether lines hold what may be a text, a secret, or an argument of a call that connects."""
    if len(lines) > _LONGEST or _text().search(lines.encode()) or _connects(lines, language):
        return True
    if any(True for line in lines.split("\n") for piece in _pieces(line) for _ in spot(piece)):
        return True
    sounds = sounds_secret(lines)
    inner = sounds or says_secret(lines)
    return any(
        cords_of(value) or (inner and _holds(value)) or (sounds and _is_named(value, before))
        for value, before in _quoted(lines)
    )


def _pieces(line: str) -> Iterator[str]:
    """A line, or pieces of a long one, since some expressions look from each place to the end."""
    for first in range(0, max(len(line), 1), _LONGEST_PIECE - _OVERLAP):
        yield line[first : first + _LONGEST_PIECE]


def _quoted(lines: str) -> Iterator[tuple[str, str]]:
    """Give what follows each quote, up to the next one of its kind, and what stands before it.

    Where every line has an even number of them, what follows each second one is no string.
    """
    for quote in "\"'`":
        if quote not in lines:
            continue
        even = quote * 3 not in lines and all(line.count(quote) % 2 == 0 for line in lines.split("\n"))
        at, inside = lines.find(quote), True
        while at >= 0:
            end = lines.find(quote, at + 1)
            if inside or not even:
                yield lines[at + 1 : end if end >= 0 else len(lines)], lines[max(0, at - _BEFORE) : at]
            at, inside = end, not inside


def _holds(value: str) -> bool:
    parted = "=" in value or ":" in value or " " in value
    return parted and len(value) > _SHORTEST and any(True for _ in spot(value))


def _is_named(value: str, before: str) -> bool:
    if not is_secret_value(value, quoted=True):
        return False
    near = before[-_NEAR:]
    listed = _LISTED.search(near)
    if listed is not None and _OPENED.search(near, 0, listed.start()) is None:
        return False  # an item of a list, whose one before it is no name
    names = _WORD.findall(before if _DEFAULT.search(near) else near)
    return any(is_secret_name(name, value) and not names_no_secret(name) for name in names)


@cache
def _text() -> Any:  # noqa: ANN401 -- of a package that need not be there
    return linear("|".join(f"(?:{one})" for one in (*prefixes(), AUTHORITY, rf"(?-i:{PACKED})")))


@cache
def _called() -> re.Pattern[str]:
    return re.compile(rf"\b(?P<name>{'|'.join(load_calls())})\s*\(\s*(?P<first>[^,)\n]*)")


def _connects(lines: str, language: str) -> bool:
    """Whether a function that connects is called, as far as a line tells."""
    for match in _called().finditer(lines):
        before = _CALLED.search(lines[max(0, match.start() - _NEAR) : match.start()])
        shown = f"{before[0] if before else ''}{match['name']} {match['first']}"
        calls = [call for call in load_calls()[match["name"]] if language in call.languages]
        if any(not call.needs or re.search(call.needs, shown) for call in calls):
            return True
    return False
