"""Parts of a large program that are parsed by themselves, where only a few of its lines are asked for.

A part begins and ends where a blank line is followed by something that stands at the margin. Where the grammar cannot
read it, as when that was the middle of a long string, the whole program is parsed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from .languages import language_facts
from .literals import Literal, Program

_SMALL = 2_000  # characters: of a smaller program the whole is parsed
_MOST = 0.5  # of the program: beyond that, parts save nothing
_LARGEST = 256 << 10  # characters of a program that is parsed as a whole
_MARGIN = re.compile(r"\n[ \t]*\r?\n(?=[A-Za-z_@$])")


class Part(NamedTuple):
    """A parsed part of a program, where it begins, and the stretches of the whole that are asked for in it."""

    program: Program
    start: int
    stretches: list[tuple[int, int]]

    def literals(self, start: int, end: int) -> Iterator[Literal]:
        """Give the strings and comments on a stretch of the whole, as they stand there."""
        for one in self.program.literals(start - self.start, end - self.start):
            yield one.moved(self.start) if self.start else one

    def is_broken(self, start: int, end: int) -> bool:
        """Whether the grammar could not read what stands on a stretch of the whole."""
        return self.program.is_broken(start - self.start, end - self.start)


def parts_of(text: str, language: str, stretches: list[tuple[int, int]]) -> list[Part]:
    """Parse what stretches of a program, given in order, need: nothing of a very large one that has no such parts.

    Raises
    ------
    MissingExtra
        When the grammar is not installed.
    """
    bounds = _bounds(text, stretches) if len(text) > _SMALL and not language_facts(language).get("opened") else []
    made = list[Part]()
    if sum(end - start for start, end, _ in bounds) <= _MOST * len(text):
        for start, end, asked in bounds:
            program = None if _is_within(text, start) else Program(text[start:end], language)
            if program is None or program.tree.root_node.has_error:
                made.clear()
                break
            made.append(Part(program, start, asked))
    if made or len(text) > _LARGEST:
        return made
    return [Part(Program(text, language), 0, stretches)]


def _is_within(text: str, place: int) -> bool:
    """Whether a place may be in the middle of a string or a comment that runs over many lines."""
    if any(text.count(quote, 0, place) % 2 for quote in ('"""', "'''", "`")):
        return True
    if text.rfind("/*", 0, place) > text.rfind("*/", 0, place):
        return True
    told = text.rfind("\n=", 0, place)  # Perl's and Ruby's documentation
    return told >= 0 and not text.startswith(("\n=cut", "\n=end"), told)


def _bounds(text: str, stretches: list[tuple[int, int]]) -> list[tuple[int, int, list[tuple[int, int]]]]:
    margins = [0, *(match.end() for match in _MARGIN.finditer(text)), len(text)]
    made, at = list[tuple[int, int, list[tuple[int, int]]]](), 0
    for start, end in stretches:
        if made and start < made[-1][1]:
            first, _, asked = made.pop()
        else:
            while margins[at + 1] <= start and at + 2 < len(margins):
                at += 1
            first, asked = margins[at], []
        last = at + 1
        while margins[last] < end:
            last += 1
        made.append((first, margins[last], [*asked, (start, end)]))
        at = last - 1
    return made
