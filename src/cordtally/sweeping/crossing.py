"""What programs look up against what files give: what is missing, unused, or a slip of a letter.

Variables, and the names of resources (JNDI) and connection strings (.NET) that a server's or a program's file declares.
Given are the names in variables files and their examples, Dockerfiles, compose files, manifests, workflows, units and
shell scripts. Clients and the images of servers look their own up, which therefore are used by somebody.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import NamedTuple

from ..catalog import find_nearest
from ..config import declared_in, names_given, names_looked_up
from ..config.layouts import has_layout
from ..errors import CordTallyError
from ..spotting import is_telling
from ..syntax import Source, Tree, format_of, parse_text, walk_names

_GIVING = frozenset(["variables", "r-variables", "dockerfile", "yaml", "unit", "bash"])
_NAME = re.compile(r"[A-Z][A-Z0-9]*(?:_[A-Z0-9]+)+|[A-Z]{3,}")
_OF_SERVERS = re.compile(
    r"(?:POSTGRES(?:QL)?|MYSQL|MARIADB|MSSQL|SA|MONGO(?:_INITDB)?|REDIS|ORACLE|CLICKHOUSE|FIREBIRD|PG)_?\w*|PG[A-Z]+|"
    r"TNS_ADMIN|ODBC\w*"
)
_LARGEST = 256 << 10
_WITH_NAMES = frozenset([".java", ".kt", ".scala", ".groovy", ".xml", ".jsp", ".cs", ".vb", ".fs", ".json", ".config"])
_LOOKS_UP = re.compile(rb"java:(?:comp|/|jboss)|res-ref-name|jta-data-source|GetConnectionString|ConnectionStrings\[")


class Slip(NamedTuple):
    """A name that is ``not given`` or ``not used``, where, and the name that was meant, if one is near.

    It is that of a ``variable``, a ``resource`` or a ``connection string``.
    """

    kind: str
    name: str
    path: str
    line: int
    nearest: str | None
    what: str = "variable"

    def __str__(self) -> str:
        what = "" if self.what == "variable" else f"the {self.what} "
        meant = f": did you mean {self.nearest}?" if self.nearest else ""
        is_so = (
            "is looked up, and no file gives it" if self.kind == "not given" else "is given, and nothing looks it up"
        )
        return f"{self.path}:{self.line}: {what}{self.name} {is_so}{meant}"


def cross(root: Path, used: Mapping[str, tuple[str, int]]) -> list[Slip]:
    """Compare the variables that a tree's programs look up with those that its files give.

    Parameters
    ----------
    root : Path
        The tree.
    used : mapping
        The variables that are looked up, each with the file and the line of its first place.

    Returns
    -------
    list of Slip
        By file and line; none of variables where no file gives one, since then they come from elsewhere.
    """
    given = dict[str, tuple[str, int]]()
    for name, path, line in _given(root):
        given.setdefault(name, (path, line))
    slips = _names_crossed(root)
    if not given:
        return sorted(slips, key=_in_order)
    slips += [
        Slip("not given", name, *place, _nearest(name, given)) for name, place in used.items() if name not in given
    ]
    slips += [
        Slip("not used", name, *place, _nearest(name, used))
        for name, place in given.items()
        if name not in used and is_telling(name) and not _OF_SERVERS.fullmatch(name)
    ]
    return sorted(slips, key=_in_order)


def _in_order(slip: Slip) -> tuple[str, str, int]:
    return slip.kind, slip.path, slip.line


def _names_crossed(root: Path) -> list[Slip]:
    """Compare the names that are looked up with the connections that have names; nothing where none has."""
    given = dict[str, tuple[str, int, str]]()
    used = dict[str, tuple[str, int, str]]()
    for place, parts, _ in walk_names(str(root)):
        path, shown = Path(place), "/".join(parts)
        if path.suffix not in _WITH_NAMES:
            continue
        try:
            data = path.read_bytes() if path.stat().st_size <= _LARGEST else b""
            if _LOOKS_UP.search(data):
                for name, line, what in names_looked_up(path):
                    used.setdefault(name, (shown, line, what))
            if has_layout(path.name) and data:
                for name, one in names_given(declared_in(path)).items():
                    line = min(one.tree.source.place(slot.node.start)[0] for slot in one.slots.values())
                    given.setdefault(name, (shown, line, one.layout.looked_up))
        except (OSError, CordTallyError):
            continue
    if not given or not used:
        return []
    folded = {name.casefold() for name, (*_, what) in given.items() if what == "connection string"}
    slips = [
        Slip("not given", name, path, line, _nearest(name, given), what)
        for name, (path, line, what) in used.items()
        if name not in given and name.casefold() not in folded
    ]
    folded = {name.casefold() for name, (*_, what) in used.items() if what == "connection string"}
    return slips + [
        Slip("not used", name, path, line, _nearest(name, used), what)
        for name, (path, line, what) in given.items()
        if name not in used and name.casefold() not in folded
    ]


def _given(root: Path) -> Iterator[tuple[str, str, int]]:
    for place, parts, _ in walk_names(str(root)):
        path = Path(place)
        name = format_of(path)
        if name not in _GIVING:
            continue
        try:
            data = path.read_bytes() if path.stat().st_size <= _LARGEST else b""
            text = data.decode("utf-8")
            tree = Tree(Source(path, b"", text, "utf-8"), name, parse_text(text, name))
            yield from _names_in(tree, "/".join(parts))
        except (OSError, UnicodeDecodeError, CordTallyError):
            continue


def _names_in(tree: Tree, path: str) -> Iterator[tuple[str, str, int]]:
    for slot in tree.slots():
        names = [slot.path[-1]] if slot.path else []
        if names == ["name"] and slot.node.value:  # of a list of names and values
            names = [slot.node.value]
        elif slot.node.value and (match := re.match(r"([A-Z][A-Z0-9_]+)=", slot.node.value)):
            names.append(match[1])
        for name in names:
            if _NAME.fullmatch(name) and slot.node.value != f"${{{name}}}":
                yield name, path, tree.source.place(slot.node.start)[0]


def _nearest(name: str, names: Iterable[str]) -> str | None:
    known = list(names)
    same = [one for one in known if one.casefold() == name.casefold()]
    found = same or find_nearest(name, known, most=1)
    return found[0] if found else None
