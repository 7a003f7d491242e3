"""Files that hold pieces of other formats: notebooks, whose cells are programs, and the fenced blocks of Markdown."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator

from ..errors import FieldError
from .languages import known_endings
from .nodes import Node, Slot, inside, slots
from .trees import parse_tree

# CommonMark 0.31, 4.5: a fence of three or more, at most three blanks before it, and a word that names the language
_FENCE = re.compile(
    r"^ {0,3}(?P<fence>`{3,}|~{3,})[ \t]*\{?(?P<word>[\w+#-]*)[^\n`]*\n(?P<body>.*?)^ {0,3}(?P=fence)", re.M | re.S
)
_WORDS = {"py": "python", "python3": "python", "js": "javascript", "ts": "typescript", "sh": "bash", "shell": "bash",
          "yml": "yaml", "cs": "csharp", "c#": "csharp", "rb": "ruby", "pl": "perl", "kt": "kotlin", "rs": "rust",
          "terraform": "hcl", "ps1": "powershell", "golang": "go", "jsonc": "json"}  # fmt: skip
_MAGIC = re.compile(r"^[ \t]*[%!][^\n]*", re.M)


def build_notebook(text: str) -> Node:
    """Make the tree of a notebook (nbformat 4): what the cells state that are code, each value inside its line."""
    root = Node("map", 0, len(text))
    found = {slot.path: slot for slot in slots(parse_tree(text, "json"))}
    named = found.get(("metadata", "kernelspec", "language")) or found.get(("metadata", "language_info", "name"))
    language = (named.node.value or "").casefold() if named is not None else "python"
    if language not in {"python", "r"}:
        return root
    for pieces in _cells(found):
        joined = "".join(piece.value or "" for piece in pieces)
        code = _MAGIC.sub(lambda match: "#" + match[0][1:], joined)
        starts = [0]
        for piece in pieces:
            starts.append(starts[-1] + len(piece.value or ""))
        made = parse_tree(code, language)
        for node in _scalars(made):
            at = bisect_right(starts, node.start) - 1
            if at < len(pieces) and node.end <= starts[at + 1]:
                host, offset = pieces[at], starts[at]
                fresh = inside(host, node.start - offset, node.end - offset, node.style, node.value)
                node.host, node.start, node.end = fresh.host, fresh.start, fresh.end
            else:  # it runs over several lines, each of them a string of its own: read, and not edited
                node.style = "joined"
                node.start = node.end = pieces[min(at, len(pieces) - 1)].start
        root.pairs += made.pairs
    return root


def _cells(found: dict[tuple[str, ...], Slot]) -> Iterator[list[Node]]:
    """The strings that each code cell is made of."""
    cells: dict[str, list[Node]] = {}
    for path, slot in found.items():
        if len(path) in {3, 4} and path[0] == "cells" and path[2] == "source":
            kind = found.get(("cells", path[1], "cell_type"))
            if kind is not None and kind.node.value == "code":
                cells.setdefault(path[1], []).append(slot.node)
    yield from cells.values()


def build_markdown(text: str) -> Node:
    """Make the tree of a Markdown file: what its fenced blocks state, each below its line."""
    root = Node("map", 0, len(text))
    for match in _FENCE.finditer(text):
        word = match["word"].casefold()
        name = _WORDS.get(word, word)
        if name not in known_endings().values():
            continue
        start = match.start("body")
        made = parse_tree(match["body"], name)
        if made.kind == "documents" and len(made.items) == 1:
            made = made.items[0]
        for node in _scalars(made):
            node.start, node.end = node.start + start, node.end + start
        line = text.count("\n", 0, start) + 1
        root.pairs.append((Node("scalar", start, start, f"line {line}"), made))
    return root


def _scalars(root: Node) -> list[Node]:
    """Every scalar of a tree, each one once."""
    seen: dict[int, Node] = {}
    try:
        for slot in slots(root):
            seen[id(slot.node)] = slot.node
    except FieldError:
        return []
    return list(seen.values())
