"""Names that one file looks up and another gives: resources, connection strings, variables; and slips between them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

from ..catalog import find_nearest
from ..errors import FieldError, MissingExtra
from ..syntax import Node, Slot, Tree, format_of, open_tree
from .declarations import Declared
from .layouts import Layout
from .variables import patterns_of

# what a name is looked up with: JNDI in web.xml and annotations, ADO.NET's and ASP.NET Core's ways
_LOOKED_UP = re.compile(
    r"(?:java:(?:comp/env/|/)?)(?P<jndi>[\w/.-]+)"
    r"|GetConnectionString\(\s*\"(?P<core>[^\"]+)\"\s*\)"
    r"|ConnectionStrings\[\s*\"(?P<net>[^\"]+)\"\s*\]"
    r"|name=(?P<entity>[\w.-]+)(?=[\"'])"
)
_REFERENCES = ("res-ref-name", "jta-data-source", "non-jta-data-source", "@global")


class Use(NamedTuple):
    """A name that is looked up, where, and what was meant where nothing has just that name."""

    name: str
    path: Path
    line: int
    kind: str
    nearest: str | None


def find_uses(paths: Iterable[Path], declared: Iterable[Declared], given: Iterable[str] | None) -> list[Use]:
    """Give the names that are looked up in files and that nothing gives, each with the nearest one.

    Parameters
    ----------
    paths : iterable of Path
        The files that look names up.
    declared : iterable of Declared
        The connections that have names.
    given : iterable of str, optional
        The variables that the program will have; without it none is missed.
    """
    every = list(declared)
    names = {_bare(one.name) for one in every if one.layout.looked_up}
    relaxed = {_bare(one.name).casefold() for one in every if one.layout.looked_up and one.layout.relaxed}
    missing = []
    for path in paths:
        for name, line, kind in _looked_up(path):
            if names and _bare(name) not in names and name.casefold() not in relaxed:
                missing.append(Use(name, path, line, kind, _nearest(_bare(name), names)))
    if given is not None:
        known = set(given)
        for one in every:
            for role, variable in one.from_variables.items():
                slot = one.slots.get(role, one.slots.get("text"))
                if slot is not None and variable not in known and _is_needed(slot.node, one.layout, variable):
                    line = one.tree.source.place(slot.node.start)[0]
                    missing.append(Use(variable, one.tree.source.path, line, "variable", _nearest(variable, known)))
    return missing


def names_given(declared: Iterable[Declared]) -> dict[str, Declared]:
    """Give the connections whose names other files look up, by their names as they are looked up."""
    return {_bare(one.name): one for one in declared if one.layout.looked_up}


def names_looked_up(path: Path) -> Iterator[tuple[str, int, str]]:
    """Give the names that a file looks up, each with its line, and whether it is a resource or a connection string."""
    for name, line, kind in _looked_up(path):
        yield _bare(name), line, kind


def _is_needed(node: Node, layout: Layout, variable: str) -> bool:
    """Whether a look-up has no default for a variable."""
    if node.variable is not None:
        return node.value is None
    found = [match for one in patterns_of(layout) for match in one.finditer(node.value or "")]
    return any(match["name"] == variable and match.groupdict().get("default") is None for match in found) or not found


def _nearest(name: str, names: Iterable[str]) -> str | None:
    known = list(names)
    same = [one for one in known if one.casefold() == name.casefold()]
    found = same or find_nearest(name, known, most=1)
    return found[0] if found else None


def _bare(name: str) -> str:
    return re.sub(r"^java:(?:comp/env/|/)?", "", name)


def _looked_up(path: Path) -> Iterator[tuple[str, int, str]]:
    try:
        name = format_of(path)
        tree = open_tree(path, name) if name is not None else None
    except (FieldError, MissingExtra, OSError):
        return
    if tree is None:
        return
    yield from _references(tree)
    for match in _LOOKED_UP.finditer(tree.source.text):
        kind = next(kind for kind, found in match.groupdict().items() if found is not None)
        line = tree.source.place(match.start())[0]
        if kind == "jndi" and tree.format == "xml":
            continue  # an element or attribute of its own
        yield match[kind], line, "resource" if kind == "jndi" else "connection string"


def _references(tree: Tree) -> Iterator[tuple[str, int, str]]:
    slots: list[Slot] = tree.slots() if tree.format == "xml" else []
    for slot in slots:
        if slot.node.value and any(key in _REFERENCES for key in slot.path[-2:]):
            yield slot.node.value, tree.source.place(slot.node.start)[0], "resource"
