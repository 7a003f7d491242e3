"""Secrets, texts that contain secrets, and locators; this module decides how each of them shows itself.

Fetching what a locator points at is left to ``cordtally.secrets``.
"""

from __future__ import annotations

import hmac
import re
from dataclasses import dataclass
from typing import NoReturn

from ..errors import FieldError

MASK = "***"
SECRET_WORD = r"pass|pwd|psw|secret|token|credential|(?:api|access|private|account|scram|ssl|client|shared)[ _.-]?key"
_INNER_SECRET = re.compile(rf"(?:{SECRET_WORD})\w{{0,20}}\s*=", re.IGNORECASE)


def hides_secret(value: str) -> bool:
    """Whether a value that is no secret by name holds one all the same, as after reading with the wrong driver."""
    return "=" in value and _INNER_SECRET.search(value) is not None


class Secret:
    """A text that is shown only where the code says ``.unmask()``.

    ``str``, ``repr``, ``format``, ``asdict`` and logging show the mask; pickling is refused; equality takes the same
    time wherever the first difference stands.
    """

    __slots__ = ("_text",)

    def __init__(self, text: str) -> None:
        self._text = text

    def unmask(self) -> str:
        """Give the text itself."""
        return self._text

    def __repr__(self) -> str:
        return f"{type(self).__name__}({MASK!r})"

    def __str__(self) -> str:
        return MASK

    def __format__(self, spec: str) -> str:
        return format(str(self), spec)

    def __bool__(self) -> bool:
        return bool(self._text)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Secret) and hmac.compare_digest(self._bytes(), other._bytes())

    def __hash__(self) -> int:
        return hash(("Secret", self._text))

    def __copy__(self) -> Secret:
        return self

    def __deepcopy__(self, memo: object = None) -> Secret:
        return self

    def __reduce__(self) -> NoReturn:
        raise TypeError("a Secret cannot be pickled; pass its locator instead")

    def _bytes(self) -> bytes:
        return self._text.encode("utf-8", "surrogatepass")


class MaskedText(Secret):
    """A connection string: shows itself with its secrets masked; ``.unmask()`` gives it as the driver wants it."""

    __slots__ = ("_masked",)

    def __init__(self, text: str, masked: str) -> None:
        self._text, self._masked = text, masked

    def __str__(self) -> str:
        return self._masked

    def __repr__(self) -> str:
        return f"MaskedText({self._masked!r})"


_LOCATOR = re.compile(r"([a-z][a-z0-9+.-]*):(.*)", re.DOTALL)


@dataclass(frozen=True, slots=True)
class Locator:
    """Where a secret is kept, as a URI: ``env:TIDES_PASSWORD``, ``file:secrets/tides``, ``ask:``."""

    scheme: str
    rest: str

    @classmethod
    def parse(cls, text: str) -> Locator:
        """Read a locator.

        Raises
        ------
        FieldError
            When the text has no scheme. The message does not quote it: it may be a password put in the wrong place.
        """
        match = _LOCATOR.fullmatch(text)
        if match is None:
            raise FieldError("a locator looks like env:NAME, file:PATH or ask:, and this text has no scheme")
        return cls(match[1], match[2])

    def __str__(self) -> str:
        return f"{self.scheme}:{self.rest}"


def mask_spans(text: str, spans: list[tuple[int, int]]) -> str:
    """Replace each span of a text by the mask; spans may touch or overlap."""
    if len(spans) == 1 and spans[0][1] > spans[0][0]:
        return f"{text[: spans[0][0]]}{MASK}{text[spans[0][1] :]}"
    pieces, position = [], 0
    for start, end in sorted(spans):
        if end <= position:
            continue
        if start >= position:
            pieces.append(text[position:start])
            pieces.append(MASK)
        position = end
    pieces.append(text[position:])
    return "".join(pieces)


def masked_position(position: int, spans: list[tuple[int, int]]) -> int:
    """Give the place in the masked text of a place in the original, the spans being disjoint."""
    shift = 0
    for start, end in sorted(spans):
        if position <= start:
            break
        if position < end:
            return start + shift
        shift += len(MASK) - (end - start)
    return position + shift
