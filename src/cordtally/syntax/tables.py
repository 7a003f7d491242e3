"""The tree of a TOML file: tables stand below their headers, and dotted keys are tables, too."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .nodes import Node
from .offsets import Offsets
from .scalars import decode

_DEEPEST = 100


def build_tables(found: Any, text: str, offsets: Offsets, language: Mapping[str, Any]) -> Node:  # noqa: ANN401
    """Make the tree of a parsed document (TOML 1.0)."""
    reader = _Tables(text, offsets, language["scalars"])
    root = Node("map", 0, len(text))
    for child in found.children:
        if child.type == "pair":
            root.pairs.append(reader.pair(child, 0))
        elif child.type in {"table", "table_array_element"}:
            named, *rest = [one for one in child.children if one.is_named and one.type != "comment"]
            value = Node("map", *offsets.span(child), pairs=[reader.pair(one, 0) for one in rest if one.type == "pair"])
            if child.type == "table_array_element":
                value = Node("list", value.start, value.end, items=[value])
            root.pairs.append(reader.below(reader.keys(named), value))
    return root


class _Tables:
    def __init__(self, text: str, offsets: Offsets, scalars: Mapping[str, str]) -> None:
        self.text, self.offsets, self.scalars = text, offsets, scalars

    def pair(self, found: Any, depth: int) -> tuple[Node, Node]:  # noqa: ANN401
        named = [child for child in found.children if child.is_named and child.type != "comment"]
        return self.below(self.keys(named[0]), self.value(named[-1], depth + 1))

    @staticmethod
    def below(keys: list[Node], value: Node) -> tuple[Node, Node]:
        """A value under several keys: a table for each but the last."""
        for key in reversed(keys[1:]):
            value = Node("map", value.start, value.end, pairs=[(key, value)])
        return keys[0], value

    def keys(self, found: Any) -> list[Node]:  # noqa: ANN401
        if found.type == "dotted_key":
            return [key for child in found.children if child.is_named for key in self.keys(child)]
        return [self.value(found, 0)]

    def value(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        start, end = self.offsets.span(found)
        named = [child for child in found.children if child.is_named and child.type != "comment"]
        if found.type == "inline_table" and depth < _DEEPEST:
            return Node("map", start, end, pairs=[self.pair(one, depth) for one in named if one.type == "pair"])
        if found.type == "array" and depth < _DEEPEST:
            return Node("list", start, end, items=[self.value(one, depth + 1) for one in named])
        style = self.scalars.get(found.type, "")
        return Node("scalar", start, end, decode(self.text[start:end], style) if style else None, style)
