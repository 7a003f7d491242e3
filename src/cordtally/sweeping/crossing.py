"""Variables that programs look up against those that files give: what is missing, unused, or a slip of a letter.

Given are the names in variables files and their examples, Dockerfiles, compose files, manifests, workflows, units and
shell scripts. Clients and the images of servers look their own up, which therefore are used by somebody.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import NamedTuple

from ..catalog import find_nearest
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


class Slip(NamedTuple):
    """A name that is ``not given`` or ``not used``, where, and the name that was meant, if one is near."""

    kind: str
    name: str
    path: str
    line: int
    nearest: str | None


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
        By file and line; nothing where no file gives a variable, since then they come from elsewhere.
    """
    given = dict[str, tuple[str, int]]()
    for name, path, line in _given(root):
        given.setdefault(name, (path, line))
    if not given:
        return []
    slips = [
        Slip("not given", name, *place, _nearest(name, given)) for name, place in used.items() if name not in given
    ]
    slips += [
        Slip("not used", name, *place, _nearest(name, used))
        for name, place in given.items()
        if name not in used and is_telling(name) and not _OF_SERVERS.fullmatch(name)
    ]
    return sorted(slips, key=lambda slip: (slip.kind, slip.path, slip.line))


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
