r"""What a ``.gitignore`` file leaves out, as git 2.39 takes it (gitignore(5)): in a time that is bounded.

Expressions made of such patterns can run for ever (``*a`` twenty times), so that they are matched by hand: a star is
gone back to once, and only the last one.
"""

from __future__ import annotations

import os
import stat
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

LARGEST = 1 << 20
_LONGEST = 1_000  # characters of a line: no path is that long
_STAR, _ONE = object(), object()


class _Set(NamedTuple):
    """A bracket: one character of several, or none of them."""

    negated: bool
    ranges: tuple[tuple[str, str], ...]

    def has(self, character: str) -> bool:
        return any(first <= character <= last for first, last in self.ranges) != self.negated


class _Rule(NamedTuple):
    number: int
    leaves_out: bool
    folders_only: bool
    anchored: bool
    segments: tuple[tuple[object, ...] | None, ...]  # None is **


@dataclass(slots=True)
class IgnoreRules:
    """The patterns of one file, to be asked of what stands below its folder."""

    names: dict[str, list[_Rule]] = field(default_factory=dict)
    others: list[_Rule] = field(default_factory=list)

    def verdict(self, parts: tuple[str, ...], *, folder: bool) -> bool | None:
        """Say whether a path below the folder is left out; None where no pattern says anything."""
        best: _Rule | None = None
        for rule in self.names.get(parts[-1], ()):
            if (folder or not rule.folders_only) and (best is None or rule.number > best.number):
                best = rule
        for rule in reversed(self.others):
            if best is not None and rule.number < best.number:
                break
            if (folder or not rule.folders_only) and _fits(rule, parts):
                best = rule
                break
        return None if best is None else best.leaves_out


def load_rules(place: Path) -> IgnoreRules:
    """Read a file of patterns; one that cannot be read, is none, or is too large leaves nothing out."""
    try:
        descriptor = os.open(place, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
    except OSError:
        return IgnoreRules()
    with os.fdopen(descriptor, "rb") as stream:
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            return IgnoreRules()
        data = stream.read(LARGEST + 1)
    return parse_rules("" if len(data) > LARGEST else data.decode("utf-8", "surrogateescape"))


def parse_rules(text: str) -> IgnoreRules:
    """Make rules of lines."""
    made = IgnoreRules()
    for number, line in enumerate(text.removeprefix("\ufeff").split("\n")):
        rule = _rule(number, line.removesuffix("\r")) if len(line) <= _LONGEST else None
        if rule is None:
            continue
        (only,) = rule.segments if len(rule.segments) == 1 else (None,)
        if only is not None and not rule.anchored and all(isinstance(one, str) for one in only):
            made.names.setdefault("".join(map(str, only)), []).append(rule)
        else:
            made.others.append(rule)
    return made


def _rule(number: int, line: str) -> _Rule | None:
    while line.endswith(" ") and not line.endswith("\\ "):
        line = line[:-1]
    if not line or line.startswith("#"):
        return None
    leaves_out = not line.startswith("!")
    line = line if leaves_out else line[1:]
    folders_only = line.endswith("/")
    line = line[:-1] if folders_only else line
    anchored = "/" in line
    line = line.removeprefix("/")
    if not line:
        return None
    segments = list[tuple[object, ...] | None]()
    for piece in _split(line):
        several = len(piece) > 1 and not piece.strip("*")
        tokens = None if several else _tokens(piece)
        if tokens is None and not several:
            return None  # a pattern that is none fits nothing
        segments.append(tokens)
    if segments[-1] is None and len(segments) > 1:
        segments.append((_STAR,))  # what ends in /** is everything inside, and not the folder itself
    return _Rule(number, leaves_out, folders_only, anchored, tuple(segments))


def _split(line: str) -> list[str]:
    """The segments of a pattern; a slash in a bracket parts none, and one behind a backslash is one."""
    made, place, start = list[str](), 0, 0
    while place < len(line):
        if line[place] == "[" and (found := _bracket(line, place + 1)) is not None:
            place = found[1]
        elif line[place] == "/" or line.startswith("\\/", place):
            made.append(line[start:place])
            place = start = place + (1 if line[place] == "/" else 2)
        else:
            place += 2 if line[place] == "\\" else 1
    return [*made, line[start:]]


def _tokens(piece: str) -> tuple[object, ...] | None:
    made, place = list[object](), 0
    while place < len(piece):
        character = piece[place]
        place += 1
        if character == "*":
            if not made or made[-1] is not _STAR:
                made.append(_STAR)
        elif character == "?":
            made.append(_ONE)
        elif character == "\\":
            if place == len(piece):
                return None
            made.append(piece[place])
            place += 1
        elif character == "[":
            found = _bracket(piece, place)
            if found is None:
                return None
            one, place = found
            made.append(one)
        else:
            made.append(character)
    return tuple(made)


_CLASSES = {
    "alpha": (("a", "z"), ("A", "Z")), "digit": (("0", "9"),), "alnum": (("a", "z"), ("A", "Z"), ("0", "9")),
    "upper": (("A", "Z"),), "lower": (("a", "z"),), "space": ((" ", " "), ("\t", "\r")),
    "blank": ((" ", " "), ("\t", "\t")), "xdigit": (("0", "9"), ("a", "f"), ("A", "F")), "print": ((" ", "~"),),
    "punct": (("!", "/"), (":", "@"), ("[", "`"), ("{", "~")), "graph": (("!", "~"),),
    "cntrl": (("\0", "\x1f"), ("\x7f", "\x7f")),
}  # fmt: skip


def _bracket(piece: str, place: int) -> tuple[_Set, int] | None:
    negated = piece[place : place + 1] in {"!", "^"}
    place += negated
    ranges, first = list[tuple[str, str]](), True
    while place < len(piece):
        character = piece[place]
        if character == "]" and not first:
            return _Set(negated, tuple(ranges)), place + 1
        first = False
        if piece.startswith("[:", place) and (end := piece.find(":]", place)) > 0:
            if piece[place + 2 : end] not in _CLASSES:
                return None
            ranges += _CLASSES[piece[place + 2 : end]]
            place = end + 2
            continue
        if character == "\\":
            place += 1
            if place == len(piece):
                return None
            character = piece[place]
        place += 1
        last = character
        if piece[place : place + 1] == "-" and piece[place + 1 : place + 2] not in {"", "]"}:
            place += 1
            if piece[place] == "\\":
                place += 1
            last = piece[place : place + 1]
            place += 1
        ranges += [(character, character), (character, last)]  # of x-a, x alone
    return None


def _fits(rule: _Rule, parts: tuple[str, ...]) -> bool:
    if not rule.anchored:
        segment = rule.segments[0]
        return len(rule.segments) == 1 and (segment is None or _matches(segment, parts[-1]))
    # which numbers of leading parts the segments so far can stand for
    reached = {0}
    for segment in rule.segments:
        if segment is None:
            reached = set(range(min(reached), len(parts) + 1))
        else:
            reached = {n + 1 for n in reached if n < len(parts) and _matches(segment, parts[n])}
        if not reached:
            return False
    return len(parts) in reached


def _matches(tokens: tuple[object, ...], name: str) -> bool:
    at = place = 0
    star, back = -1, 0
    while place < len(name):
        token = tokens[at] if at < len(tokens) else None
        if token is _STAR:
            star, back = at, place
            at += 1
        elif token is _ONE or token == name[place] or (isinstance(token, _Set) and token.has(name[place])):
            at += 1
            place += 1
        elif star >= 0:
            back += 1
            at, place = star + 1, back
        else:
            return False
    return all(token is _STAR for token in tokens[at:])
