"""``ask:``: the person at the terminal."""

from __future__ import annotations

from ..errors import LocatorError
from .stores import Described, ReadOnly, Surroundings


class Person(ReadOnly):
    """Somebody who knows the secret."""

    scheme = "ask"

    def get(self, rest: str, around: Surroundings) -> str:
        """Ask; what is typed is not shown."""
        if around.ask is None:
            raise LocatorError("ask: nobody can be asked here; use env:NAME or file:PATH where no person sits")
        return around.ask(rest or "Password")

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List nothing: who knows what is not known."""
        return []

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell that somebody will be asked."""
        return Described("the person at the terminal")
