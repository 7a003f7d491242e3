"""A value of a framework's file, replaced by the framework's own reference to a variable, or to a file.

How each one refers so that an unset variable fails is data: ``lifts`` in ``catalog/layouts``; ``reads_files`` names the
variables of images that read a file instead where ``_FILE`` is put to their name.
"""

from __future__ import annotations

import os
import re
from collections.abc import Mapping
from pathlib import Path
from typing import NamedTuple

from ..config import Declared, declared_of
from ..config.layouts import Layout, layouts_of, reference_of
from ..errors import CordTallyError, FieldError
from ..sweeping import Hit
from ..syntax import Node, Slot, Source, Splice, Tree, format_of, open_tree, parse_text
from ..syntax.nodes import slots
from .stores import Keeper

_PAIR = re.compile(r"(?P<indent>[ \t]*)(?P<key>[\w\"']+):[ \t]+")


class Place(NamedTuple):
    """The slot of a file in which a secret stands, the layout that it is read by, and its connection's name."""

    tree: Tree
    layout: Layout
    slot: Slot
    name: str


def place_of(file: Path, hit: Hit, declared: list[Declared]) -> Place:
    """Give the place of which the whole is what was found: a part of a connection, or another value of a framework's.

    Raises
    ------
    FieldError
        Where there is none.
    """
    for one in declared:
        for slot in one.slots.values():
            if _is_at(one.tree, slot, hit):
                return Place(one.tree, one.layout, slot, one.name)
    name = format_of(file)
    if name is not None:
        tree = open_tree(file, name, all_of_it=False)
        every = tree.slots()
        layout = layouts_of(file, every)[0][0]
        for slot in every:
            if layout.files and _is_at(tree, slot, hit) and slot.node.value and slot.node.host is None:
                return Place(tree, layout, slot, slot.path[-1])
    raise FieldError(f"{file.name} has no connection there that is known here: move it out by hand")


def _is_at(tree: Tree, slot: Slot, hit: Hit) -> bool:
    place = tree.source.place
    start = place(slot.node.start)
    return start[0] == hit.line and start <= (hit.line, hit.column) < place(slot.node.end)


class Mount(NamedTuple):
    """A secret that a service of a compose file is given as a file, and where that is kept."""

    service: str
    name: str
    file: str


class Reference(NamedTuple):
    """What is put in place of a value: a value of the format, or edits of the text as it is written, and a mount."""

    value: str | None
    splices: tuple[Splice, ...] = ()
    mount: Mount | None = None


def reference_to(place: Place, kept: str, keeper: Keeper) -> Reference:
    """Give what refers to a secret in place of a value.

    Raises
    ------
    FieldError
        Where the framework has nothing for it, saying what to do instead.
    """
    if keeper.key == "file":
        return _read_from_file(place, kept, keeper)
    reference = reference_of(place.layout, kept, place.name)
    if place.layout.emit.get("lifts_bare"):  # a program is put in, in which a quote must not be doubled
        return Reference(None, (Splice(place.slot.node.start, place.slot.node.end, reference),))
    return Reference(reference)


def edited(tree: Tree, made: list[tuple[Slot, Reference]]) -> bytes:
    """Give the file with references in place of values; every other value is there as before, and no key twice.

    Raises
    ------
    FieldError
        Where it would be read otherwise.
    """
    edits = [(slot.node, one.value) for slot, one in made if one.value is not None]
    splices = [splice for _, one in made for splice in one.splices]
    if not splices:
        return tree.edited(edits)
    splices += _mounts(tree, [one.mount for _, one in made if one.mount is not None])
    data = tree.source.spliced([*splices, *tree.splices(edits)])
    again = list(slots(parse_text(tree.source.decoded(data), tree.format)))
    values, moved = {(slot.path, slot.node.value) for slot in again}, {slot.path for slot, _ in made}
    kept = all((slot.path, slot.node.value) in values for slot in tree.every() if slot.path not in moved)
    if not kept or _twice(again) > _twice(tree.every()):
        raise FieldError(f"{tree.source.path} would not be read with all other values as before: edit it by hand")
    return data


def _twice(found: list[Slot]) -> int:
    """How many values stand under a key that another one stands under, too."""
    return len(found) - len({(slot.document, slot.path) for slot in found})


