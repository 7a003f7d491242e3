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
from .stores import Store

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


class Reference(NamedTuple):
    """What is put in place of a value: a value of the format, or edits of the text as it is written."""

    value: str | None
    splices: tuple[Splice, ...] = ()


def reference_to(place: Place, kept: str, store: Store) -> Reference:
    """Give what refers to a secret in place of a value.

    Raises
    ------
    FieldError
        Where the framework has nothing for it, saying what to do instead.
    """
    if store.key == "file":
        return Reference(None, tuple(_secret_of_service(place, kept, store)))
    reference = reference_of(place.layout, kept, place.name)
    if place.layout.emit.get("lifts_bare"):  # a program is put in, in which a quote must not be doubled
        return Reference(None, (Splice(place.slot.node.start, place.slot.node.end, reference),))
    return Reference(reference)


def edited(tree: Tree, made: list[tuple[Slot, Reference]]) -> bytes:
    """Give the file with references in place of values; every other value is there as before.

    Raises
    ------
    FieldError
        Where it would be read otherwise.
    """
    edits = [(slot.node, one.value) for slot, one in made if one.value is not None]
    splices = [splice for _, one in made for splice in one.splices]
    if not splices:
        return tree.edited(edits)
    data = tree.source.spliced([*splices, *tree.splices(edits)])
    again = {(slot.path, slot.node.value) for slot in slots(parse_text(tree.source.decoded(data), tree.format))}
    moved = {slot.path for slot, _ in made}
    if any((slot.path, slot.node.value) not in again for slot in tree.every() if slot.path not in moved):
        raise FieldError(f"{tree.source.path} would not be read with all other values as before: edit it by hand")
    return data


def _secret_of_service(place: Place, name: str, store: Store) -> list[Splice]:
    """Let a service of a compose file read a secret of its own, which is mounted as a file."""
    tree, slot = place.tree, place.slot
    key = slot.path[-1]
    if not place.layout.files:
        raise FieldError("what reads the file is not known here, nor whether that reads secrets from files: by hand")
    if key not in place.layout.emit.get("reads_files", ()) or len(slot.path) != 4:
        raise FieldError(f"{place.layout.title}: nothing is known to read {key} from a file: use --into env:")
    top = tree.root.items[0] if tree.root.kind == "documents" else tree.root
    text, root = tree.source.text, {head.value: value for head, value in top.pairs}
    service = {head.value: value for head, value in root["services"].pairs}[slot.path[1]]
    held = {head.value: head for head, _ in service.pairs}
    line = text.rfind("\n", 0, slot.node.start) + 1
    match = _PAIR.match(text, line, slot.node.start)
    if "secrets" in held or match is None or match.end() != slot.node.start or store.inside is False:
        raise FieldError(
            "the service has secrets already, is written in another way, or the folder is no part of the project: "
            "edit it by hand"
        )
    environment = text.rfind("\n", 0, held["environment"].start) + 1
    indent, newline = text[environment : held["environment"].start], tree.source.newline
    file = Path(os.path.relpath(store.place / name, tree.source.path.parent)).as_posix()
    return [
        Splice(match.start("key"), match.end("key"), f"{key}_FILE"),
        Splice(slot.node.start, slot.node.end, f"/run/secrets/{name}"),
        Splice(environment, environment, f"{indent}secrets:{newline}{indent}  - {name}{newline}"),
        _secret(tree, root, name, f"./{file}"),
    ]


def _secret(tree: Tree, root: Mapping[str | None, Node], name: str, file: str) -> Splice:
    """Declare a secret, beside those that there are."""
    text, newline = tree.source.text, tree.source.newline
    if "secrets" in root and root["secrets"].pairs:
        first = root["secrets"].pairs[0][0].start
        line = text.rfind("\n", 0, first) + 1
        indent = text[line:first]
        return Splice(line, line, f"{indent}{name}:{newline}{indent}  file: {file}{newline}")
    head = "" if text.endswith("\n") else newline
    return Splice(len(text), len(text), f"{head}{newline}secrets:{newline}  {name}:{newline}    file: {file}{newline}")


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
