"""What several commands print: JSON, masked texts with their parts marked, findings."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from typing import NamedTuple

from ..exchange import Reading
from ..text import cells, excerpt, masked_position
from ..vetting import Finding, Severity
from .layout import Line
from .screen import Screen, clean

ZEROES = {
    "unlimited": "no limit",
    "system": "the system's own",
    "none": "not at all",
    "refused": "refused",
    "skipped": "skipped",
    "from-server": "what the server says",
}
DIFF_STYLES = {"+": "green", "-": "red", "@": "cyan"}
SEVERITY_STYLES = {Severity.ERROR: "bold red", Severity.WARNING: "yellow", Severity.NOTE: "cyan"}


def print_json(document: object) -> None:
    """Print a document as indented JSON, never in colour."""
    shown = json.dumps(document, indent=2, ensure_ascii=False)
    # a file's name may be no UTF-8, and an output may be no Unicode: then as JSON's own escapes
    encoding = sys.stdout.encoding or "utf-8"
    if not _fits(shown, encoding):
        shown = json.dumps(document, indent=2)
    sys.stdout.write(shown + "\n")


def _fits(text: str, encoding: str) -> bool:
    try:
        text.encode(encoding)
    except UnicodeEncodeError:
        return False
    return True


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
    for marks in ("&?; ,", "/@"):
        place = max(text.rfind(mark, left + width // 2, left + width) for mark in marks)
        if place >= 0:
            return place + 1
    return left + width


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
    screen: Screen, findings: Sequence[Finding], *, explain: bool = True, reading: Reading | None = None
) -> None:
    """Print findings, one block each: severity and rule, place, message, why and what to do.

    With the reading that they are about, each place is shown in its masked text.
    """
    for found in findings:
        head = Line(f"{found.severity.value:<9}", SEVERITY_STYLES[found.severity]).append(found.rule.value, "bold")
        if found.line is not None:
            head.append(f"  {found.source or ''}:{found.line}:{found.column}")
        elif found.source is not None:
            head.append(f"  {found.source}")
        elif found.start is not None and found.end is not None:
            head.append(f"  at character {found.start + 1}", "dim")
        screen.say(head, whole=found.line is not None, hang=9)
        if explain and reading is not None and found.start is not None and found.end is not None:
            for line in _place_in(reading, found.start, found.end, screen.width - 11):
                screen.say(" " * 9 + line, "dim", whole=True)
        for label, text in [("", found.message), *([("why", found.why), ("do", found.hint)] if explain else [])]:
            screen.say(Line(f"{label:>8} ", "dim").append(text), hang=9)


def _place_in(reading: Reading, start: int, end: int, width: int) -> list[str]:
    spans = list(reading.secret_spans)
    caret = masked_position(start, spans), masked_position(end, spans)
    return excerpt(str(reading.text), (caret[0], max(caret)), width)


def count_findings(findings: Sequence[Finding]) -> str:
    """Count findings by severity, in words."""
    if not findings:
        return "no findings"
    counts = [(sum(f.severity is s for f in findings), s.value) for s in reversed(Severity)]
    return ", ".join(f"{n} {name}{'' if n == 1 else 's'}" for n, name in counts if n)
