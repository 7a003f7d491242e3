"""The tree of what a program's file states: its assignments, maps and calls, as far as they are written out.

A value that is computed has none here; a look-up in the environment names its variable, and has its default. What a
call is given stands below its own name: by keyword, or behind it by number. Nothing is run.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache
from typing import Any

from .languages import load_language, lookup_patterns
from .nodes import Node
from .offsets import Offsets
from .scalars import decode

_DEEPEST = 100
_LONGEST_LOOK_UP = 300
# named by some grammars, and nothing to us
PUNCTUATION = frozenset(["comment", "comma", "modifiers", "tuple_start", "tuple_end", "object_start", "object_end"])
_LEFT = ("left", "lhs", "name", "pattern", "variable", "key", "field")
_RIGHT = ("right", "rhs", "value", "val", "default")
_KEYS = re.compile(r"->|::|[.$\[\]{}'\"@%]+")
_SETTER = re.compile(r"(?:(.*)\.)?set([A-Z]\w*)")


def build_code(found: Any, text: str, offsets: Offsets, language: str) -> Node:  # noqa: ANN401
    """Make the tree of a parsed program: a map of what its statements assign, return or set, in their order."""
    reader = Code(text, offsets, language)
    root = Node("map", 0, len(text), pairs=reader.collected(found, 0))
    while reader.pending:  # what stands in a function that is a value
        root.pairs += reader.collected(reader.pending.pop(), 0)
    return root


class Code:
    """Reads the parts of a parsed program."""

    def __init__(self, text: str, offsets: Offsets, name: str) -> None:
        self.text, self.offsets, self.name = text, offsets, name
        self.language: Mapping[str, Any] = load_language(name)
        self.kinds = _kinds(name)
        self.pending: list[Any] = []

    def collected(self, found: Any, depth: int) -> list[tuple[Node, Node]]:  # noqa: ANN401
        """What the statements of a program, and of the classes and blocks in it, state."""
        pairs = list[tuple[Node, Node]]()
        for child in found.children:
            kind = child.type
            if kind in self.kinds["containers"]:
                pairs.append(self.contained(child, depth + 1))
            elif kind in self.kinds["statements"] and self.assigns(child):
                pairs += self.stated(child)
            elif kind == "string" and "defaults" in self.language and (pair := self.defaulted(child)):
                pairs.append(pair)
            elif depth < _DEEPEST and child.child_count:
                pairs += self.collected(child, depth + 1)
        return pairs

    def assigns(self, found: Any) -> bool:  # noqa: ANN401
        """Whether an operator of several uses is one that assigns."""
        if "operators" not in self.language or found.type not in self.kinds["assignments"]:
            return True
        return any(child.type in self.language["operators"] for child in found.children)

    def contained(self, found: Any, depth: int) -> tuple[Node, Node]:  # noqa: ANN401
        """A class or a block: its name, and what stands in it."""
        start, end = self.offsets.span(found)
        named = found.child_by_field_name("name")
        inner = {"body", "block_start", "block_end", "comment", *self.kinds["statements"]}
        heads = [named] if named is not None else [c for c in found.children if c.is_named and c.type not in inner]
        keys = [self.key(one) for one in heads]
        value = Node("map", start, end, pairs=self.collected(found, depth))
        for key in reversed(keys[1:]):
            value = Node("map", start, end, pairs=[(key, value)])
        return keys[0], value

    def stated(self, statement: Any) -> list[tuple[Node, Node]]:  # noqa: ANN401
        """What one statement assigns, returns or calls."""
        if statement.type in self.kinds["returns"]:
            inner = [child for child in statement.children if child.is_named]
            if inner and inner[-1].type in self.kinds["declares"]:
                return self.collected(statement, 1)
            return self.value(inner[-1], 0).pairs if inner else []
        if statement.type in self.kinds["calls"]:
            return self.called(statement)
        left, right = self.sides(statement)
        if left is None or right is None:
            return []
        value = self.sound(statement, right, 0)
        start, end = self.offsets.span(left)
        if self.text[start:end] in self.language.get("roots", ()):
            return value.pairs
        keys = self.path(self.text[start:end], start, end)
        if not keys:
            return []
        for key in reversed(keys[1:]):
            value = Node("map", value.start, value.end, pairs=[(key, value)])
        return [(keys[0], value)]

    @staticmethod
    def sides(found: Any) -> tuple[Any, Any]:  # noqa: ANN401
        """What is named, and what it is: by the grammar's fields, or the first and the last part."""
        named = [child for child in found.children if child.is_named and child.type not in PUNCTUATION]
        left = next((c for field in _LEFT if (c := found.child_by_field_name(field)) is not None), None)
        right = next((c for field in _RIGHT if (c := found.child_by_field_name(field)) is not None), None)
        if left is None and named:
            left = named[0]
        if right is None and len(named) > 1:
            right = named[-1]
        return left, None if right is None or right == left else right

    @staticmethod
    def path(raw: str, start: int, end: int) -> list[Node]:
        """The keys of what is assigned to: ``$cfg['db']['user']``, ``config.url``, ``$cfg->{user}``."""
        head = re.sub(r"^(?:my|our|local|let|var|val|const|this)\b|^env:|\s*(?:,|:\s).*", "", raw, flags=re.DOTALL)
        return [Node("scalar", start, end, one.strip()) for one in _KEYS.split(head) if one.strip()]

    def called(self, statement: Any) -> list[tuple[Node, Node]]:  # noqa: ANN401
        """A call that stands by itself: a setting by name, a setter, or what it is given."""
        named, start = self.callee(statement), self.offsets.span(statement)[0]
        given, pairs = self.given(statement, 0)
        held, _, method = named.rpartition(".")
        if len(given) == 2 and not pairs and {named, f".{method}"} & {*self.language.get("sets", ())}:
            key = Node("scalar", given[0].start, given[0].end, given[0].value)
            value = given[1]
            return [(key, value)] if not held else self._held(held, start, [(key, value)])
        match = _SETTER.fullmatch(named) if self.language.get("setters") and len(given) == 1 and not pairs else None
        if match is not None:
            key = Node("scalar", start, start, match[2])
            return self._held(match[1] or "", start, [(key, given[0])])
        key = Node("scalar", start, start, method)
        made = [(key, Node("map", start, start, pairs=pairs))] if pairs else []
        return made + self.placed(method, start, given)

    @staticmethod
    def _held(name: str, at: int, pairs: list[tuple[Node, Node]]) -> list[tuple[Node, Node]]:
        if not name:
            return pairs
        return [(Node("scalar", at, at, name), Node("map", at, pairs[-1][1].end, pairs=pairs))]

    def defaulted(self, found: Any) -> tuple[Node, Node] | None:  # noqa: ANN401
        """A variable that is given a value where it has none: ``: "${NAME:=default}"``."""
        start, end = self.offsets.span(found)
        match = re.fullmatch(self.language["defaults"], self.text[start:end])
        if match is None:
            return None
        value = Node("scalar", start, end, match["plain"], variable=match["name"])
        return Node("scalar", start, end, match["name"]), value

    def key(self, found: Any) -> Node:  # noqa: ANN401
        """A key: what a string stands for, or else a word as it is written."""
        start, end = self.offsets.span(found)
        raw = self.text[start:end]
        value = self.decoded(raw) if raw[:1] in {"'", '"', "`"} else None
        return Node("scalar", start, end, raw.strip(": '\"\n") if value is None else value)

    def decoded(self, raw: str) -> str | None:
        """What a string stands for; None where that cannot be told."""
        return decode(raw, self.name)

    def value(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        """A value: a string, a number, a map, a list, or a scalar without one, where it is computed."""
        kind = found.type
        start, end = self.offsets.span(found)
        if depth > _DEEPEST:
            return Node("scalar", start, end)
        style = self.language["scalars"].get(kind)
        raw = self.text[start:end]
        if end - start < _LONGEST_LOOK_UP and (looked := self.looked_up(raw, start, end)) is not None:
            return looked
        if style is not None:
            style = self.name if style == "string" else style
            return Node("scalar", start, end, decode(raw, style), style)
        if kind in self.kinds["maps"]:
            return self.map_or_list(found, depth)
        if kind in self.kinds["lists"]:
            items = [self.value(c, depth + 1) for c in found.children if c.is_named and c.type not in PUNCTUATION]
            return Node("list", start, end, items=items)
        if kind in self.kinds["joins"] and (joined := self.joined(found, raw, start, end, depth)) is not None:
            return joined
        if kind in self.kinds["given"]:
            return self.unwrapped(found, raw, depth) or self.call(found, depth)
        named = [child for child in found.children if child.is_named and child.type not in PUNCTUATION]
        same = len(named) == 1 and raw.strip("() \t\r\n") == self.raw(named[0]).strip("() \t\r\n")
        if same or (len(named) == 1 and named[0].type in self.kinds["maps"]):
            return self.value(named[0], depth + 1)
        if found.child_count:
            self.pending.append(found)
        return Node("scalar", start, end)

    def sound(self, whole: Any, found: Any, depth: int) -> Node:  # noqa: ANN401
        """A value; unknown, where the grammar could not read what stands around a single one."""
        if whole.has_error and found.type in self.language["scalars"]:
            return Node("scalar", *self.offsets.span(found))
        return self.value(found, depth)

    def raw(self, found: Any) -> str:  # noqa: ANN401
        """What is written there."""
        start, end = self.offsets.span(found)
        return self.text[start:end]

    def looked_up(self, raw: str, start: int, end: int) -> Node | None:
        """A look-up in the environment, with its default where that is written out."""
        for pattern in lookup_patterns(self.name):
            match = pattern.fullmatch(raw)
            if match is None:
                continue
            groups = match.groupdict()
            variable = groups.get("name") or groups.get("indexed") or groups.get("braced")
            default = groups.get("default")
            value = groups.get("plain") if default is None else self.decoded(default)
            return Node("scalar", start, end, value, variable=variable)
        return None

    def joined(self, found: Any, raw: str, start: int, end: int, depth: int) -> Node | None:  # noqa: ANN401
        """Pieces that are put together, or a look-up with something to fall back on."""
        parts = [child for child in found.children if child.is_named and child.type not in PUNCTUATION]
        signs = {child.type for child in found.children if not child.is_named}
        if len(parts) == 2 and signs & {*self.language.get("falls_back", ())}:
            first, second = self.value(parts[0], depth + 1), self.value(parts[1], depth + 1)
            if first.variable is not None:
                return Node("scalar", start, end, second.value, variable=first.variable)
            return None
        sign = self.language.get("operator", "+")
        if (sign and sign not in signs and signs) or len(parts) < 2:
            return None
        values = [self.value(one, depth + 1) for one in parts]
        if any(one.value is None or one.style not in {self.name, "joined"} for one in values):
            return Node("scalar", start, end)
        return Node("scalar", start, end, "".join(one.value or "" for one in values), "joined")

    def map_or_list(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        """A map or a list that is written out."""
        node = Node("map", *self.offsets.span(found))
        if "arrows" in self.language:
            self._flat(found, node, depth)
            inner = node.items[0] if len(node.items) == 1 and not node.pairs else node
            return inner if inner.kind == "map" else node
        for child in found.children:
            if child.type not in self.kinds["elements"]:
                continue
            left, right = self.sides(child)
            if left is not None and right is not None:
                node.pairs.append((self.key(left), self.sound(child, right, depth + 1)))
            elif left is not None:
                node.items.append(self.value(left, depth + 1))
        return node

    def _flat(self, found: Any, node: Node, depth: int) -> None:  # noqa: ANN401
        """A list in which an arrow makes a pair of what stands on both sides of it."""
        held, key = None, None
        for child in found.children:
            if child.type == "=>":
                key, held = held, None
            elif child.is_named and child.type not in PUNCTUATION:
                if key is not None:
                    node.pairs.append((self.key(key), self.value(child, depth + 1)))
                    key = None
                else:
                    if held is not None:
                        node.items.append(self.value(held, depth + 1))
                    held = child
        if held is not None:
            node.items.append(self.value(held, depth + 1))

    def unwrapped(self, found: Any, raw: str, depth: int) -> Node | None:  # noqa: ANN401
        """A string on which only a method is called that gives it back."""
        for suffix in self.language.get("unwraps", ()):
            if raw.endswith(suffix):
                inner = found
                while inner.children and len(self.raw(inner)) > len(raw) - len(suffix):
                    inner = inner.children[0]
                return self.value(inner, depth + 1)
        return None

    def callee(self, found: Any) -> str:  # noqa: ANN401
        """What is called, without its arguments: ``create_engine``, ``config.setJdbcUrl``."""
        arguments = self.arguments(found)
        start = self.offsets.span(found)[0]
        end = self.offsets.span(arguments if arguments is not None else found)[1 if arguments is None else 0]
        named = re.sub(r"^(?:new|@)\s*|<[^>]*>|[\s(]+$", "", self.text[start:end].strip())
        return re.sub(r"->|::", ".", named).strip(" .")

    @staticmethod
    def arguments(found: Any) -> Any:  # noqa: ANN401
        """The part of a call that holds its arguments."""
        held = found.child_by_field_name("arguments")
        if held is not None:
            return held
        return next((c for c in found.children if c.type in {"value_arguments", "arguments", "list_expression"}), None)

    def given(self, found: Any, depth: int) -> tuple[list[Node], list[tuple[Node, Node]]]:  # noqa: ANN401
        """What a call is given by its place, and by name."""
        places, pairs = list[Node](), list[tuple[Node, Node]]()
        arguments = self.arguments(found)
        if arguments is not None and arguments.type in self.kinds["maps"]:
            node = self.map_or_list(arguments, depth + 1)
            return node.items, node.pairs
        inner = [arguments] if arguments is not None and not arguments.children else []
        for child in inner or (arguments.children if arguments is not None else ()):
            if not child.is_named or child.type in PUNCTUATION:
                continue
            if child.type in self.kinds["arguments"] and child.child_by_field_name("name") is None:
                child = next((one for one in child.children if one.is_named), child)  # noqa: PLW2901
            left, right = self.sides(child) if child.type in self.kinds["keyword"] else (None, None)
            if child.type in self.kinds["keyword"] and left is not None and right is not None:
                pairs.append((self.key(left), self.value(right, depth + 1)))
                continue
            if child.type in self.kinds["pairs"]:
                one, *_, other = child.children
                pairs.append((self.key(one), self.value(other, depth + 1)))
                continue
            made = self.value(child, depth + 1)
            if made.kind == "map":
                pairs += made.pairs
            else:
                places.append(made)
        for field in ("body", "initializer"):
            block = found.child_by_field_name(field)
            if block is not None and block.type in self.kinds["maps"]:
                pairs += self.map_or_list(block, depth + 1).pairs
        return places, pairs

    def call(self, found: Any, depth: int) -> Node:  # noqa: ANN401
        """A call or what is made of a type: a map of what it is given by name, and by its place behind its own name."""
        start, end = self.offsets.span(found)
        places, pairs = self.given(found, depth)
        pairs += self.placed(self.callee(found).rpartition(".")[2], start, places)
        return Node("map", start, end, pairs=pairs) if pairs else Node("scalar", start, end)

    @staticmethod
    def placed(called: str, at: int, places: list[Node]) -> list[tuple[Node, Node]]:
        """What a call is given by its place, under its name: ``create_engine``, ``connect[1]``."""
        names = [f"{called}[{number}]" if number else called for number in range(len(places))]
        return [(Node("scalar", at, at, name), one) for name, one in zip(names, places)]


@cache
def _kinds(name: str) -> Mapping[str, frozenset[str]]:
    """The kinds of nodes by what they are to us."""
    language = load_language(name)
    listed = ("assignments", "returns", "calls", "containers", "maps", "lists", "elements", "joins", "keyword", "pairs")
    made = {what: frozenset(language.get(what, ())) for what in (*listed, "arguments", "composites")}
    declares = frozenset(["lexical_declaration", "variable_declaration", "class_declaration"])
    statements = made["assignments"] | made["returns"] | made["calls"]
    given = made["calls"] | made["composites"]
    return {**made, "statements": statements, "given": given, "declares": declares}
