"""Functions that connect: which of their arguments is for what. Facts are in ``catalog/calls.toml``."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Sequence
from functools import cache
from pathlib import Path

from ..catalog import load_index
from ..errors import CatalogError
from ..records import Record

ROLES = ("text", "host", "port", "database", "user", "password", "-")


class Call(Record):
    """A function that connects, by the last word of its name: the roles of its arguments by their places.

    ``needs`` is what its whole name or the first argument must show, ``count`` the number of arguments with which the
    places are these. A text that it is given is one that the driver ``reads``, whatever others would.
    """

    names: tuple[str, ...]
    languages: tuple[str, ...]
    places: tuple[str, ...]
    driver: str = ""
    engine: str = ""
    needs: str = ""
    count: int = 0
    reads: bool = False

    @property
    def engine_meant(self) -> str | None:
        """The engine it is for: its own, or its driver's first."""
        if self.engine:
            return self.engine
        return load_index()["drivers"][self.driver]["engines"][0] if self.driver else None


@cache
def load_calls() -> dict[str, tuple[Call, ...]]:
    """Load the calls, by the last word of what is called."""
    path = Path(__file__).parents[1] / "catalog" / "calls.toml"
    made: dict[str, list[Call]] = {}
    for raw in tomllib.loads(path.read_text("utf-8"))["calls"]:
        try:
            call = Call(
                **{
                    **raw,
                    "names": tuple(raw["names"]),
                    "languages": tuple(raw["languages"]),
                    "places": tuple(raw["places"]),
                }
            )
        except (KeyError, TypeError) as error:
            raise CatalogError(f"{path}: {error}") from None
        for name in call.names:
            made.setdefault(name, []).append(call)
    return {name: tuple(calls) for name, calls in made.items()}


def find_call(called: str, given: Sequence[str], language: str) -> Call | None:
    """Give what is known of a call in a language, by its name and what it is given."""
    last = re.split(r"[.:>]", called)[-1]
    for call in load_calls().get(last, ()):
        fits = not call.count or call.count == len(given)
        shown = f"{called} {given[0] if given else ''}"
        if fits and language in call.languages and (not call.needs or re.search(call.needs, shown)):
            return call
    return None
