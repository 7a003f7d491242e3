"""The tree of what a program's file states: its assignments, maps and calls, as far as they are written out.

A value that is computed has none here; a look-up in the environment names its variable, and has its default.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from .nodes import Node
from .offsets import Offsets
from .scalars import decode

_DEEPEST = 100


def build_code(found: Any, text: str, offsets: Offsets, language: Mapping[str, Any]) -> Node:  # noqa: ANN401
    """Make the tree of a parsed program: a map of what its statements assign, return or set, in their order."""
    reader = _Code(text, offsets, language)
    root = Node("map", 0, len(text))
    for statement in reader.statements(found, 0):
        root.pairs += reader.stated(statement)
    return root


class _Code:
    def __init__(self, text: str, offsets: Offsets, language: Mapping[str, Any]) -> None:
        self.text, self.offsets, self.language = text, offsets, language

    def statements(self, found: Any, depth: int) -> Iterator[Any]:  # noqa: ANN401
        """Give the statements of a program and of the classes and blocks in it, but not what stands in a value."""
        kinds = {*self.language["assignments"], *self.language.get("returns", ()), *self.language.get("calls", ())}
        for child in found.children:
            if child.type in kinds:
                yield child
            elif depth < _DEEPEST:
                yield from self.statements(child, depth + 1)

    def stated(self, statement: Any) -> list[tuple[Node, Node]]:  # noqa: ANN401
        language = self.language
        if statement.type in language.get("returns", ()):
            value = next((self.value(child, 0) for child in statement.children if child.is_named), None)
            return value.pairs if value is not None else []
        if statement.type in language.get("calls", ()):
            if self.named(statement) not in language.get("sets", ()):
                return []
            given = self.given(statement)
            return [(given[0], given[1])] if len(given) == 2 else []
        named = [child for child in statement.children if child.is_named]
        if len(named) < 2:
            return []
        left, right = named[0], named[-1]
        value = self.value(right, 0)
        keys = self.path(left)
        if keys[0].value in language.get("roots", ()):
            return value.pairs
        for key in reversed(keys[1:]):
            value = Node("map", value.start, value.end, pairs=[(key, value)])
        return [(keys[0], value)]

    def path(self, left: Any) -> list[Node]:  # noqa: ANN401
        """The keys of what is assigned to: ``$cfg['db']['user']``, ``config.url``."""
        start, end = self.offsets.span(left)
        raw = self.text[start:end]
        head, *keys = raw.replace("[", "\0").replace("]", "").split("\0")
        return [Node("scalar", start, end, one.strip().lstrip("$").strip("'\"")) for one in (head, *keys)]

    def value(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        language, kind = self.language, found.type
        start, end = self.offsets.span(found)
        if depth > _DEEPEST:
            return Node("scalar", start, end)
        if kind in language["maps"]:
            return self.map_or_list(found, depth)
        if kind in language.get("lists", ()):
            return Node("list", start, end, items=[self.value(c, depth + 1) for c in found.children if c.is_named])
        if kind in language.get("calls", ()) or kind in {"subscript", "subscript_expression"}:
            return self.looked_up(found, depth)
        into = language.get("looks_into")
        if into and self.text.startswith(into, start):
            return Node("scalar", start, end, variable=self.text[start + len(into) : end])
        style = language["scalars"].get(kind, "")
        return Node("scalar", start, end, decode(self.text[start:end], style) if style else None, style)

    def map_or_list(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        node = Node("map", *self.offsets.span(found))
        arrow = self.language.get("arrow", ":")
        for child in found.children:
            if child.type not in self.language["elements"]:
                continue
            named = [one for one in child.children if one.is_named]
            if len(named) == 2 and any(one.type == arrow for one in child.children):
                node.pairs.append((self.value(named[0], depth + 1), self.value(named[1], depth + 1)))
            elif len(named) == 1:
                node.items.append(self.value(named[0], depth + 1))
        return node

    def looked_up(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        """A call or an index: a look-up in the environment, a map of keyword arguments, or something computed."""
        start, end = self.offsets.span(found)
        given = self.given(found)
        if self.named(found) in self.language.get("looks_up", ()) and given and given[0].value:
            default = given[1] if len(given) > 1 else None
            return Node("scalar", start, end, default.value if default else None, variable=given[0].value)
        keyword = self.language.get("keyword")
        arguments = found.child_by_field_name("arguments")
        inner = [c for c in arguments.children if c.type in self.language["maps"]] if arguments is not None else []
        if inner and not keyword:
            return self.map_or_list(inner[0], depth + 1)
        pairs = []
        for child in arguments.children if keyword and arguments is not None else ():
            if child.type == keyword:
                name, value = child.child_by_field_name("name"), child.child_by_field_name("value")
                key = Node("scalar", *self.offsets.span(name), name.text.decode())
                pairs.append((key, self.value(value, depth + 1)))
        return Node("map", start, end, pairs=pairs) if pairs else Node("scalar", start, end)

    def named(self, found: Any) -> str:  # noqa: ANN401
        """What is called, or looked into."""
        first = found.children[0] if found.children else found
        return str(first.text.decode())

    def given(self, found: Any) -> list[Node]:  # noqa: ANN401
        """The values of a call's arguments, or of an index."""
        holder = found.child_by_field_name("arguments") or found
        values = []
        for child in holder.children if holder is not found else found.children[1:]:
            if child.type in self.language.get("arguments", ()):
                values += [self.value(one, 1) for one in child.children if one.is_named]
            elif child.is_named and child.type in self.language["scalars"]:
                values.append(self.value(child, 1))
        return values
