"""Byte offsets of a grammar as places of characters."""

from __future__ import annotations

from bisect import bisect_right
from itertools import accumulate
from typing import Any


class Offsets:
    """Turns offsets in a text's UTF-8 bytes into those of its characters."""

    def __init__(self, text: str, data: bytes) -> None:
        self.widths = None if len(data) == len(text) else list(accumulate(len(c.encode("utf-8")) for c in text))

    def at(self, offset: int) -> int:
        """Give the place of the character that begins at a byte."""
        return offset if self.widths is None else bisect_right(self.widths, offset)

    def span(self, found: Any) -> tuple[int, int]:  # noqa: ANN401 -- a node of a package that need not be there
        """Give where a grammar's node begins and ends."""
        return self.at(found.start_byte), self.at(found.end_byte)
