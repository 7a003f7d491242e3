"""A change to a text that removes a finding: where, and what is put there. Whether it is right is for ``mending``."""

from __future__ import annotations

from dataclasses import dataclass

from ..model import Secret, clear


@dataclass(frozen=True, slots=True)
class Edit:
    """Put ``text`` in the place of what stands from ``start`` to ``end``, in characters.

    It shows where and not what: a password may stand there.
    """

    start: int
    end: int
    text: str | Secret

    def __post_init__(self) -> None:
        if isinstance(self.text, str):
            object.__setattr__(self, "text", Secret(self.text))

    def applied(self, whole: str) -> str:
        """Give a text with the change made."""
        return whole[: self.start] + clear(self.text) + whole[self.end :]


@dataclass(frozen=True, slots=True)
class Fix:
    """An edit where it stands in a file, lines and columns from 1: proved, and without a secret on either side."""

    line: int
    column: int
    end_line: int
    end_column: int
    text: str

    def to_dict(self) -> dict[str, object]:
        """Give it as plain values."""
        return {slot: getattr(self, slot) for slot in self.__slots__}


def edit_between(old: str, new: str) -> Edit:
    """Give the smallest edit that makes one text of another."""
    start = _alike(old, new)
    tail = _alike(old[start:][::-1], new[start:][::-1])
    return Edit(start, len(old) - tail, new[start : len(new) - tail])


def _alike(one: str, other: str) -> int:
    """How many characters at the beginning are the same."""
    return next((n for n, (a, b) in enumerate(zip(one, other)) if a != b), min(len(one), len(other)))
