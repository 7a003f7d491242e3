"""Fetches secrets from where their locators point, and says what their stores tell of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from ..composing import parse_locator
from ..errors import shielded
from ..journal import note
from ..model import Locator, Secret
from .stores import Described, Surroundings, Together, store_of


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
def fetch_together(locators: Sequence[Locator | str], surroundings: Surroundings | None = None) -> list[Secret]:
    """Fetch several secrets: those of one store in one read, where the store can, so that a pair is not torn.

    Raises
    ------
    LocatorError, FieldError
        As `fetch`.
    """
    groups: dict[tuple[str, str | None, int], list[int]] = {}
    read = [_read(one, surroundings) for one in locators]
    for number, (locator, _) in enumerate(read):
        groups.setdefault((locator.scheme, locator.base, id(locator.declared)), []).append(number)
    made: dict[int, Secret] = {}
    for (scheme, *_), numbers in groups.items():
        store = store_of(scheme)
        if len(numbers) > 1 and isinstance(store, Together):
            values = store.get_together([read[n][0].rest for n in numbers], read[numbers[0]][1])
            made |= {number: Secret(value) for number, value in zip(numbers, values)}
        else:
            made |= {number: fetch(locators[number], surroundings) for number in numbers}
    return [made[number] for number in range(len(locators))]


@shielded
def put_together(secrets: Mapping[Locator, Secret], surroundings: Surroundings | None = None) -> None:
    """Keep several secrets: those of one place in one write, where their store can.

    Raises
    ------
    LocatorError, FieldError
        As `put`.
    """
    stores = {locator.scheme: store_of(locator.scheme) for locator in secrets}
    for scheme, store in stores.items():
        of_store = {locator: secret for locator, secret in secrets.items() if locator.scheme == scheme}
        if isinstance(store, Together):
            _, around = _read(next(iter(of_store)), surroundings)
            store.put_together({locator.rest: secret.unmask() for locator, secret in of_store.items()}, around)
        else:
            for locator, secret in of_store.items():
                put(locator, secret, surroundings)


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
def refuse_unwritable(locator: Locator | str, surroundings: Surroundings | None = None) -> None:
    """Refuse a place that no secret can be put to, before one is asked for.

    Raises
    ------
    LocatorError
        When the store cannot be written.
    FieldError
        When no store has the scheme.
    """
    locator, around = _read(locator, surroundings)
    store = store_of(locator.scheme)
    if not store.writable or getattr(locator.declared, "writable", True) is False:
        store.put(locator.rest, "", around)


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
    if locator.base is None:
        return locator, around
    return locator, replace(around, folder=Path(locator.base), declared=locator.declared)
