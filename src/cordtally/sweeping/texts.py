"""The characters of a file that is swept, and where its bytes are among them."""

from __future__ import annotations

from collections.abc import Iterable

from ..text import encoding_of

_SAMPLE = 4096
_MOSTLY = 0.4  # of every second byte that is zero: UTF-16 without a mark


class Text:
    """A text as characters, and as the UTF-8 bytes that are sifted."""

    def __init__(self, data: bytes, characters: str) -> None:
        self.data, self.characters = data, characters
        self._last = 0, 1  # a place, and the line that it is on

    def spans(self, stretches: Iterable[tuple[int, int]]) -> list[tuple[int, int]]:
        """Give stretches of bytes, in order, as such of characters."""
        if len(self.data) == len(self.characters):
            return [(start, end) for start, end in stretches]
        made, byte, character = [], 0, 0
        for start, end in stretches:
            first = character + len(self.data[byte:start].decode("utf-8", "replace"))
            last = first + len(self.data[start:end].decode("utf-8", "replace"))
            made.append((first, last))
            byte, character = end, last
        return made

    def place(self, start: int, end: int) -> tuple[int, int, int, int]:
        """Give line and column of the first character of a span, and of the one behind its last, from 1."""
        return *self._line(start), *self._line(end)

    def _line(self, place: int) -> tuple[int, int]:
        """Count lines from the place that was asked for last, since places are mostly asked for in order."""
        at, line = self._last if self._last[0] <= place else (0, 1)
        line += self.characters.count("\n", at, place)
        self._last = place, line
        return line, place - self.characters.rfind("\n", 0, place)


def text_of(data: bytes) -> Text | None:
    """Give the text of a whole file, be it UTF-8, UTF-16, UTF-32 or Latin-1; None for what is no text."""
    encoding = encoding_of(data) or _unmarked(data)
    if encoding is None:
        return None
    if encoding != "utf-8-sig":
        characters = data.decode(encoding, "replace").removeprefix("\ufeff")
        return Text(characters.encode("utf-8", "replace"), characters)
    data = data.removeprefix(b"\xef\xbb\xbf")
    try:
        return Text(data, data.decode("utf-8"))
    except UnicodeDecodeError:  # each byte a character: what is ASCII stands where it stood
        characters = data.decode("latin-1")
        return Text(characters.encode("utf-8"), characters)


def _unmarked(data: bytes) -> str | None:
    """UTF-16 that has no mark: of letters in it, one byte of two is zero."""
    first, second = data[:_SAMPLE:2].count(0), data[1:_SAMPLE:2].count(0)
    most = max(_MOSTLY * min(len(data), _SAMPLE) / 2, 4)
    if first == 0 and second > most:
        return "utf-16-le"
    return "utf-16-be" if second == 0 and first > most else None
