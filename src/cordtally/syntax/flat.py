"""The tree of a file of lines: a map of names, or of sections; of password lines, of aliases."""

from __future__ import annotations

from ..lines import Dialect, read_lines
from ..lines.aliases import read_aliases
from ..lines.passwords import FIELDS, read_passwords
from .nodes import Node


def build_lines(text: str, dialect: Dialect) -> Node:
    """Make the tree of names and values; lines that are none of the kind are passed over."""
    root = into = Node("map", 0, len(text))
    for line in read_lines(text, dialect):
        key = Node("scalar", line.start, line.end, line.name)
        if line.section:
            into = Node("map", line.end, line.end)
            root.pairs.append((key, into))
        elif line.pair:
            value = Node("scalar", line.first, line.last, line.value, line.style, variable=line.variable)
            into.pairs.append((key, value))
    return root


def build_passwords(text: str) -> Node:
    """Make the map of password lines, each a map of its five fields below the number of its line."""
    root = Node("map", 0, len(text))
    for number, fields in read_passwords(text):
        if len(fields) == len(FIELDS):
            start, end = fields[0].start, fields[-1].end
            nodes = [Node("scalar", one.start, one.end, one.value, "field") for one in fields]
            pairs = [(Node("scalar", node.start, node.start, name), node) for name, node in zip(FIELDS, nodes)]
            root.pairs.append((Node("scalar", start, start, f"line {number}"), Node("map", start, end, pairs=pairs)))
    return root


def build_aliases(text: str) -> Node:
    """Make the map of aliases; one text that has several names stands for all of them."""
    root = Node("map", 0, len(text))
    for entry in read_aliases(text):
        node = Node("scalar", entry.start, entry.end, entry.text, "alias", shared=len(entry.names) > 1)
        root.pairs += [(Node("scalar", entry.at, entry.at, name), node) for name in entry.names]
    return root
