"""Byte offsets of a grammar as places of characters."""

from __future__ import annotations

import re
from bisect import bisect_left
from typing import Any

_CONTINUED = re.compile(rb"[\x80-\xbf]")  # a byte of a character that is not its first (UTF-8, RFC 3629)


class Offsets:
    """Turns offsets in a text's UTF-8 bytes into those of its characters."""

    def __init__(self, text: str, data: bytes) -> None:
        plain = len(data) == len(text)
        self.continued = None if plain else [match.start() for match in _CONTINUED.finditer(data)]

    def at(self, offset: int) -> int:
        """Give the place of the character that begins at a byte."""
        return offset if self.continued is None else offset - bisect_left(self.continued, offset)

    def span(self, found: Any) -> tuple[int, int]:  # noqa: ANN401 -- a node of a package that need not be there
        """Give where a grammar's node begins and ends."""
        return self.at(found.start_byte), self.at(found.end_byte)
