"""A cursor over a text: grammars move it, and what it does not find becomes an error with its place.

The words for the error are an argument of `Cursor.expect`, so that a good message costs a grammar nothing.
"""

from __future__ import annotations

import re
from functools import cache


class GrammarError(ValueError):
    """A text that breaks a grammar; the message quotes nothing of it."""

    def __init__(self, problem: str, start: int, end: int, hint: str | None = None) -> None:
        super().__init__(problem)
        self.problem, self.start, self.end, self.hint = problem, start, end, hint


@cache
def _any_of(characters: str) -> re.Pattern[str]:
    return re.compile(f"[{re.escape(characters)}]")


class Cursor:
    """A place in a text that only moves on, up to an end; every method is linear in what it passes over."""

    __slots__ = ("end", "position", "text")

    def __init__(self, text: str, position: int = 0, end: int | None = None) -> None:
        self.text, self.position, self.end = text, position, len(text) if end is None else end

    @property
    def at_end(self) -> bool:
        """Whether nothing is left."""
        return self.position >= self.end

    @property
    def here(self) -> str:
        """The character at the place; empty at the end."""
        return self.text[self.position : self.position + 1] if self.position < self.end else ""

    def sees(self, wanted: str) -> bool:
        """Whether these characters come next; none of them is passed over."""
        return self.text.startswith(wanted, self.position, self.end)

    def take(self, wanted: str) -> bool:
        """Pass over these characters where they come next."""
        if not self.sees(wanted):
            return False
        self.position += len(wanted)
        return True

    def expect(self, wanted: str, problem: str, hint: str | None = None) -> None:
        """Pass over these characters.

        Raises
        ------
        GrammarError
            With the problem, where something else comes next.
        """
        if not self.take(wanted):
            raise self.error(problem, hint=hint)

    def skip(self, characters: str) -> None:
        """Pass over any of these characters, as often as they come."""
        while self.position < self.end and self.text[self.position] in characters:
            self.position += 1

    def find(self, characters: str) -> int:
        """Find the first of these characters from here on; the end where none comes."""
        match = _any_of(characters).search(self.text, self.position, self.end)
        return self.end if match is None else match.start()

    def take_until(self, characters: str) -> tuple[int, int]:
        """Pass over everything up to the first of these characters, or to the end; give the bounds."""
        start, self.position = self.position, self.find(characters)
        return start, self.position

    def take_pattern(self, pattern: re.Pattern[str]) -> re.Match[str] | None:
        """Pass over what a pattern matches here; None where it does not."""
        match = pattern.match(self.text, self.position, self.end)
        if match is not None:
            self.position = match.end()
        return match

    def take_doubled(self, mark: str, problem: str, hint: str | None = None) -> tuple[int, int]:
        """Pass over a value up to its closing mark, which inside is written twice, and over the mark.

        Gives the bounds of the value. The place is behind the opening mark when this is called.

        Raises
        ------
        GrammarError
            With the problem, from the opening mark on, where the mark never comes.
        """
        start = self.position
        while (place := self.text.find(mark, self.position, self.end)) >= 0:
            self.position = place + 1
            if not self.take(mark):
                return start, place
        raise GrammarError(problem, start - 1, self.end, hint)

    def error(
        self, problem: str, *, start: int | None = None, end: int | None = None, hint: str | None = None
    ) -> GrammarError:
        """Make an error for a place: the character here where none is given."""
        begin = self.position if start is None else start
        return GrammarError(problem, begin, max(begin + 1, end if end is not None else begin + 1), hint)
