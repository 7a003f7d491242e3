"""Fetches secrets from where their locators point. Each scheme is one function in one visible table."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ..catalog import find_nearest
from ..composing import parse_locator
from ..errors import FieldError, LocatorError, quoted, shielded
from ..journal import note
from ..model import Locator, Secret

LARGEST_SECRET = 65536


@dataclass(frozen=True, slots=True, kw_only=True)
class Surroundings:
    """What fetching may rely on: the folder that relative paths start from, the variables, and a way to ask."""

    folder: Path = field(default_factory=Path)
    environ: Mapping[str, str] = field(default_factory=lambda: os.environ)
    ask: Callable[[str], str] | None = None


@shielded
def fetch(locator: Locator | str, surroundings: Surroundings | None = None) -> Secret:
    """Fetch the secret that a locator points at.

    Raises
    ------
    LocatorError
        When it is not there; the message names the locator and what to do, never a secret.
    FieldError
        When no store has its scheme.
    """
    if isinstance(locator, str):
        locator = parse_locator(locator)
    if locator.scheme not in SCHEMES:
        raise FieldError(f"no store has the scheme of this locator; there are {', '.join(SCHEMES)}")
    secret = Secret(SCHEMES[locator.scheme](locator.rest, surroundings or Surroundings()))
    note("secrets", "fetched the secret at %s", locator)
    return secret


def _from_environment(name: str, surroundings: Surroundings) -> str:
    value = surroundings.environ.get(name)
    if value is not None:
        return value
    nearest = find_nearest(name, surroundings.environ, most=1)
    hint = f"; {nearest[0]} is set: names must match to the letter" if nearest else f"; set it: export {name}=…"
    raise LocatorError(f"env: the environment variable {quoted(name)} is not set{hint}", nearest=nearest)


def _from_file(path: str, surroundings: Surroundings) -> str:
    place = (surroundings.folder / Path(path).expanduser()).resolve()
    try:
        with place.open("rb") as stream:
            raw = stream.read(LARGEST_SECRET + 1)
    except OSError as error:
        raise LocatorError(
            f"file: {quoted(place)} cannot be read ({os.strerror(error.errno or 0)})", path=place
        ) from None
    if len(raw) > LARGEST_SECRET:
        raise LocatorError(
            f"file: {quoted(place)} is larger than {LARGEST_SECRET:,} bytes: that is no password", path=place
        )
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError:
        raise LocatorError(f"file: {quoted(place)} is not UTF-8 text", path=place) from None
    return text.removesuffix("\n").removesuffix("\r")


def _from_person(prompt: str, surroundings: Surroundings) -> str:
    if surroundings.ask is None:
        raise LocatorError("ask: nobody can be asked here; use env:NAME or file:PATH where no person sits")
    return surroundings.ask(prompt or "Password")


SCHEMES: Mapping[str, Callable[[str, Surroundings], str]] = {
    "env": _from_environment,
    "file": _from_file,
    "ask": _from_person,
}
