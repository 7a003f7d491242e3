"""The tree of a file that holds settings: maps, lists and scalars, each with its span of characters."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from ..errors import FieldError

Path = tuple[str, ...]
MOST_SLOTS = 200_000


class Number(str):
    """Digits that are a number where one stood: they take no quotes, which a YAML text of digits needs."""

    __slots__ = ()


class Host(NamedTuple):
    """A scalar whose value holds another one, from ``start`` to ``end`` of what the scalar stands for."""

    node: Node
    start: int
    end: int


@dataclass(slots=True, eq=False)
class Node:
    """A value: ``kind`` is ``map``, ``list``, ``scalar`` or ``documents``.

    ``start`` and ``end`` bound it as it is written, quotes included; ``value`` is what a reader makes of a scalar, and
    ``style`` how that is written: data of the format. A node that is ``shared`` stands for several places; one with a
    ``variable`` is looked up in the environment, its value being the default. One that stands inside the value of a
    ``host`` (a line of a notebook, a word of several) has the bounds of that.
    """

    kind: str
    start: int
    end: int
    value: str | None = None
    style: str = ""
    pairs: list[tuple[Node, Node]] = field(default_factory=list)
    items: list[Node] = field(default_factory=list)
    shared: bool = False
    variable: str | None = None
    host: Host | None = None


class Slot(NamedTuple):
    """A scalar, and the path of keys that leads to it; ``document`` counts the documents of a file from 0."""

    path: Path
    node: Node
    key: Node | None
    document: int = 0


def slots(root: Node) -> Iterator[Slot]:
    """Give every scalar of a tree with its path, in the order of the file; places in a list are numbers from 0.

    Raises
    ------
    FieldError
        When there are more than `MOST_SLOTS`.
    """
    documents = root.items if root.kind == "documents" else [root]
    count = 0
    for number, document in enumerate(documents):
        for slot in _below(document, (), None):
            count += 1
            if count > MOST_SLOTS:  # a few aliases of aliases can stand for billions of values
                raise FieldError(f"the file holds more than {MOST_SLOTS:,} values")
            yield slot._replace(document=number)


def _below(node: Node, path: Path, key: Node | None) -> Iterator[Slot]:
    if node.kind == "scalar":
        yield Slot(path, node, key)
    for name, value in node.pairs:
        if name.value == "<<" and value.kind == "map":  # YAML's merge key: as if it stood here
            yield from _below(value, path, key)
        else:
            yield from _below(value, (*path, name.value or ""), name)
    for number, value in enumerate(node.items):
        yield from _below(value, (*path, str(number)), key)


def inside(host: Node, start: int, end: int, style: str, value: str | None) -> Node:
    """Give the scalar that stands inside the value of another one."""
    return Node("scalar", host.start, host.end, value, style, host=Host(host, start, end), shared=host.shared)
