"""Spots connection strings, secrets and look-ups in a file: in its strings where it has a grammar, else in its lines.

What is spotted is only a place and a shape, what it is called and what it is given to; what it means is judged by
``sweeping``.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import PurePath

from ..errors import CordTallyError
from ..syntax import language_facts
from ..syntax.literals import Literal
from ..syntax.windows import parts_of
from .data import spot_data
from .lines import spot
from .lookups import look_ups
from .promising import promises
from .spots import Spot
from .strings import IN_BASE64, LONGEST_STRING, spot_string, unpacked
from .values import is_secret_name, is_secret_value, names_no_secret

LARGEST_PARSED = 1 << 20  # characters: a larger file is searched by its lines
_LONGEST_LINE, _OVERLAP = 4_000, 1_500  # characters
_USER_LIST = re.compile(r'^\s*"[^"\n]{1,200}"\s+"(?P<value>(?!SCRAM-)[^"\n]{1,300})"', re.MULTILINE)
_CELL = re.compile(r"\"(?:[^\"]|\"\")*\"|[^,;\t\"]+")
_BY_LINES = frozenset(["markdown", "braced"])  # formats whose trees leave out what stands between
# programs without a grammar here: a bare word in them is the name of a variable
_PROGRAMS = frozenset(
    [".h", ".m", ".mm", ".fs", ".fsx", ".vb", ".vbs", ".bas", ".asp", ".aspx", ".cls", ".groovy", ".gvy", ".gradle",
     ".erl", ".hrl", ".hs", ".clj", ".cljs", ".edn", ".d", ".pas", ".pp", ".dpr", ".nim", ".zig", ".jl", ".ml", ".mli",
     ".tcl", ".awk", ".f90", ".for", ".cob", ".ada", ".adb", ".v", ".vhd", ".sql", ".psql", ".plsql", ".pks", ".pkb",
     ".jsp", ".jspx", ".vue", ".svelte", ".html", ".htm", ".phtml", ".twig", ".erb", ".ejs", ".hbs", ".cfm", ".as",
     ".coffee", ".ls", ".elm", ".purs", ".sol"]
)  # fmt: skip


def spot_file(text: str, path: PurePath, format_name: str | None, stretches: Iterable[tuple[int, int]]) -> list[Spot]:
    """Spot what stands in stretches of a text, in its order and without overlap."""
    stretches, found = list(stretches), list[Spot]()
    if path.name.casefold() == "userlist.txt":  # PgBouncer's auth_file
        return [
            Spot(kind="pair", start=m.start("value"), end=m.end("value"), text=m["value"], name="password", told=True)
            for m in _USER_LIST.finditer(text)
        ]
    facts = language_facts(format_name) if format_name else {}
    code = facts.get("kind") == "code"
    by_lines = not code or bool(facts.get("commands"))
    looked_at = list[tuple[int, int]]()
    if format_name is not None and len(text) <= LARGEST_PARSED and format_name not in _BY_LINES:
        try:
            if code:
                found += spot_program(text, format_name, stretches)
            else:
                found += spot_data(text, format_name, stretches, looked_at)
        except CordTallyError:  # no grammar is installed, or it is no file of its format
            by_lines = True
    else:
        by_lines = True
    if by_lines:
        cells = path.suffix.casefold() in {".csv", ".tsv"}
        looked_at.sort()
        lines = _in_lines(text, stretches, code=code or path.suffix.casefold() in _PROGRAMS, cells=cells)
        found += [one for one in lines if one.kind != "pair" or not _is_within(one, looked_at)]
    return _apart(found)


def _is_within(one: Spot, looked_at: list[tuple[int, int]]) -> bool:
    at = bisect_left(looked_at, (one.start + 1,)) - 1
    return at >= 0 and one.start < looked_at[at][1]


def _apart(found: list[Spot]) -> list[Spot]:
    """What does not overlap: what was found first counts, but a whole text before a part of it."""
    kept, starts = list[Spot](), list[int]()
    for one in sorted(found, key=lambda spot: spot.kind != "cord"):
        at = bisect_left(starts, one.start)
        before, after = kept[at - 1 : at] if at else [], kept[at : at + 1]
        if any(spot.end > one.start for spot in before) or any(spot.start < one.end for spot in after):
            continue
        kept.insert(at, one)
        starts.insert(at, one.start)
    return kept


def spot_program(text: str, language: str, stretches: list[tuple[int, int]]) -> Iterator[Spot]:
    """Spot in the strings, comments and look-ups of a program."""
    commands = language_facts(language).get("commands")
    telling = stretches
    if not commands:
        telling = [stretch for stretch in stretches if promises(text[slice(*stretch)], language)]
    if telling:
        yield from _in_program(text, language, telling, commands=bool(commands))
    for start, end in stretches:
        for one in look_ups(text, language, start, end):
            if one.default is None:
                yield Spot(kind="reference", start=one.start, end=one.end, text=one.name, name=one.name)
            elif one.plain and _is_secret(one.name, value := text[slice(*one.default)]):
                yield Spot(kind="pair", start=one.default[0], end=one.default[1], text=value, name=one.name)


def _in_program(text: str, language: str, stretches: list[tuple[int, int]], *, commands: bool) -> Iterator[Spot]:
    seen = set[tuple[int, int]]()
    asked = [(part, start, end) for part in parts_of(text, language, stretches) for start, end in part.stretches]
    if not asked:
        yield from _in_lines(text, stretches, code=True)
    for part, start, end in asked:
        told = False
        for literal in part.literals(start, end):
            told = True
            if (literal.start, literal.end) in seen:
                continue
            if len(literal.text) > LONGEST_STRING:
                for one in _in_lines(text, [(max(start, literal.start), min(end, literal.end))], code=False):
                    yield replace(one, comment=True) if literal.comment else one  # a docstring may be long
            elif literal.comment:
                yield from _in_comment(literal, start, end)
            else:
                seen.add((literal.start, literal.end))
                if commands:  # the client before it tells the engine
                    line = text.rfind("\n", 0, literal.start) + 1
                    literal = literal._replace(beside=(text[line : literal.start], *literal.beside))  # noqa: PLW2901
                yield from spot_string(literal, language)
        if not told or part.is_broken(start, end):
            yield from _in_lines(text, [(start, end)], code=True)


def _is_secret(name: str, value: str) -> bool:
    return is_secret_name(name, value) and not names_no_secret(name) and is_secret_value(value, quoted=True)


def _in_comment(literal: Literal, start: int, end: int) -> Iterator[Spot]:
    (piece,) = literal.pieces
    first, last = max(literal.start, start) - literal.start, min(literal.end, end) - literal.start
    for one in _in_lines(piece.raw, [(first, last)], code=False):
        shifted = replace(one, start=one.start + literal.start, end=one.end + literal.start)
        yield replace(shifted, comment=True, how="a comment")


def _in_lines(text: str, stretches: Iterable[tuple[int, int]], *, code: bool, cells: bool = False) -> Iterator[Spot]:
    for start, end in stretches:
        at = start
        for line in text[start:end].split("\n"):
            if len(line) > _LONGEST_LINE:
                yield from _in_pieces(text, at, at + len(line), code=code)
                at += len(line) + 1
                continue
            section = _section(text, at) if not code else ()
            for first, piece in [(m.start(), m[0]) for m in _CELL.finditer(line)] if cells else [(0, line)]:
                for one in spot(piece, code=code):
                    begins, before = at + first + one.start, line[: first + one.start]
                    ends = begins + one.end - one.start
                    yield Spot(kind=one.kind, start=begins, end=ends, text=one.text(piece), name=one.name,
                               names=section, beside=(before,), how="a line")  # fmt: skip
            for match in IN_BASE64.finditer(line):
                inner = unpacked(match[0])
                if inner is not None:
                    yield Spot(kind="cord", start=at + match.start(), end=at + match.end(), text=inner, how="base64")
            at += len(line) + 1


def _in_pieces(text: str, start: int, end: int, *, code: bool) -> Iterator[Spot]:
    """Search a long line piece by piece, since some expressions look from each place to the end."""
    for first in range(start, end, _LONGEST_LINE - _OVERLAP):
        yield from _in_lines(text, [(first, min(end, first + _LONGEST_LINE))], code=code)


def _section(text: str, at: int) -> tuple[str, ...]:
    """The section that a line stands in, where its file has such."""
    start = text.rfind("\n[", max(0, at - 10_000), at) + 1
    if text[start : start + 1] != "[":
        return ()
    end = text.find("]", start, start + 100)
    return (text[start:end].strip("[]"),) if end > 0 else ()
