"""Puts a block into an existing file: below the keys that are there already, and every byte of the file stays."""

from __future__ import annotations

import re
import textwrap
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import unified_diff
from pathlib import Path

from ..errors import FieldError
from ..model import Cord
from ..syntax import Node, Source, Splice, Tree, format_of, language_facts, open_tree, parse_text
from .declarations import Declared, declared_in
from .emitting import Emission
from .layouts import load_layouts


@dataclass(frozen=True, slots=True)
class Merged:
    """A file with a block put into it: its bytes, and what is new as a unified diff."""

    source: Source
    data: bytes
    lines: tuple[str, ...]

    def apply(self) -> None:
        """Write the file: whole or not at all, and only if it is still what was read."""
        self.source.replace(self.data)


def merge(made: Emission, path: Path) -> Merged:
    """Put a block into a file.

    Raises
    ------
    FieldError
        When the file has a connection of that name already, or no place for the block; what is there would be read
        otherwise than before, or the block not as it is. The message says what to do instead.
    """
    name, layout = format_of(path), load_layouts().get(made.id)
    if name is None or name != _format_of_block(made):
        raise FieldError(f"{path} is no file of {made.title}, which keeps connections in {made.file}", path=path)
    tree, block = open_tree(path, name), parse_text(made.text, name)
    before = declared_in(path)
    fresh = _declared_by(made, path)
    there = {one.title for one in before} & {one.title for one in fresh}
    if there:
        title = sorted(there)[0]
        raise FieldError(f"{path} declares {title} already: cordtally amend {path} {title} …", path=path)
    if layout is not None and layout.documents:
        end = len(tree.source.text)
        splices = [Splice(end, end, f"---\n{made.text}".replace("\n", tree.source.newline))]
    else:
        splices = _Merger(tree, made.text).splices(tree.root, block)
    data = tree.source.spliced(splices)
    after = _read_again(tree, data)
    if _told(after) != _told(before) | _told(fresh):
        raise FieldError(f"{path} has no place where the block is read as it is: add it by hand", path=path)
    text = data.decode(tree.source.encoding).lstrip("\ufeff")
    shown = unified_diff(tree.source.text.splitlines(), text.splitlines(), str(path), str(path), n=2, lineterm="")
    return Merged(tree.source, data, tuple(shown))


def _format_of_block(made: Emission) -> str | None:
    return format_of(Path(made.file))


def _told(every: Sequence[Declared]) -> set[tuple[str, Cord | None]]:
    return {(one.title, one.cord) for one in every}


def _declared_by(made: Emission, path: Path) -> list[Declared]:
    from tempfile import TemporaryDirectory

    with TemporaryDirectory() as folder:
        return declared_in(_placed(Path(folder), path, made.text.encode()))


def _read_again(tree: Tree, data: bytes) -> list[Declared]:
    from tempfile import TemporaryDirectory

    with TemporaryDirectory() as folder:
        return declared_in(_placed(Path(folder), tree.source.path, data))


def _placed(folder: Path, path: Path, data: bytes) -> Path:
    """A file of the same name, in a folder of the same name: both may tell its layout."""
    copy = folder / (path.parent.name or "x") / path.name
    copy.parent.mkdir()
    copy.write_bytes(data)
    return copy


