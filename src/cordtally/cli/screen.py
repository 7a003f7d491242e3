"""What is printed for people: lines and tables that fit the terminal, in colour where it has any, in its encoding."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable, Sequence

from ..errors import FieldError
from .layout import Column, Line, lay_out

PIPE_WIDTH = 80
_NARROWEST = 20
_CODES = {"bold": "1", "dim": "2", "italic": "3", "red": "31", "green": "32", "yellow": "33", "cyan": "36"}
_STAND_INS = str.maketrans({
    "→": "->", "…": "~", "✓": "+", "✗": "x", "·": ".", "–": "-", "∅": "(nothing)", "←": "<-", "µ": "u", "±": "+-",
    "─": "-", "└": "`", "┘": "'", "│": "|",
    "▁": "_", "▂": "_", "▃": "-", "▄": "-", "▅": "=", "▆": "=", "▇": "#", "█": "#",
})  # fmt: skip
"""What stands for a sign where the output's encoding lacks it, as in a pipe on Windows."""


def clean(text: str) -> str:
    """Replace characters that would move the cursor or hide text, each by one."""
    return text if text.isprintable() else "".join(c if c.isprintable() else "·" for c in text)


def escaped(text: str) -> str:
    """Show characters that would move the cursor or hide text as escapes, like ``\\x1b``."""
    return text if text.isprintable() else "".join(c if c.isprintable() else _escape(c) for c in text)


def _escape(character: str) -> str:
    number = ord(character)
    return f"\\x{number:02x}" if number < 256 else f"\\u{number:04x}" if number < 65536 else f"\\U{number:08x}"


class Screen:
    """Standard output or standard error, and what fits it; every text is shown as it is, and none is markup."""

    def __init__(self, *, err: bool = False) -> None:
        self.stream = sys.stderr if err else sys.stdout
        self.is_terminal = self.stream.isatty()
        self.coloured = self._wants_colour()
        self.encoding = getattr(self.stream, "encoding", None) or "utf-8"

    def _wants_colour(self) -> bool:
        # https://no-color.org; FORCE_COLOR is what many programs heed beside it
        if os.environ.get("NO_COLOR"):
            return False
        return bool(os.environ.get("FORCE_COLOR")) or (self.is_terminal and os.environ.get("TERM") != "dumb")

    @property
    def width(self) -> int:
        """The cells in a line: those of the terminal, or of ``COLUMNS``, or else 80."""
        if self.is_terminal or "COLUMNS" in os.environ:
            from shutil import get_terminal_size

            return max(_NARROWEST, get_terminal_size((PIPE_WIDTH, 24)).columns)
        return PIPE_WIDTH

    def say(self, line: str | Line = "", style: str = "", *, whole: bool = False, hang: int | None = None) -> None:
        """Print a line, broken between words where it does not fit, unless it is to stay ``whole``."""
        self.write([self._fitting(line, style)] if whole else self.lines(line, style, hang))

    def lines(self, line: str | Line, style: str = "", hang: int | None = None) -> list[Line]:
        """Give the lines in which a line fits; what runs on is indented by ``hang`` cells, or as the line itself is."""
        made = self._fitting(line, style)
        indent = len(made.text) - len(made.text.lstrip(" ")) if hang is None else hang
        return made.broken(self.width, min(indent, self.width // 2))

    def say_exactly(self, text: str) -> None:
        """Print a text to be copied: uncut, and but for a terminal, which it might upset, every character of it.

        Raises
        ------
        FieldError
            Where the output's encoding lacks a character: another one in its place would make another text.
        """
        shown = "\n".join(map(escaped, text.split("\n"))) if self.is_terminal else text
        try:
            shown.encode(self.encoding)
        except UnicodeEncodeError:
            raise FieldError(
                f"the text holds a character that the output's encoding, {self.encoding}, lacks\n"
                "    set PYTHONIOENCODING=utf-8"
            ) from None
        self.stream.write(shown + "\n")

    def table(
        self,
        rows: Iterable[Sequence[str | Line]],
        *,
        heads: Sequence[str] = (),
        right: Sequence[int] = (),
        whole: Sequence[int] = (),
        shrink: int = -1,
    ) -> None:
        """Print a table: the columns in ``right`` hold numbers, those in ``whole`` are never broken.

        Column ``shrink`` gives way first; what has no room at all is named below the table.
        """
        self.write(self.table_lines(rows, heads=heads, right=right, whole=whole, shrink=shrink))

    def table_lines(
        self,
        rows: Iterable[Sequence[str | Line]],
        *,
        heads: Sequence[str] = (),
        right: Sequence[int] = (),
        whole: Sequence[int] = (),
        shrink: int = -1,
    ) -> list[Line]:
        """Give the lines of a table."""
        made = [[self._fitting(cell) for cell in row] for row in rows]
        columns = [
            Column(heads[number] if heads else "", of_column, right=number in right, whole=number in whole)
            for number, of_column in enumerate(zip(*made) if made else [()] * len(heads))
        ]
        if not columns:
            return []
        lines, lacking = lay_out(columns, self.width, shrink)
        if lacking:
            lines += self.lines(f"(no room in {self.width} columns for: {', '.join(lacking)})", "dim")
        return lines

    def write(self, lines: Iterable[Line]) -> None:
        """Print lines as they are."""
        self.stream.write("".join([self.drawn(line) + "\n" for line in lines]))

    def drawn(self, line: Line) -> str:
        """Give a line with the codes for its styles (ECMA-48, 8.3.117), where the screen has colours."""
        if not self.coloured:
            return line.text.rstrip(" ")
        return "".join([f"\x1b[{_code(style)}m{text}\x1b[0m" if style else text for text, style in line.runs])

    def _fitting(self, line: str | Line, style: str = "") -> Line:
        """Give a line whose characters move no cursor, and stand in the encoding."""
        made = Line()
        for text, of_run in [(line, style)] if isinstance(line, str) else line.runs:
            shown = "\n".join(map(escaped, text.split("\n")))
            made.append(self.fitting(shown), of_run)
        return made

    def fitting(self, text: str) -> str:
        """Give a text in which the encoding lacks nothing."""
        try:
            text.encode(self.encoding)
        except UnicodeEncodeError:
            return text.translate(_STAND_INS).encode(self.encoding, "replace").decode(self.encoding)
        return text


def _code(style: str) -> str:
    return ";".join([_CODES[word] for word in style.split()])
