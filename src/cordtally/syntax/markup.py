"""The tree of an XML file: an element is a map of its attributes, its elements and its text.

element     tag, or tag:NAME where it has an attribute that names it
attribute   @name
text        the element itself, where it holds nothing else
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .nodes import Node
from .offsets import Offsets
from .scalars import decode

_DEEPEST = 200


def build_markup(found: Any, text: str, offsets: Offsets, language: Mapping[str, Any]) -> Node:  # noqa: ANN401
    """Make the tree of a parsed document."""
    root = Node("map", 0, len(text))
    for child in found.children:
        if child.type == "element":
            root.pairs.append(_element(child, text, offsets, language["keyed_by"], 0))
    return root


def _element(found: Any, text: str, offsets: Offsets, keyed_by: list[str], depth: int) -> tuple[Node, Node]:  # noqa: ANN401
    start, end = offsets.span(found)
    tag = next((child for child in found.children if child.type in {"STag", "EmptyElemTag"}), found)
    name = next((child.text.decode() for child in tag.children if child.type == "Name"), "")
    node = Node("map", start, end)
    called = ""
    for child in tag.children:
        if child.type == "Attribute":
            key, value = _attribute(child, text, offsets)
            node.pairs.append((key, value))
            if not called and (key.value or "").removeprefix("@") in keyed_by:
                called = value.value or ""
    key = Node("scalar", start, start, f"{name}:{called}" if called else name)
    content = next((child for child in found.children if child.type == "content"), None)
    if content is None or depth > _DEEPEST:
        return key, node
    inner = [child for child in content.children if child.type == "element"]
    node.pairs += [_element(child, text, offsets, keyed_by, depth + 1) for child in inner]
    if not inner:
        first, last = offsets.span(content)
        raw = text[first:last]
        first, last = first + len(raw) - len(raw.lstrip()), last - len(raw) + len(raw.rstrip())
        if first < last:
            value = Node("scalar", first, last, decode(text[first:last], "xml-text"), "xml-text")
            if not node.pairs:
                return key, value
            node.pairs.append((Node("scalar", first, first, "#text"), value))
    return key, node


def _attribute(found: Any, text: str, offsets: Offsets) -> tuple[Node, Node]:  # noqa: ANN401
    name, value = found.children[0], found.children[-1]
    start, end = offsets.span(value)
    style = "xml-single" if text[start : start + 1] == "'" else "xml-double"
    key = Node("scalar", *offsets.span(name), f"@{name.text.decode()}")
    return key, Node("scalar", start, end, decode(text[start:end], style), style)
