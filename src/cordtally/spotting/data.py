"""Spots in a file of data: its values, by the path of keys that leads to each."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterator

from ..syntax import Node, Slot, parse_text, slots
from ..syntax.literals import Literal, Piece
from .lookups import is_telling
from .spots import Spot
from .strings import LONGEST_STRING, VALUE_OF, spot_string, unpacked

_NAME_OF = ("@name", "@key", "@id", "name", "key", "id", "@property", "param-name", "env-entry-name")
# keys that say of which kind what stands beside them is
KIND_OF = re.compile(
    r"(?:.*[._-])?@?(?:engine|dialect|type|client|driver|adapter|dbtype|vendor|connection|scheme)", re.IGNORECASE
)


def spot_data(
    text: str, format_name: str, stretches: list[tuple[int, int]], looked_at: list[tuple[int, int]]
) -> Iterator[Spot]:
    """Spot in the values that stand on some stretches; in a manifest of secrets, in all of them.

    Where a value stands that was ``looked_at``, what its line alone says does not count.
    """
    every = list(slots(parse_text(text, format_name)))
    order = sorted(range(len(every)), key=lambda number: every[number].node.start)
    starts = [every[number].node.start for number in order]
    beside = _Beside(every)
    packed = format_name in {"yaml", "json"} and re.search(r"\bkind\"?:\s*\"?Secret\b", text) is not None
    seen = set[int]()
    for start, end in [(0, len(text))] if packed else stretches:
        at = bisect_left(starts, start)
        while at > 0 and every[order[at - 1]].node.end > start:
            at -= 1
        for number in order[at:]:
            slot = every[number]
            if slot.node.start >= end:
                break
            if id(slot.node) not in seen and slot.node.value is not None:
                seen.add(id(slot.node))
                literal = _literal(text, slot.node, beside.names(slot), beside.kinds(slot.path))
                if packed and slot.path[0] == "data" and (inner := unpacked(slot.node.value)) is not None:
                    literal = literal._replace(pieces=(Piece(literal.pieces[0].start, literal.pieces[0].raw, inner),))
                if not _is_folded(literal):
                    looked_at.append((literal.start, literal.end))
                    yield from spot_string(literal, format_name)
                if slot.node.variable and is_telling(slot.node.variable) and not slot.node.value:
                    yield Spot(
                        kind="reference", start=slot.node.start, end=slot.node.end, text="", name=slot.node.variable
                    )


def _is_folded(literal: Literal) -> bool:
    """Whether a value is very long, or runs over lines that are indented: its lines are looked at as they stand."""
    return literal.end - literal.start > LONGEST_STRING or any(
        "\n" in piece.raw and piece.raw != piece.value for piece in literal.pieces
    )


class _Beside:
    """What the keys beside a value say of it."""

    def __init__(self, every: list[Slot]) -> None:
        self.named: dict[tuple[str, ...], str] = {}
        self.before: dict[int, str] = {}  # what the last name before a value was: elements may have the same path
        last: dict[tuple[str, ...], str] = {}
        self.said: dict[tuple[str, ...], list[tuple[str, str]]] = {}
        for slot in every:
            if slot.path and slot.node.value:
                if slot.path[-1] in _NAME_OF:
                    self.named[slot.path] = last[slot.path[:-1]] = slot.node.value
                elif slot.path[:-1] in last:
                    self.before[id(slot.node)] = last[slot.path[:-1]]
                if KIND_OF.fullmatch(slot.path[-1]):
                    self.said.setdefault(slot.path[:-1], []).append((slot.path[-1], slot.node.value))

    def names(self, slot: Slot) -> tuple[str, ...]:
        """The names that lead to a value; that of a value beside its name is that name."""
        path = slot.path
        names = [re.sub(r"^@|^[\w-]+:(?=.)", "", one) for one in path if not one.isdigit()]
        if names and names[-1].casefold() in VALUE_OF:
            beside = self.before.get(id(slot.node))
            beside = beside or next((one for key in _NAME_OF if (one := self.named.get((*path[:-1], key)))), None)
            names[-1:] = [beside] if beside is not None else []
        return tuple(names)

    def kinds(self, path: tuple[str, ...]) -> tuple[str, ...]:
        """What keys of the same map, or of the one around it, say of the kind: those with the same beginning first."""
        own = path[-1].rpartition("_")[0].casefold() if path else ""
        near = sorted(self.said.get(path[:-1], []), key=lambda pair: pair[0].rpartition("_")[0].casefold() != own)
        return tuple(value for _, value in [*near, *self.said.get(path[:-2], [])][:4])


def _literal(text: str, node: Node, names: tuple[str, ...], beside: tuple[str, ...]) -> Literal:
    value, raw = node.value or "", text[node.start : node.end]
    start, end = node.start, node.end
    if node.host is not None:  # inside the value of another scalar: where just there is only sought
        at = raw.find(value)
        start, raw = (start + at, value) if at >= 0 else (start, raw)
    elif len(raw) >= 2 and raw[0] == raw[-1] and raw[0] in "\"'`" and (raw != value or raw[0] == "`"):
        start, raw, value = start + 1, raw[1:-1], value.strip("`")
    return Literal(node.start, end, (Piece(start, raw, value),), names, beside=beside)
