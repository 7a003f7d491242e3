"""Lays styled text out in terminal cells: lines that break between words, and tables that fit or say what they lack.

No word and no figure is cut while there is another way: a line breaks at blanks, a long word behind its punctuation,
and a table drops whole columns, which it names. Nothing here prints.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from ..patterns import pattern
from ..text import cells

GAP = 2
_LONG_WORD = 24  # a word up to this is never broken; of a longer one, the pieces between punctuation
_AFTER = "/&?;,=_.:@-"
_WITH_UNIT = pattern(r"(?<=\d) (?=(?:[nuµm]?s|min|h|d|%|[KMG]?i?B|/s)(?![\w/]))")
_WITHIN_FIGURE = pattern(r"(?<=\d)[.,](?=\d)")
_BOUND, _POINT = "\u00a0", "\u00b7"
_PIECE = pattern(rf"[^{re.escape(_AFTER)}]*[{re.escape(_AFTER)}]?")


class Line:
    """A text in runs, each with its style: names of colours, ``bold``, ``dim``, ``italic``."""

    __slots__ = ("runs",)

    def __init__(self, text: str = "", style: str = "") -> None:
        self.runs = [(text, style)] if text else []

    def append(self, text: str, style: str = "") -> Line:
        """Add a run, and give the line."""
        if text:
            self.runs.append((text, style))
        return self

    @property
    def text(self) -> str:
        """The text without its styles."""
        return "".join([text for text, _ in self.runs])

    def cut(self, start: int, end: int) -> Line:
        """Give the characters between two places as a line."""
        made, position = Line(), 0
        for text, style in self.runs:
            made.append(text[max(0, start - position) : max(0, end - position)], style)
            position += len(text)
        return made

    def broken(self, width: int, hang: int = 0) -> list[Line]:
        """Give the lines in which this one fits a width; what runs on is indented by ``hang`` cells."""
        found, start = [], 0
        for row in self.text.split("\n"):
            for number, (first, last) in enumerate(break_line(row, width, hang)):
                part = self.cut(start + first, start + last)
                if number and hang:
                    part.runs.insert(0, (" " * hang, ""))
                found.append(part)
            start += len(row) + 1
        return found


def break_line(text: str, width: int, hang: int = 0) -> list[tuple[int, int]]:
    """Give the bounds of the lines in which a text fits, without the blanks at which it breaks.

    All lines but the first have ``hang`` cells less.
    """
    bound = _bound(text)
    spans: list[tuple[int, int]] = []
    start = 0
    while cells(text[start:]) > width:
        end = _reach(text, start, width)
        blank = bound.rfind(" ", start, end + 1)
        if blank >= 0 and text[start:blank].strip():
            spans.append((start, blank))
            start = blank + 1
            while text.startswith(" ", start):
                start += 1
        else:
            # behind punctuation, but for a stump at the beginning, unless what follows fits a line of its own
            mark = max(bound.rfind(character, start + 1, end) for character in _AFTER + _BOUND)
            stump = mark <= start + (end - start) // 3
            stop = end if mark < 0 or (stump and cells(_piece_from(bound, mark + 1)) > width) else mark + 1
            spans.append((start, stop - (bound[stop - 1] == _BOUND)))
            start = stop
        if len(spans) == 1:
            width = max(1, width - hang)
    return [*spans, (start, len(text))] if start < len(text) or not spans else spans


def _piece_from(text: str, start: int) -> str:
    match = _PIECE.match(text, start)
    return match[0] if match is not None else ""


def _bound(text: str) -> str:
    """Bind a figure to its unit and to its decimals: the text, as long as it was, for finding where it may break."""
    return _WITHIN_FIGURE.sub(_POINT, _WITH_UNIT.sub(_BOUND, text))


def _reach(text: str, start: int, width: int) -> int:
    """The end of what fits a width, at least one character."""
    if text.isascii():
        return start + max(1, width)
    end, used = start, 0
    while end < len(text) and (used := used + cells(text[end])) <= width:
        end += 1
    return max(end, start + 1)


def least_width(text: str, longest: int = _LONG_WORD) -> int:
    """Give the width below which a word of a text would be broken; longer ones than ``longest`` break anyhow."""
    widest = 0
    for word in _bound(text).split(" "):
        for piece in [word] if cells(word) <= longest else _PIECE.findall(word):
            widest = max(widest, min(cells(piece), _LONG_WORD))
    return widest


class Column:
    """What a table knows of a column: its head, its cells, how wide it wants to be, and whether it may break."""

    def __init__(self, head: str, rows: Sequence[Line], *, right: bool, whole: bool) -> None:
        self.head, self.rows, self.right, self.breaks = head, rows, right, not (right or whole)
        self.given = 0
        texts = [row.text for row in rows]
        self.width = max([cells(head), *(cells(part) for text in texts for part in text.split("\n"))], default=0)
        self.least = max([cells(head), *map(least_width, texts)], default=0) if self.breaks else self.width
        # where the table would lose a column otherwise: words break behind punctuation, however short they are
        self.pinched = max([least_width(text, 0) for text in (head, *texts)], default=0) if self.breaks else self.width


def lay_out(columns: Sequence[Column], width: int, shrink: int = -1) -> tuple[list[Line], list[str]]:
    """Lay a table out in a width: its lines, and the heads of the columns that found no room.

    The column ``shrink`` gives way first, then the others from the right; then whole columns go, the last one first, as
    long as they have heads to be named by. Where even the last two do not fit, each row is a paragraph.
    """
    kept = list(columns)
    order = [columns[shrink], *reversed(columns)]
    while not (fits := _fit(kept, order, width)) and len(kept) > 2 and kept[-1].head:
        kept.pop()
    lacking = [column.head for column in columns[len(kept) :]]
    return (_lines(kept) if fits else _paragraphs(kept, width)), lacking


def _fit(columns: list[Column], order: Iterable[Column], width: int) -> bool:
    """Share the width out, down to the least of each column, and say whether that fits."""
    for column in columns:
        column.given = column.width
    excess = sum(column.width for column in columns) + GAP * (len(columns) - 1) - width
    chosen = [column for column in order if column in columns and column.breaks]
    for bound in ("least", "pinched"):
        for column in chosen:
            taken = max(0, min(excess, column.given - getattr(column, bound)))
            column.given -= taken
            excess -= taken
    return excess <= 0


def _paragraphs(columns: list[Column], width: int) -> list[Line]:
    lines = []
    for row in zip(*(column.rows for column in columns)):
        line = Line()
        for cell in row:
            if cell.runs:
                line.append(" " * (GAP if line.runs else 0))
                line.runs += cell.runs
        lines += line.broken(width, GAP)
    return lines


def _lines(columns: list[Column]) -> list[Line]:
    lines = []
    if any(column.head for column in columns):
        lines += _row([Line(column.head, "bold") for column in columns], columns)
    for cells_of_row in zip(*(column.rows for column in columns)):
        lines += _row(cells_of_row, columns)
    return lines


def _row(row: Sequence[Line], columns: list[Column]) -> list[Line]:
    broken = [cell.broken(column.given) for cell, column in zip(row, columns)]
    lines = []
    for number in range(max(map(len, broken))):
        line, blanks = Line(), 0
        for column, parts in zip(columns, broken):
            part = parts[number] if number < len(parts) else Line()
            rest = max(0, column.given - cells(part.text))
            # blanks are put in only when something follows: none stands at the end of a line
            if part.runs:
                line.append(" " * (blanks + (rest if column.right else 0)))
                line.runs += part.runs
                blanks = 0 if column.right else rest
            else:
                blanks += rest
            blanks += GAP
        lines.append(line)
    return lines
