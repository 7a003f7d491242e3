"""Fetches secrets from where their locators point, and says what their stores tell of them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from ..composing import parse_locator
from ..errors import shielded
from ..journal import note
from ..model import Locator, Secret
from .stores import Described, Surroundings, store_of


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
    locator, around = _read(locator, surroundings)
    secret = Secret(store_of(locator.scheme).get(locator.rest, around))
    note("secrets", "fetched the secret at %s", locator)
    return secret


@shielded
def put(locator: Locator | str, secret: Secret | str, surroundings: Surroundings | None = None) -> None:
    """Keep a secret where a locator points, in place of one that is there.

    Raises
    ------
    LocatorError
        When the store cannot be written, or cannot hold it.
    FieldError
        When no store has the scheme.
    """
    locator, around = _read(locator, surroundings)
    value = secret.unmask() if isinstance(secret, Secret) else secret
    store_of(locator.scheme).put(locator.rest, value, around)
    note("secrets", "put a secret to %s", locator)


@shielded
def refuse_unwritable(locator: Locator | str) -> None:
    """Refuse a place that no secret can be put to, before one is asked for.

    Raises
    ------
    LocatorError
        When the store cannot be written.
    FieldError
        When no store has the scheme.
    """
    locator = parse_locator(locator) if isinstance(locator, str) else locator
    store = store_of(locator.scheme)
    if not store.writable:
        store.put(locator.rest, "", Surroundings())


@shielded
def drop(locator: Locator | str, surroundings: Surroundings | None = None) -> None:
    """Keep the secret that a locator points at no longer.

    Raises
    ------
    LocatorError, FieldError
        As `put`.
    """
    locator, around = _read(locator, surroundings)
    store_of(locator.scheme).drop(locator.rest, around)
    note("secrets", "dropped the secret at %s", locator)


@shielded
def describe(locator: Locator | str, surroundings: Surroundings | None = None) -> Described:
    """Tell of a secret what its store knows, without giving it.

    Raises
    ------
    LocatorError, FieldError
        As `fetch`.
    """
    locator, around = _read(locator, surroundings)
    return store_of(locator.scheme).describe(locator.rest, around)


def _read(locator: Locator | str, surroundings: Surroundings | None) -> tuple[Locator, Surroundings]:
    """A locator, and what it is fetched by: the folder of its own tally counts before another one."""
    locator = parse_locator(locator) if isinstance(locator, str) else locator
    around = surroundings or Surroundings()
    return locator, around if locator.base is None else replace(around, folder=Path(locator.base))
