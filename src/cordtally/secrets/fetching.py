"""Fetches secrets from where their locators point, and says what their stores tell of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
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
    return fetch_together([locator], surroundings)[0]


@shielded
def fetch_together(locators: Sequence[Locator | str], surroundings: Surroundings | None = None) -> list[Secret]:
    """Fetch several secrets: those of one store in one read, where the store can, so that a pair is not torn.

    Raises
    ------
    LocatorError, FieldError
        As `fetch`.
    """
    made: dict[int, Secret] = {}
    for numbers, group, around in _grouped(locators, surroundings):
        store = store_of(group[0].scheme)
        if isinstance(store, Together):
            values = store.get_together([one.rest for one in group], around)
        else:
            values = [store.get(one.rest, around) for one in group]
        _take(made, numbers, group, values)
    return [made[number] for number in range(len(locators))]


async def fetch_together_async(
    locators: Sequence[Locator | str], surroundings: Surroundings | None = None
) -> list[Secret]:
    """Fetch several secrets without keeping the loop waiting: in a thread, where the store has no way of its own.

    Raises
    ------
    LocatorError, FieldError
        As `fetch`.
    """
    made: dict[int, Secret] = {}
    for numbers, group, around in _grouped(locators, surroundings):
        waits = getattr(store_of(group[0].scheme), "get_together_async", None)
        if waits is not None:
            values = await waits([one.rest for one in group], around)
        else:
            import asyncio

            fetched = await asyncio.to_thread(fetch_together, group, surroundings)
            values = [secret.unmask() for secret in fetched]
        _take(made, numbers, group, values)
    return [made[number] for number in range(len(locators))]


def _grouped(
    locators: Sequence[Locator | str], surroundings: Surroundings | None
) -> Iterator[tuple[list[int], list[Locator], Surroundings]]:
    """Those locators that one call of a store fetches: their places in the sequence, themselves, and how."""
    read = [_read(one, surroundings) for one in locators]
    groups: dict[tuple[str, str | None, int], list[int]] = {}
    for number, (locator, _) in enumerate(read):
        groups.setdefault((locator.scheme, locator.base, id(locator.declared)), []).append(number)
    for numbers in groups.values():
        yield numbers, [read[number][0] for number in numbers], read[numbers[0]][1]


def _take(made: dict[int, Secret], numbers: list[int], group: list[Locator], values: list[str]) -> None:
    for number, locator, value in zip(numbers, group, values):
        made[number] = Secret(value)
        note("secrets", "fetched the secret at %s", locator)


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
def list_kept(locator: Locator | str, surroundings: Surroundings | None = None) -> list[str]:
    """List the locators of what a store, a folder or a file of it keeps; no secret is given.

    Raises
    ------
    LocatorError, FieldError
        As `fetch`.
    """
    locator, around = _read(locator, surroundings)
    return [f"{locator.scheme}:{rest}" for rest in store_of(locator.scheme).names(locator.rest, around)]


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
