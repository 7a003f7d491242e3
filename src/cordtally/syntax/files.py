"""Opens a file as its tree, by its format; and writes a value into a slot of it."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from ..errors import FieldError
from ..lines import DIALECTS, encode_value, read_value
from ..lines.passwords import encode_field
from .braced import build_braced
from .embedded import build_markdown, build_notebook
from .flat import build_aliases, build_lines, build_passwords
from .languages import known_endings
from .nodes import Host, Node, Number, Slot, slots
from .scalars import decode, encode
from .source import Source, Splice
from .trees import parse_tree

_NAMES = {
    "odbc.ini": "odbc",
    "pg_service.conf": "service",
    "pgpass": "passwords",
    "pgpass.conf": "passwords",
    "tnsnames.ora": "aliases",
    "renviron": "r-variables",
    "pgbouncer.ini": "pgbouncer",
    "databases.ini": "pgbouncer",
    "alembic.ini": "interpolated",
    "airflow.cfg": "interpolated",
    "odyssey.conf": "braced",
    "proxysql.cnf": "braced",
    "my.cnf": "option-file",
    "my.ini": "option-file",
    "dockerfile": "dockerfile",
    "containerfile": "dockerfile",
}
_LINES = {
    ".properties": "properties",
    ".env": "variables",
    ".ini": "ini",
    ".cfg": "ini",
    ".cnf": "option-file",
    ".service": "unit",
    ".ipynb": "notebook",
    ".md": "markdown",
    ".markdown": "markdown",
    ".rmd": "markdown",
    ".qmd": "markdown",
}


_BUILT = {
    "passwords": build_passwords,
    "aliases": build_aliases,
    "notebook": build_notebook,
    "markdown": build_markdown,
    "braced": build_braced,
}


class Tree(NamedTuple):
    """A file, its format, and what stands in it."""

    source: Source
    format: str
    root: Node

    @property
    def language(self) -> str:
        """The language of the file; of a notebook, that of its cells."""
        return "python" if self.format == "notebook" else self.format

    @property
    def equal(self) -> str:
        """Which of two equal keys counts for readers of the format: the ``first`` or the ``last``."""
        return DIALECTS[self.format].wins if self.format in DIALECTS else "last"

    def slots(self) -> list[Slot]:
        """Give every scalar with its path."""
        return list(slots(self.root))

    def every(self) -> list[Slot]:
        """Give every scalar of the file, those that were left out included."""
        return list(slots(parse_text(self.source.text, self.format)))

    def edited(self, edits: Iterable[tuple[Node, str]], more: Iterable[Splice] = ()) -> bytes:
        """Give the file with values put where scalars stand, read back: they are there, and all others as before.

        Raises
        ------
        FieldError
            When the format cannot hold a value, or the file would be read otherwise.
        """
        whole = self._whole(edits)
        data = self.source.spliced([*more, *self.splices(whole)])
        wanted = {_place(node): str(value) for node, value in [*whole, *edits]}
        expected = [(slot.path, slot.document, wanted.get(_place(slot.node), slot.node.value)) for slot in self.every()]
        again = slots(parse_text(self.source.decoded(data), self.format))
        try:
            same = [(slot.path, slot.document, slot.node.value) for slot in again] == expected
        except FieldError:
            same = False
        if not same:
            path = self.source.path
            raise FieldError(f"{path} would not be read with the new value and all others as before", path=path)
        return data

    def splice(self, node: Node, value: str) -> Splice:
        """Give the edit that puts a value where a scalar stands, written for the format and read back.

        Raises
        ------
        FieldError
            When the format cannot hold it.
        """
        return self.splices([(node, value)])[0]

    def splices(self, edits: Iterable[tuple[Node, str]]) -> list[Splice]:
        """Give the edits that put values where scalars stand; those inside one scalar are one edit of it.

        Raises
        ------
        FieldError
            As `splice`.
        """
        text = self.source.text
        return [
            Splice(node.start, node.end, self._written(node, value, text[node.start : node.end]))
            for node, value in self._whole(edits)
        ]

    def _whole(self, edits: Iterable[tuple[Node, str]]) -> list[tuple[Node, str]]:
        """The edits as such of scalars of the file's own: what stands inside one is an edit of it."""
        made, inner = list[tuple[Node, str]](), dict[int, list[tuple[Host, str]]]()
        hosts: dict[int, Node] = {}
        for node, value in edits:
            if node.host is None:
                made.append((node, value))
                continue
            start, end = node.host.start, node.host.end
            written = self._written(node, value, (node.host.node.value or "")[start:end])
            hosts[id(node.host.node)] = node.host.node
            inner.setdefault(id(node.host.node), []).append((node.host, written))
        held = []
        for key, pieces in inner.items():
            text = hosts[key].value or ""
            for host, written in sorted(pieces, key=lambda piece: piece[0].start, reverse=True):
                text = text[: host.start] + written + text[host.end :]
            held.append((hosts[key], text))
        return made + (self._whole(held) if held else [])

    def _written(self, node: Node, value: str, raw: str) -> str:
        if isinstance(value, Number) and value.isdigit() and raw.isdigit():
            return str(value)
        if self.format in DIALECTS and node.host is None:
            return encode_value(value, node.style, DIALECTS[self.format])
        if self.format == "passwords":
            return encode_field(value)
        return encode(value, node.style, raw)

    def read_value(self, written: str, style: str) -> str:
        """Give what a scalar stands for, as it would be written there in a style."""
        if self.format in DIALECTS:
            return read_value(written, DIALECTS[self.format])
        return decode(written, self.style_of(written, style)) or ""

    @staticmethod
    def style_of(written: str, style: str) -> str:
        """The style in which a new value was written, which need not be that of the old one."""
        family = style.partition("-")[0]
        quoted = {"'": "yaml-single", '"': "yaml-double"}.get(written[:1], "yaml-plain")
        return quoted if family == "yaml" else style


