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
from .telling import Telling

_DEEPEST = 200
_NEAR = 4_000  # characters: what stands so near together is looked at whole


def build_markup(
    found: Any,  # noqa: ANN401
    text: str,
    offsets: Offsets,
    language: Mapping[str, Any],
    telling: Telling | None,
) -> Node:
    """Make the tree of a parsed document; elements in which nothing is telling are left out, where that is given."""
    reader = _Markup(text, offsets, frozenset(language["keyed_by"]), telling)
    root = Node("map", 0, len(text))
    for child in found.children:
        if child.type == "element":
            root.pairs.append(reader.element(child, 0))
    return root


class _Markup:
    def __init__(self, text: str, offsets: Offsets, keyed_by: frozenset[str], telling: Telling | None) -> None:
        self.text, self.offsets, self.keyed_by, self.telling = text, offsets, keyed_by, telling

    def element(self, found: Any, depth: int) -> tuple[Node, Node]:  # noqa: ANN401
        start, end = self.offsets.span(found)
        tag = next((child for child in found.children if child.type in {"STag", "EmptyElemTag"}), found)
        name = next((child.text.decode() for child in tag.children if child.type == "Name"), "")
        node = Node("map", start, end)
        called = ""
        for child in tag.children:
            if child.type == "Attribute":
                key, value = self.attribute(child)
                node.pairs.append((key, value))
                if not called and (key.value or "").removeprefix("@") in self.keyed_by:
                    called = value.value or ""
        key = Node("scalar", start, start, f"{name}:{called}" if called else name)
        content = next((child for child in found.children if child.type == "content"), None)
        if content is None or depth > _DEEPEST:
            return key, node
        inner = [child for child in content.children if child.type == "element"]
        node.pairs += [self.element(child, depth + 1) for child in inner if self.tells(child)]
        if not inner:
            first, last = self.offsets.span(content)
            raw = self.text[first:last]
            first, last = first + len(raw) - len(raw.lstrip()), last - len(raw) + len(raw.rstrip())
            if first < last:
                value = Node("scalar", first, last, decode(self.text[first:last], "xml-text"), "xml-text")
                if not node.pairs:
                    return key, value
                node.pairs.append((Node("scalar", first, first, "#text"), value))
        return key, node

    def tells(self, found: Any) -> bool:  # noqa: ANN401
        """Whether an element need be looked into; one by one, since the parts of a connection may be elements each."""
        if self.telling is None:
            return True
        start, end = self.offsets.span(found.parent)
        return end - start < _NEAR or self.telling.within(*self.offsets.span(found))

    def attribute(self, found: Any) -> tuple[Node, Node]:  # noqa: ANN401
        name, value = found.children[0], found.children[-1]
        start, end = self.offsets.span(value)
        style = "xml-single" if self.text[start : start + 1] == "'" else "xml-double"
        key = Node("scalar", *self.offsets.span(name), f"@{name.text.decode()}")
        return key, Node("scalar", start, end, decode(self.text[start:end], style), style)
