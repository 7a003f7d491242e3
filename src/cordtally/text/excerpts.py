"""The place of an error, shown: the masked text around it and carets under it, in terminal cells."""

from __future__ import annotations

import unicodedata

from ..errors import TextError
from .masks import doubtful_spans, mask_spans, masked_position

_WIDTH = 72


def cells(text: str) -> int:
    """Count the terminal cells that a text fills: wide characters take two, combining marks none."""
    return sum(0 if unicodedata.combining(c) else 2 if unicodedata.east_asian_width(c) in "WF" else 1 for c in text)


def excerpt(masked: str, caret: tuple[int, int], width: int = _WIDTH) -> list[str]:
    """Give two lines: the part of a masked text around a place, and carets under the place, in terminal cells."""
    start, end = caret
    left = max(0, min(start - width // 2, len(masked) - width))
    right = min(len(masked), left + width)
    shown = "".join(c if c.isprintable() else "·" for c in masked[left:right])
    lead, trail = ("…" if left else ""), ("…" if right < len(masked) else "")
    pad = cells(lead + shown[: max(0, start - left)])
    marks = max(1, cells(shown[max(0, start - left) : max(0, min(end, right) - left)]))
    return [f"{lead}{shown}{trail}", " " * pad + "^" * marks]


def unreadable(
    problem: str,
    text: str,
    span: tuple[int, int],
    *,
    reading_as: str | None = None,
    hint: str | None = None,
    shown: int | None = None,
) -> TextError:
    """Make the error for a text that cannot be read: everything doubtful masked, a caret under the place.

    Only the first ``shown`` characters are shown, all of them where None.
    """
    spans = doubtful_spans(text)
    masked = mask_spans(text, spans)
    start, end = span[0], max(span[1], span[0] + 1)
    caret = masked_position(start, spans), masked_position(end, spans)
    if shown is not None:
        masked = masked[: masked_position(shown, spans)]
    caret = caret[0], max(caret[1], caret[0] + 1)
    return TextError(
        problem,
        reading_as=reading_as,
        masked=masked,
        span=(start, min(end, len(text)) if start < len(text) else end),
        caret=caret,
        excerpt=tuple(excerpt(masked, caret)),
        hint=hint,
    )


def xml_text(text: str) -> str:
    """Replace what XML 1.0 has no way to write (2.2)."""
    return "".join(c if c in "\n\t" or c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in text)
