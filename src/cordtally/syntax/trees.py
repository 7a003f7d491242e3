"""Turns what a tree-sitter grammar sees in a file into the tree of `nodes`; what the grammar calls things is data."""

from __future__ import annotations

import warnings
from collections.abc import Mapping
from functools import cache
from importlib import import_module
from typing import Any

from ..errors import MissingExtra
from .code import build_code
from .languages import load_language
from .markup import build_markup
from .nodes import Node
from .offsets import Offsets
from .scalars import decode
from .tables import build_tables
from .telling import Telling

_DEEPEST = 200


@cache
def parser_of(name: str) -> Any:  # noqa: ANN401 -- of a package that need not be there
    """Give the parser of a format's grammar.

    Raises
    ------
    MissingExtra
        When its package is not installed.
    """
    language = load_language(name)
    try:
        import tree_sitter

        grammar = import_module(language["module"])
    except ImportError:
        raise MissingExtra(language["package"], "files", f"reading {name.upper()}") from None
    if "pack" in language:
        return tree_sitter.Parser(grammar.get_language(language["pack"]))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # some grammars still hand a number over where a capsule is wanted
        return tree_sitter.Parser(tree_sitter.Language(getattr(grammar, language.get("grammar", "language"))()))


def parse_tree(text: str, name: str, *, all_of_it: bool = True) -> Node:
    """Parse a text in a format; unless ``all_of_it``, maps in which nothing tells of a connection may be empty.

    Raises
    ------
    MissingExtra
        When the grammar's package is not installed.
    """
    data, language = text.encode("utf-8"), load_language(name)
    if "\r" in text and language.get("bare_ends"):
        data = data.replace(b"\\\r\n", b"\\\n ")
    root, offsets = parser_of(name).parse(data).root_node, Offsets(text, data)
    kind = language.get("kind", "")
    if kind == "code":
        return build_code(root, text, offsets, name)
    if kind == "tables":
        return build_tables(root, text, offsets, language)
    telling = None if all_of_it or kind not in {"markup", "pruned"} else Telling(text)
    if kind == "markup":
        return build_markup(root, text, offsets, language, telling)
    return _Builder(text, offsets, language, telling).build(root)


class _Builder:
    def __init__(self, text: str, offsets: Offsets, language: Mapping[str, Any], telling: Telling | None) -> None:
        self.text, self.at, self.language, self.telling = text, offsets.at, language, telling
        self.anchors: dict[str, Node] = {}

    def build(self, found: Any, depth: int = 0) -> Node:  # noqa: ANN401
        """Make the node of what the grammar found; what is none of the known kinds is an empty scalar."""
        language, kind = self.language, found.type
        start, end = self.at(found.start_byte), self.at(found.end_byte)
        if depth > _DEEPEST:
            return Node("scalar", start, end)
        if kind == language.get("documents"):
            inner = [self.build(child, depth + 1) for child in found.children if child.type == "document"]
            return Node("documents", start, end, items=inner)
        if kind in language["through"]:
            return self._through(found, depth)
        if kind in language["maps"]:
            pairs = [
                pair
                for child in found.children
                if child.type in language["pairs"] and (pair := self._pair(child, depth))
            ]
            return Node("map", start, end, pairs=pairs)
        if kind in language["lists"]:
            return Node(
                "list",
                start,
                end,
                items=[self.build(c, depth + 1) for c in found.children if c.is_named and c.type != "comment"],
            )
        style = language["scalars"].get(kind, "")
        return Node("scalar", start, end, decode(self.text[start:end], style) if style else None, style)

    def _pair(self, found: Any, depth: int) -> tuple[Node, Node] | None:  # noqa: ANN401
        key, value = found.child_by_field_name("key"), found.child_by_field_name("value")
        if key is None:
            return None
        end = self.at(found.end_byte)
        if self.telling is not None and value is not None and value.type in self.language["maps"]:
            start = self.at(found.start_byte)
            if not self.telling.within(start, end):
                return self.build(key, depth + 1), Node("map", self.at(value.start_byte), end)
        return self.build(key, depth + 1), Node("scalar", end, end) if value is None else self.build(value, depth + 1)

    def _through(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        """What only wraps another node, and may name it for others (YAML's anchors), or be such a name (an alias)."""
        named = [child for child in found.children if child.is_named and child.type not in {"comment", "tag"}]
        anchor = next((c for c in named if c.type == "anchor"), None)
        inner = next((child for child in named if child is not anchor), None)
        if inner is None:
            return Node("scalar", self.at(found.start_byte), self.at(found.end_byte))
        if inner.type == "alias":
            target = self.anchors.get(self._named(inner, "alias"))
            if target is not None:
                share(target)
                return target
            return Node("scalar", self.at(found.start_byte), self.at(found.end_byte))
        made = self.build(inner, depth + 1)
        if anchor is not None:
            self.anchors[self._named(anchor, "anchor")] = made
        return made

    def _named(self, found: Any, what: str) -> str:  # noqa: ANN401
        wanted = self.language[what]
        return next((child.text.decode() for child in found.children if child.type == wanted), "")


def share(node: Node) -> None:
    """Mark a node, and all below it, as standing for several places."""
    if not node.shared:
        node.shared = True
        for name, value in node.pairs:
            share(name)
            share(value)
        for value in node.items:
            share(value)
