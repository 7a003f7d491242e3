"""How results are printed: JSON, tables that fit the terminal, masked texts with their parts marked.

User text is never markup: it is wrapped in `Text`, and the console interprets nothing.
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from rich.console import Console
from rich.table import Table
from rich.text import Text

from ..exchange import Reading
from ..text import cells, excerpt, masked_position
from ..vetting import Finding, Severity

PIPE_WIDTH = 80
ZEROES = {
    "unlimited": "no limit",
    "system": "the system's own",
    "none": "not at all",
    "refused": "refused",
    "skipped": "skipped",
    "from-server": "what the server says",
}
SEVERITY_STYLES = {Severity.ERROR: "bold red", Severity.WARNING: "yellow", Severity.NOTE: "cyan"}


def make_console(*, err: bool = False) -> Console:
    """Make a console that prints text as it is; 80 columns wide where it is no terminal."""
    stream = sys.stderr if err else sys.stdout
    width = None if stream.isatty() or "COLUMNS" in os.environ else PIPE_WIDTH
    return Console(file=stream, markup=False, emoji=False, highlight=False, width=width)


def print_json(document: object) -> None:
    """Print a document as indented JSON, never in colour."""
    sys.stdout.write(json.dumps(document, indent=2, ensure_ascii=False) + "\n")


def clean(text: str) -> str:
    """Replace characters that would move the cursor or hide text."""
    return "".join(c if c.isprintable() else "·" for c in text)


def make_table(
    rows: Iterable[Sequence[str | Text]],
    *,
    heads: Sequence[str] = (),
    right: Sequence[int] = (),
    whole: Sequence[int] = (),
    shrink: int = -1,
) -> Table:
    """Make a table without rules; the columns in ``right`` hold numbers, and column ``shrink`` gives way first.

    Columns in ``whole`` are never broken.
    """
    listed = [list(row) for row in rows]
    columns = len(heads) or (len(listed[0]) if listed else 0)
    table = Table(box=None, show_header=bool(heads), padding=(0, 2, 0, 0), header_style="bold", pad_edge=False)
    for index in range(columns):
        flexible = index == (shrink if shrink >= 0 else columns - 1)
        table.add_column(
            heads[index] if heads else "",
            justify="right" if index in right else "left",
            overflow="fold",
            no_wrap=index in right or index in whole,
            ratio=1 if flexible else None,
        )
    for row in listed:
        table.add_row(*(cell if isinstance(cell, Text) else Text(clean(cell)) for cell in row))
    return table


class Mark(NamedTuple):
    """A labelled span of a text that is shown."""

    start: int
    end: int
    label: str


def marked_lines(text: str, marks: Sequence[Mark], width: int) -> list[str]:
    """Lay a text out in lines of a width, each followed by a line that underlines and labels the marked spans."""
    lines: list[str] = []
    shown = clean(text)
    left = 0
    while left < len(shown) or not lines:
        right = _line_end(shown, left, max(20, width))
        piece = shown[left:right]
        under = [" "] * (len(piece) + 1)
        for mark in marks:
            start, end = max(mark.start, left) - left, min(mark.end, right) - left
            if end > start:
                _underline(under, start, end, mark.label if mark.start >= left else "")
        lines += [piece, _widened(piece, under).rstrip()]
        left = right
        if not shown:
            break
    return lines


def _line_end(text: str, left: int, width: int) -> int:
    """End a line after a separator, so that no part is cut in two, unless that would leave it half empty."""
    if len(text) - left <= width:
        return len(text)
    place = max(text.rfind(mark, left + width // 2, left + width) for mark in "&?; ,")
    return place + 1 if place >= 0 else left + width


def _underline(under: list[str], start: int, end: int, label: str) -> None:
    length = end - start
    if not label:
        drawn = "─" * length
    elif length <= len(label):
        drawn = label[:length]
    elif length == len(label) + 1:
        drawn = "└" + label
    else:
        drawn = "└" + label + "─" * (length - len(label) - 2) + "┘"
    under[start:end] = list(drawn)


def _widened(piece: str, under: list[str]) -> str:
    """Give each mark as many cells as the character above it."""
    out = []
    for character, mark in zip(piece, under):
        width = cells(character)
        out.append(mark if width == 1 else mark + ("─" if mark in "─└" else " ") if width == 2 else "")
    return "".join(out)


def print_findings(
    console: Console, findings: Sequence[Finding], *, explain: bool = True, reading: Reading | None = None
) -> None:
    """Print findings, one block each: severity and rule, place, message, why and what to do.

    With the reading that they are about, each place is shown in its masked text.
    """
    for found in findings:
        head = Text(f"{found.severity.value:<9}", style=SEVERITY_STYLES[found.severity])
        head.append(found.rule.value, style="bold")
        if found.line is not None:
            head.append(f"  {clean(found.source or '')}:{found.line}:{found.column}")
        elif found.source is not None:
            head.append(f"  {clean(found.source)}")
        elif found.start is not None and found.end is not None:
            head.append(f"  at character {found.start + 1}", style="dim")
        console.print(head, soft_wrap=True)
        if explain and reading is not None and found.start is not None and found.end is not None:
            for line in _place_in(reading, found.start, found.end):
                console.print(Text("      " + line, style="dim"))
        rows = [("", clean(found.message))]
        if explain:
            rows += [("why", found.why), ("do", clean(found.hint))]
        table = Table(box=None, show_header=False, padding=(0, 1, 0, 0), pad_edge=False)
        table.add_column(width=8, justify="right", style="dim")
        table.add_column(overflow="fold")
        for label, text in rows:
            table.add_row(Text(label), Text(text))
        console.print(table)


def _place_in(reading: Reading, start: int, end: int) -> list[str]:
    spans = list(reading.secret_spans)
    caret = masked_position(start, spans), masked_position(end, spans)
    return excerpt(str(reading.text), (caret[0], max(caret)))


def count_findings(findings: Sequence[Finding]) -> str:
    """Count findings by severity, in words."""
    if not findings:
        return "no findings"
    counts = [(sum(f.severity is s for f in findings), s.value) for s in reversed(Severity)]
    return ", ".join(f"{n} {name}{'' if n == 1 else 's'}" for n, name in counts if n)