def _place(node: Node) -> tuple[int, int, int, int]:
    """Where a scalar stands, in its host where it has one: what tells it in another reading of the same text."""
    inner = (-1, -1) if node.host is None else (node.host.start, node.host.end)
    return (node.start, node.end, *inner)


def format_of(path: Path) -> str | None:
    """Name the format of a file by its name; None where none is known."""
    name = path.name.lower()
    if name.lstrip(".") in _NAMES:
        return _NAMES[name.lstrip(".")]
    if name.startswith(".env") or name.endswith(".env"):
        return "variables"
    if path.suffix == ".conf" and path.parent.name.endswith(".d"):
        return "unit"
    return _LINES.get(path.suffix.lower()) or known_endings().get(path.suffix.lower())


def parse_text(text: str, format_name: str, *, all_of_it: bool = True) -> Node:
    """Give the tree of a text in a format; unless ``all_of_it``, maps that say nothing of a connection may be left out.

    Raises
    ------
    MissingExtra
        When the format's grammar is not installed.
    """
    if format_name in DIALECTS:
        return build_lines(text, DIALECTS[format_name])
    if format_name in _BUILT:
        return _BUILT[format_name](text)
    return parse_tree(text, format_name, all_of_it=all_of_it)


def open_tree(path: Path, format_name: str, *, all_of_it: bool = True) -> Tree:
    """Read a file as its format; unless ``all_of_it``, maps that say nothing of a connection may be left out.

    Raises
    ------
    FieldError
        When it is no text of that format's encoding.
    MissingExtra
        When the format's grammar is not installed.
    OSError
        When it cannot be read.
    """
    one_byte = format_name in DIALECTS and DIALECTS[format_name].ascii_only
    source = Source.load(path, fallback="latin-1" if one_byte else "utf-8")
    return Tree(source, format_name, parse_text(source.text, format_name, all_of_it=all_of_it))
