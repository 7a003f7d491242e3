"""Slots as the names and values that a process will have: lists of NAME=VALUE, items with a name, words, base64."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from ..syntax import Node, Slot, inside
from ..syntax.scalars import decode
from .layouts import Layout, Spread, key_pattern

# a slot below a spread place, what it is about, and the keys below that
_Below = tuple[Slot, tuple[str, ...], tuple[str, ...]]
_WORD = re.compile(r"\s*(?:\"((?:[^\"\\]|\\.)*)\"|'((?:[^'\\]|\\.)*)'|((?:[^\s\\]|\\.)+))")


def spread(layout: Layout, found: Iterable[Slot]) -> list[Slot]:
    """Give the names and values below the places that a layout spreads; all slots, where it spreads none."""
    if not layout.spread:
        return list(found)
    listed, made = list(found), list[Slot]()
    names = {
        slot.document: slot.node.value for slot in listed if ".".join(slot.path) in layout.documents.get("name", ())
    }
    secrets = {slot.document for slot in listed if slot.path == ("kind",) and slot.node.value == "Secret"}
    below: list[_Below]
    for one in layout.spread:
        pattern = key_pattern(one.at + ".", relaxed=False)
        below = []
        for slot in listed:
            key = ".".join(slot.path) + "."
            match = pattern.match(key)
            if match is not None:
                name = match.groupdict().get("name") or names.get(slot.document)
                rest = slot.path[one.at.count(".") + 1 :]
                about: tuple[str, ...] = (name,) if name else ()
                below.append((slot, about, rest))
        made += _spread(one, below, secrets)
    return made


def _spread(one: Spread, below: list[_Below], secrets: set[int]) -> Iterator[Slot]:
    if one.how == "named":
        yield from _named(below)
        return
    for slot, about, rest in below:
        value = slot.node.value or ""
        if one.how == "manifest" and rest and slot.document in secrets:
            decoded = decode(value, "base64")
            node = slot.node if decoded is None else inside(slot.node, 0, len(value), "base64", decoded)
            yield slot._replace(path=(*about, *rest), node=node)
        elif one.how in {"map", "manifest", "pairs"} and rest and not rest[0].isdigit():
            yield slot._replace(path=(*about, *rest))
        elif one.how == "pairs" and "=" in value:
            name, _, text = value.partition("=")
            node = inside(slot.node, len(name) + 1, len(value), "part", text)
            yield slot._replace(path=(*about, name), node=node)
        elif one.how == "words":
            yield from _words(slot, about, value)


def _named(below: list[_Below]) -> Iterator[Slot]:
    """Items of a list that are maps with a name and a value, or a reference to one that is kept elsewhere."""
    names = {(*about, rest[0], slot.document): slot.node.value for slot, about, rest in below if rest[1:] == ("name",)}
    keys: dict[tuple[object, ...], str] = {}
    for slot, about, rest in below:
        if rest[1:3] == ("valueFrom", "secretKeyRef") or rest[1:3] == ("valueFrom", "configMapKeyRef"):
            held = keys.get((*about, rest[0], slot.document))
            keys[*about, rest[0], slot.document] = "/".join(filter(None, (held, slot.node.value)))
    for slot, about, rest in below:
        at = (*about, rest[0], slot.document)
        name = names.get(at)
        if name and rest[1:] == ("value",):
            yield slot._replace(path=(*about, name))
        elif name and rest[1:2] == ("valueFrom",) and rest[3:] == ("key",):
            node = Node("scalar", slot.node.start, slot.node.end, None, variable=keys.get(at, name))
            yield slot._replace(path=(*about, name), node=node)


def _words(slot: Slot, about: tuple[str, ...], value: str) -> Iterator[Slot]:
    """Several NAME=VALUE words in one value, each perhaps in quotes (systemd.syntax(7)); %% is one percent."""
    for match in _WORD.finditer(value):
        group = next(number for number in (1, 2, 3) if match[number] is not None)
        name, sign, text = match[group].partition("=")
        if sign:
            start = match.start(group) + len(name) + 1
            clean = re.sub(r"\\(.)", r"\1", text).replace("%%", "%")
            node = inside(slot.node, start, match.end(group), "unit-word" if group == 3 else "unit-quoted", clean)
            yield slot._replace(path=(*about, name), node=node)
