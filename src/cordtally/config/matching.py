"""Matches the slots of a file with the places of a layout: the connections, and which place of several counts."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import NamedTuple

from ..catalog.pool_libraries import load_pool
from ..syntax import Slot
from .layouts import CordPlaces, Layout, key_pattern

Keys = tuple[str, ...]


class Found(NamedTuple):
    """The slots of one connection, by role; those that lose; and those of its further options and its pool."""

    name: str
    environment: str | None
    places: CordPlaces
    slots: dict[str, Slot]
    options: dict[Keys, Slot]
    losing: list[tuple[str, Slot]]
    pools: dict[str, dict[str, Slot]]


class _Matches:
    """What has been found so far, and how far down in its list each role's place stood."""

    def __init__(self, equal: str) -> None:
        self.equal = equal
        self.entries: dict[tuple[int, str, str | None], Found] = {}
        self.ranks: dict[tuple[int, str, str | None, str], int] = {}

    def take(self, key: tuple[int, str, str | None], role: str, rank: int, slot: Slot) -> None:
        """Put a slot where it belongs: of two for one role the one listed first counts, of equal keys as readers do."""
        entry = self.entries[key]
        best = self.ranks.get((*key, role))
        if best is None or rank < best or (rank == best and self.equal == "last"):
            if best is not None:
                entry.losing.append((role, entry.slots[role]))
            self.ranks[*key, role] = rank
            entry.slots[role] = slot
        else:
            entry.losing.append((role, slot))


def find_cords(layout: Layout, found: Iterable[Slot], equal: str) -> list[Found]:
    """Give the connections that stand at a layout's places, in the order in which they first appear.

    Of two slots for one role the first pattern that is listed counts, of two ``equal`` keys the first or the last.
    """
    listed = list(found)
    documents = _documents(layout, listed)
    matches = _Matches(equal)
    for slot in listed:
        path = ".".join(slot.path)
        for number, places in enumerate(layout.cords):
            for role, rank, groups in _roles(layout, places, path):
                given = groups.get("name") or documents.get((slot.document, "name"))
                name = places.name.format(name=given) if places.name and given else given or places.name
                environment = groups.get("environment") or documents.get((slot.document, "environment"))
                key = (number, name, environment)
                entry = matches.entries.setdefault(key, Found(name, environment, places, {}, {}, [], {}))
                if role == "options":
                    entry.options[slot.path[places.options.count(".") + 1 :]] = slot
                elif role in places.pools:
                    entry.pools.setdefault(role, {})[groups["setting"].lstrip("@")] = slot
                else:
                    matches.take(key, role, rank, slot)
    return [one for one in matches.entries.values() if _counts(layout, one)]


def _roles(layout: Layout, places: CordPlaces, key: str) -> Iterable[tuple[str, int, dict[str, str]]]:
    """The roles of a key: what it is matched as, how far down in the list, and the names in it."""
    for role, paths in places.places.items():
        for rank, path in enumerate(paths):
            match = key_pattern(path, relaxed=layout.relaxed).fullmatch(key)
            if match is not None:
                yield role, rank, match.groupdict()
    if places.options:
        match = key_pattern(places.options + ".{rest}", relaxed=layout.relaxed).match(key)
        if match is not None:
            yield "options", 0, match.groupdict()
    for library, paths in places.pools.items():
        for path in paths:
            match = key_pattern(f"{path}.{{setting}}".lstrip("."), relaxed=layout.relaxed).fullmatch(key)
            if match is not None and folded(match["setting"]) in _settings(library):
                yield library, 0, match.groupdict()


def folded(name: str) -> str:
    """A setting's name as all write it: ``maximum-pool-size`` and ``maximumPoolSize`` are one."""
    return name.casefold().replace("-", "").replace("_", "").lstrip("@")


@cache
def _settings(pool: str) -> frozenset[str]:
    return frozenset(folded(name) for name in load_pool(pool).settings)


def _documents(layout: Layout, found: Iterable[Slot]) -> dict[tuple[int, str], str]:
    """What each document of a file is for, by its number."""
    return {
        (slot.document, what): slot.node.value
        for what, keys in layout.documents.items()
        for slot in found
        if ".".join(slot.path) in keys and slot.node.value
    }


def _counts(layout: Layout, one: Found) -> bool:
    """Whether it is a connection, and of an engine that these places are for."""
    if {"text", "host", "database"}.isdisjoint(one.slots) or one.environment in layout.skips:
        return False
    if not one.places.name and one.name in layout.skips:
        return False
    if not one.places.engines:
        return True
    word = one.slots["engine_in"].node.value or "" if "engine_in" in one.slots else ""
    return layout.engines.get(word.casefold()) in one.places.engines