def _read_from_file(place: Place, name: str, keeper: Keeper) -> Reference:
    """Let a service of a compose file read a secret of its own, which is mounted as a file."""
    tree, slot = place.tree, place.slot
    key = slot.path[-1]
    if not place.layout.files:
        raise FieldError("what reads the file is not known here, nor whether that reads secrets from files: by hand")
    below_a_service = slot.path[:1] == ("services",) and slot.path[2:-1] == ("environment",)
    if key not in place.layout.emit.get("reads_files", ()) or not below_a_service:
        raise FieldError(f"{place.layout.title}: nothing is known to read {key} from a file: use --into env:")
    text = tree.source.text
    match = _PAIR.match(text, text.rfind("\n", 0, slot.node.start) + 1, slot.node.start)
    if "secrets" in _service(tree, slot.path[1]) or match is None or match.end() != slot.node.start:
        raise FieldError("the service has secrets already, or is written in another way: edit it by hand")
    if not keeper.inside:
        raise FieldError("the folder is no part of the project, from which compose takes paths: edit it by hand")
    file = Path(os.path.relpath(keeper.place / name, tree.source.path.parent)).as_posix()
    splices = (
        Splice(match.start("key"), match.end("key"), f"{key}_FILE"),
        Splice(slot.node.start, slot.node.end, f"/run/secrets/{name}"),
    )
    return Reference(None, splices, Mount(slot.path[1], name, f"./{file}"))


def _top(tree: Tree) -> dict[str | None, tuple[Node, Node]]:
    """The keys of the file, each with its place and its value."""
    top = tree.root.items[0] if tree.root.kind == "documents" else tree.root
    return {key.value: (key, value) for key, value in top.pairs}


def _service(tree: Tree, name: str) -> dict[str | None, Node]:
    """The keys of a service, by their names."""
    services = {key.value: value for key, value in _top(tree)["services"][1].pairs}
    return {key.value: key for key, _ in services[name].pairs}


def _mounts(tree: Tree, mounts: list[Mount]) -> list[Splice]:
    """One list of secrets for each service, above its environment, and one place where they are declared."""
    text, newline, made = tree.source.text, tree.source.newline, list[Splice]()
    for service in dict.fromkeys(one.service for one in mounts):
        first = _service(tree, service)["environment"].start
        line = text.rfind("\n", 0, first) + 1
        indent = text[line:first]
        names = [f"{indent}  - {name}" for name in dict.fromkeys(one.name for one in mounts if one.service == service)]
        made.append(Splice(line, line, newline.join([f"{indent}secrets:", *names, ""])))
    files = {one.name: one.file for one in mounts}
    if not files:
        return made
    top = _top(tree)
    if "secrets" in top and not top["secrets"][1].pairs:
        raise FieldError(f"{tree.source.path} has an empty place for secrets: edit it by hand")
    if "secrets" in top:  # beside those that there are
        first = top["secrets"][1].pairs[0][0].start
        place = text.rfind("\n", 0, first) + 1
        indent, head = text[place:first], ""
    else:
        place, indent = len(text), "  "
        head = ("" if text.endswith("\n") else newline) + f"{newline}secrets:{newline}"
    entries = [f"{indent}{name}:{newline}{indent}  file: {file}{newline}" for name, file in files.items()]
    made.append(Splice(place, place, head + "".join(entries)))
    return made


def same_connections(file: Path, before: bytes, after: bytes, values: Mapping[str, str]) -> bool:
    """Whether a file declares just the connections that it declared before, once the variables are set.

    One whose whole text was moved need not be told any more by what stands in the file.
    """
    old = _declared(file, before, {})
    new = {one.title: one.cord for one in _declared(file, after, values)}
    return all(new[one.title] == one.cord for one in old if one.cord is not None and one.title in new)


def _declared(file: Path, data: bytes, variables: Mapping[str, str]) -> list[Declared]:
    name = format_of(file)
    if name is None:
        return []
    text = data.decode("utf-8-sig", "replace")
    try:
        tree = Tree(Source(file, data, text, "utf-8"), name, parse_text(text, name, all_of_it=False))
        return declared_of(tree, variables=variables)
    except CordTallyError:
        return []
