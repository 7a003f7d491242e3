"""Files of settings in braces: Odyssey's (``name "label" { key value }``), and libconfig's.

    group   = *( comment / setting )
    setting = name [ label ] "{" group "}" [ ";" ] / name [ "=" / ":" ] value [ ";" / "," ]
    value   = string / word / "{" group "}" / "(" list ")" / "[" list "]"

Sources: Odyssey 1.3, documentation/configuration.md; libconfig 1.7, "Configuration Files". Both are unchecked here.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from .nodes import Node
from .scalars import decode

_TOKEN = re.compile(
    r"(?P<skip>\s+|#[^\n]*|//[^\n]*|/\*.*?\*/)|(?P<string>\"(?:[^\"\\]|\\.)*\")|(?P<sign>[{}()\[\]=:;,])|(?P<word>[^\s{}()\[\]=:;,\"]+)",
    re.DOTALL,
)
_DEEPEST = 100
_CLOSES = {"{": "}", "(": ")", "[": "]"}


class _Token(NamedTuple):
    kind: str
    text: str
    start: int
    end: int


def build_braced(text: str) -> Node:
    """Make the tree of such a file; what cannot be read is passed over."""
    reader = _Reader(text)
    root = Node("map", 0, len(text))
    reader.group(root, "", 0)
    return root


class _Reader:
    def __init__(self, text: str) -> None:
        self.tokens = list(_tokens(text))
        self.at = 0

    def peek(self, ahead: int = 0) -> _Token:
        at = self.at + ahead
        return self.tokens[at] if at < len(self.tokens) else _Token("end", "", 0, 0)

    def take(self) -> _Token:
        token = self.peek()
        self.at += 1
        return token

    def group(self, into: Node, closing: str, depth: int) -> None:
        while (token := self.take()).kind != "end" and token.text != closing:
            if token.kind not in {"word", "string"}:
                continue
            keys = [_scalar(token)]
            while self.peek().kind in {"string", "word"} and self.peek(1).text == "{":
                keys.append(_scalar(self.take()))
            if self.peek().text in {"=", ":"}:
                self.take()
            value = self.value(depth)
            if value is None:
                continue
            for key in reversed(keys[1:]):
                value = Node("map", value.start, value.end, pairs=[(key, value)])
            into.pairs.append((keys[0], value))

    def value(self, depth: int) -> Node | None:
        token = self.peek()
        if token.kind in {"word", "string"}:
            return _scalar(self.take())
        if token.text not in _CLOSES or depth > _DEEPEST:
            return None
        self.take()
        node = Node("map" if token.text == "{" else "list", token.start, token.end)
        if token.text == "{":
            self.group(node, "}", depth + 1)
            return node
        while self.peek().kind != "end" and self.peek().text != _CLOSES[token.text]:
            item = self.value(depth + 1)
            if item is None:
                self.take()
            else:
                node.items.append(item)
        self.take()
        return node


def _tokens(text: str) -> Iterator[_Token]:
    for match in _TOKEN.finditer(text):
        if match.lastgroup != "skip" and match.lastgroup is not None:
            yield _Token(match.lastgroup, match[0], match.start(), match.end())


def _scalar(token: _Token) -> Node:
    style = "json" if token.kind == "string" else "number" if token.text.isdigit() else "word"
    return Node("scalar", token.start, token.end, decode(token.text, style), style)