class _Merger:
    def __init__(self, tree: Tree, block: str) -> None:
        self.tree, self.text, self.block = tree, tree.source.text, block
        self.newline = tree.source.newline
        facts = language_facts(tree.format)
        self.between: str | None = facts.get("between")  # entries in braces; None where an entry is a line
        self.statements = bool(facts.get("statements"))

    def splices(self, into: Node, new: Node, depth: int = 0) -> list[Splice]:
        """The insertions that put the pairs of one map into another, those that both have being gone into."""
        made = list[Splice]()
        if depth == 0:
            made += self._heads(new)
            into, new = self._document(into), self._document(new)
        known = {key.value: value for key, value in into.pairs}
        for key, value in new.pairs:
            held = known.get(key.value)
            if held is not None and held.kind == "map" and value.kind == "map":
                made += self.splices(held, value, depth + 1)
            elif held is None or self.tree.format == "unit":  # a key keeps its value; a unit may have it several times
                made.append(self._inserted(into, key, value, depth))
        return self._together(made)

    @staticmethod
    def _document(node: Node) -> Node:
        """The last document of several, which an addition belongs to."""
        return node.items[-1] if node.kind == "documents" and node.items else node

    @staticmethod
    def _together(made: list[Splice]) -> list[Splice]:
        """Insertions at one place as one, in their order."""
        by_place: dict[int, str] = {}
        for splice in made:
            by_place[splice.start] = by_place.get(splice.start, "") + splice.text
        return [Splice(start, start, text) for start, text in by_place.items()]

    def _heads(self, new: Node) -> list[Splice]:
        """What stands above the block and is needed: imports that the file has not."""
        first = min((key.start for key, _ in self._document(new).pairs), default=0)
        lines = [line for line in self.block[:first].splitlines() if re.match(r"(?:import|from|use|require)\b", line)]
        missing = [line for line in lines if line not in self.text.splitlines()]
        if not missing:
            return []
        # below the first import, or a docstring's or a comment's end is where a reader looks for one
        there = re.search(r"^(?:import|from|use)\b[^\n]*\n", self.text, re.M)
        at = there.end() if there else 0
        return [Splice(at, at, "".join(f"{line}{self.newline}" for line in missing))]

    def _inserted(self, into: Node, key: Node, value: Node, depth: int) -> Splice:
        if self.tree.format == "xml":
            return self._element(into, value, depth)
        raw = self._raw(key, value)
        if self.between is not None and not (depth == 0 and self.statements):
            return self._entry(into, raw)
        if self.between is not None or not into.pairs or depth == 0:
            return self._at_end(raw, blank=depth == 0 and value.kind == "map")
        return self._line(into, raw)

    def _raw(self, key: Node, value: Node) -> str:
        """A pair as the block has it, without its indentation; a section with its lines."""
        start = self.block.rfind("\n", 0, key.start) + 1
        last = value
        while last.kind == "map" and last.pairs:
            last = last.pairs[-1][1]
        end = max(value.end, last.end)
        if self.between is None:
            stop = self.block.find("\n", end)
            end = len(self.block) if stop < 0 else stop
        return textwrap.dedent(self.block[start:end]).strip("\n")

    def _indented(self, raw: str, column: int) -> str:
        return textwrap.indent(raw, " " * column).replace("\n", self.newline)

    def _column(self, into: Node) -> int:
        """The column at which the entries of a map begin."""
        start = into.pairs[0][0].start
        line = self.text[self.text.rfind("\n", 0, start) + 1 : start]
        return len(line) if not line.strip() else len(line) - len(line.lstrip()) + 4

    def _line(self, into: Node, raw: str) -> Splice:
        """Behind the last line of a block's entries, or of a section."""
        last = into.pairs[-1][1]
        while last.kind == "map" and last.pairs:
            last = last.pairs[-1][1]
        stop = len(self.text[: max(last.end, into.pairs[-1][1].end)].rstrip())
        end = self.text.find("\n", stop)
        at = len(self.text) if end < 0 else end + 1
        head = self.newline if end < 0 else ""
        return Splice(at, at, f"{head}{self._indented(raw, self._column(into))}{self.newline}")

    def _entry(self, into: Node, raw: str) -> Splice:
        """Behind the last entry in braces, with the comma that it needs."""
        raw = raw.rstrip().rstrip(",")
        if not into.pairs:
            raise FieldError(f"{self.tree.source.path}: there is an empty place for the block: add it by hand")
        at = into.pairs[-1][1].end
        after = re.compile(r"\s*,").match(self.text, at)
        indented = self._indented(raw, self._column(into))
        if after is None:
            return Splice(at, at, f"{self.between}{self.newline}{indented}")
        return Splice(after.end(), after.end(), f"{self.newline}{indented},")

    def _element(self, into: Node, value: Node, depth: int) -> Splice:
        """Before the end tag of an element."""
        closing = self.text.rfind("</", into.start, into.end)
        if depth == 0 or closing < 0:
            raise FieldError(f"{self.tree.source.path}: its root element is another one: add the block by hand")
        start = self.block.rfind("\n", 0, value.start) + 1
        raw = textwrap.dedent(self.block[start : value.end])
        line = self.text.rfind("\n", 0, closing) + 1
        indent = closing - line if not self.text[line:closing].strip() else None
        if indent is None:
            return Splice(closing, closing, raw.replace("\n", self.newline))
        return Splice(line, line, self._indented(raw, indent + 2) + self.newline)

    def _at_end(self, raw: str, *, blank: bool) -> Splice:
        at = len(self.text)
        head = "" if not self.text or self.text.endswith("\n") else self.newline
        gap = self.newline if blank and self.text.strip() else ""
        return Splice(at, at, f"{head}{gap}{self._indented(raw, 0)}{self.newline}")
