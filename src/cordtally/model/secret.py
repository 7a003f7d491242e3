"""Secrets, texts that contain secrets, and locators; this module decides how each of them shows itself.

What gives a secret away is left to ``suspicion``, fetching what a locator points at to ``cordtally.secrets``.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NoReturn

MASK = "***"


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
        from hmac import compare_digest  # loads OpenSSL

        return isinstance(other, Secret) and compare_digest(self._bytes(), other._bytes())

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

    def __reduce__(self) -> tuple[type[MaskedText], tuple[str, str]]:  # type: ignore[override]
        if self._text != self._masked:
            raise TypeError("a text with a secret in it cannot be pickled; pass its cord with a locator instead")
        return MaskedText, (self._text, self._masked)

    def __repr__(self) -> str:
        return f"MaskedText({self._masked!r})"


@dataclass(frozen=True, slots=True)
class Locator:
    """Where a secret is kept, as a URI: ``env:TIDES_PASSWORD``, ``file:secrets/tides``, ``ask:``.

    A relative path in it starts from the ``base``, the folder of the tally that it stands in, if it is of one;
    ``declared`` is what that tally declares of the command or the service that it names.
    """

    scheme: str
    rest: str
    base: str | None = field(default=None, compare=False, repr=False)
    declared: object = field(default=None, compare=False, repr=False)

    def __str__(self) -> str:
        return f"{self.scheme}:{self.rest}"


def clear(value: str | Secret) -> str:
    """Give a text that may be masked in clear: what a driver is to read."""
    return value if isinstance(value, str) else value.unmask()
