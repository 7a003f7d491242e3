"""Edits of one connection in a file: the place that wins gets the new part, and every other byte stays."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from difflib import unified_diff
from typing import Any, NamedTuple

from ..composing import parse_host
from ..errors import FieldError, quoted
from ..model import MASK
from ..model.suspicion import sounds_secret
from ..syntax import Node, Number, Slot, Splice, Tree
from .declarations import Declared, declared_in
from .keeping import old_lines
from .layouts import refuse_filling
from .matching import folded
from .options import option_edits
from .stand_ins import filled_parts, masked_text, restored
from .texts import new_text

_FURTHER = ("tls", "ca", "login", "options")
_SAID = {"engine_in": "engine", "text": "a text"}


class Amendment(NamedTuple):
    """What an edit makes of a file: its bytes, and what it changes as a unified diff in which secrets are masked.

    ``secret_line`` is the line in which a secret is replaced, which the mask hides.
    """

    declared: Declared
    data: bytes
    lines: tuple[str, ...]
    secret_line: int | None = None

    def apply(self) -> None:
        """Write the file: whole or not at all, and only if it is still what was read."""
        self.declared.tree.source.replace(self.data)


def amend(declared: Declared, changes: Mapping[str, Any], *, keep_old: bool = False) -> Amendment:
    """Put new parts into the places that win.

    Parameters
    ----------
    declared : Declared
        The connection, as `declared_in` found it.
    changes : mapping
        New values by part: ``host`` (which may have a port), ``port``, ``database``, ``user``, ``password``; in a text
        also ``tls`` (a level), ``ca``, ``login`` (a method), ``options`` (a mapping of canonical names to values, like
        ``5s``); ``pool`` is a mapping of settings that the file has, by their names there.
    keep_old : bool
        Whether the old lines stay, as comments.

    Raises
    ------
    FieldError
        When a part has no place in this file, or one that must not be edited: filled in from elsewhere, shared by
        several connections, or such that the value would not be read back. The message says why, and where else.
    """
    return amend_all([declared], changes, keep_old=keep_old)


def amend_all(chosen: Sequence[Declared], changes: Mapping[str, Any], *, keep_old: bool = False) -> Amendment:
    """Put the same new parts into several connections of one file, at the places that win.

    Raises
    ------
    FieldError
        As `amend`.
    """
    tree = chosen[0].tree
    edits = {
        id(slot.node): _Edit(one, role, slot, value) for one in chosen for role, slot, value in _edits(one, changes)
    }
    pairs = [(edit.slot.node, edit.value) for edit in edits.values()]
    kept = old_lines(tree, tree.splices(pairs)) if keep_old else []
    data = tree.edited(pairs, kept)
    titles = {one.title for one in chosen}
    others = [one for one in declared_in(tree.source.path) if one.title not in titles]
    hidden, inner = dict(_telling(tree)), dict[int, tuple[Node, str]]()
    for one in (*others, *chosen):
        _hide(one, hidden, inner)
    if kept:
        _refuse_secrets(tree, kept, hidden, inner)
    before = _spliced(tree, hidden, inner)
    for edit in edits.values():
        if edit.slot.node.host is not None:
            inner[id(edit.slot.node)] = (edit.slot.node, _shown_value(edit))
        else:
            hidden[edit.slot.node.start] = _shown(edit)
    after = _spliced(tree, hidden, inner, kept)
    path = str(tree.source.path)
    lines = unified_diff(before.splitlines(), after.splitlines(), path, path, n=0, lineterm="")
    secret = chosen[0].slot_of("password") if "password" in changes else None
    line = None if secret is None else tree.source.place(secret.node.start)[0]
    return Amendment(chosen[0], data, tuple(lines), line)


class _Edit(NamedTuple):
    """A new value for a slot of a connection, in the role that it is given for."""

    declared: Declared
    role: str
    slot: Slot
    value: str


def _spliced(
    tree: Tree, splices: Mapping[int, Splice], inner: Mapping[int, tuple[Node, str]], more: Sequence[Splice] = ()
) -> str:
    """The text with other pieces, those inside a scalar in place of what is said of all of it."""
    held = {splice.start: splice for splice in tree.splices(inner.values())}
    text = tree.source.text
    for start, end, piece in sorted([*(dict(splices) | held).values(), *more], reverse=True):
        text = text[:start] + piece + text[end:]
    return text


def _refuse_secrets(
    tree: Tree, kept: Sequence[Splice], hidden: Mapping[int, Splice], inner: Mapping[int, tuple[Node, str]]
) -> None:
    """Refuse to keep a line with a secret in it as a comment."""
    lines = {tree.source.place(splice.start)[0] for splice in kept}
    places = [*hidden, *(node.start for node, _ in inner.values())]
    told = sorted({tree.source.place(start)[0] for start in places if tree.source.text[start : start + 1]} & lines)
    if told:
        raise FieldError(f"line {told[0]} holds a secret: it is not kept as a comment", path=tree.source.path)


def _telling(tree: Tree) -> Iterator[tuple[int, Splice]]:
    """What is shown in place of values whose keys say that they are secret: a line may hold a whole file."""
    for slot in tree.every():
        if slot.path and slot.node.value and sounds_secret(slot.path[-1].lstrip("@")):
            raw = tree.source.text[slot.node.start : slot.node.end]
            yield slot.node.start, Splice(slot.node.start, slot.node.end, _quoted_as(raw))


def _hide(declared: Declared, splices: dict[int, Splice], inner: dict[int, tuple[Node, str]]) -> None:
    """What is shown in place of the secrets of a connection."""
    own, text = declared.slots.get("password"), declared.slots.get("text")
    if own is not None and own.node.value:  # a look-up's default, too
        if own.node.host is not None:
            inner[id(own.node)] = (own.node, MASK)
        else:
            raw = declared.tree.source.text[own.node.start : own.node.end]
            splices[own.node.start] = Splice(own.node.start, own.node.end, _quoted_as(raw))
    if text is not None and (declared.reading is None or declared.reading.secret_spans or declared.stand_ins):
        value = text.node.value or ""
        shown = MASK if declared.reading is None else _masked(value, declared)
        if shown == value:
            return  # what is secret in it is filled in
        if text.node.host is not None:
            inner[id(text.node)] = (text.node, shown)
        else:
            raw = declared.tree.source.text[text.node.start : text.node.end]
            splices[text.node.start] = Splice(text.node.start, text.node.end, _dressed(declared, text, raw, shown))


def _masked(text: str, declared: Declared) -> str:
    head = declared.places.strips if text.startswith(declared.places.strips) else ""
    reading = declared.frame or declared.reading
    target = None if reading is None else reading.target
    return head + masked_text(text.removeprefix(head), declared.layout, target)


def _shown_value(edit: _Edit) -> str:
    """What is shown of a new value."""
    if edit.role == "password":
        return MASK
    if edit.role == "text" and edit.declared.reading is not None:
        return _masked(edit.value, edit.declared)
    return edit.value


def _shown(edit: _Edit) -> Splice:
    node, declared = edit.slot.node, edit.declared
    splice = declared.tree.splice(node, edit.value)
    if edit.role == "password":
        return splice._replace(text=_quoted_as(splice.text))
    shown = _shown_value(edit)
    if shown == edit.value:
        return splice
    made = splice.text.replace(edit.value, shown) if edit.value in splice.text else ""
    return splice._replace(text=made or _dressed(declared, edit.slot, "", shown))


def _quoted_as(raw: str) -> str:
    """The mask in the quotes in which a value stands."""
    quote = raw[0] if len(raw) > 1 and raw[0] == raw[-1] and raw[0] in "'\"" else ""
    return f"{quote}{MASK}{quote}"


def _dressed(declared: Declared, slot: Slot, raw: str, shown: str) -> str:
    """A masked text in place of what is written there, in the same quotes where they can be told."""
    value = slot.node.value or ""
    if value and value in raw:
        return raw.replace(value, shown)
    try:
        return declared.tree.splice(slot.node, shown).text
    except FieldError:
        return shown


def _parts(declared: Declared, changes: Mapping[str, Any]) -> dict[str, Any]:
    """The changes, a port behind a host being one of its own, unless the layout keeps both in one place."""
    parts = dict(changes)
    if "host" in parts:
        host = parse_host(parts["host"])
        parts["host"] = str(host.address)
        if host.port is not None:
            if "port" in parts:
                raise FieldError("the port is given twice: in host, and as port")
            parts["port"] = str(host.port)
    if "port" in parts and not (parts["port"].isdigit() and 0 < int(parts["port"][:6]) < 65536):
        raise FieldError("a port is a number from 1 to 65535")
    if declared.places.carries_port and "port" in parts:
        old = parse_host(declared.slots["host"].node.value or "") if "host" in declared.slots else None
        address = parts.get("host") or (str(old.address) if old is not None else "")
        parts["host"] = f"{address}:{parts.pop('port')}"
    return parts


def _edits(declared: Declared, changes: Mapping[str, Any]) -> Iterator[tuple[str, Slot, str]]:
    """The slots that get new values, each with the role that it is known by."""
    in_text: dict[str, Any] = {}
    parts = _parts(declared, changes)
    for name, value in parts.pop("pool", {}).items():
        yield "pool", _pool_slot(declared, name), Number(value)
    if "text" not in declared.slots and declared.places.options:
        further: dict[str, Any] = {role: parts.pop(role) for role in _FURTHER if role in parts}
        yield from (("option", slot, Number(value)) for slot, value in option_edits(declared, further))
    for role, value in parts.items():
        slot = declared.slot_of(role)
        if slot is None:
            raise FieldError(f"{declared.title} has no place for its {role} in this file: {_places(declared)}")
        _refuse(declared, role, slot)
        if isinstance(value, str):
            refuse_filling(declared.layout, value)
        if slot is declared.slots.get("text"):
            in_text[role] = value
        else:
            yield role, slot, Number(value) if role == "port" else value
    if in_text:
        slot, reading = declared.slots["text"], declared.frame or declared.reading
        if slot.node.value is None:
            raise FieldError(f"the text of {declared.title} is computed: it cannot be edited in place")
        if reading is None:
            raise FieldError(f"the text of {declared.title} cannot be edited: {declared.problem}")
        if declared.stand_ins and declared.frame is None:
            raise FieldError(
                f"the text of {declared.title} is filled in such that it cannot be edited: edit it by hand"
            )
        text = declared.text if declared.stand_ins else slot.node.value
        head = declared.places.strips if text.startswith(declared.places.strips) else ""
        made = new_text(reading, text.removeprefix(head), in_text)
        yield "text", slot, restored(head + made, declared.stand_ins)


def _pool_slot(declared: Declared, name: str) -> Slot:
    """The slot of a pool's setting; one that the file does not have cannot be edited."""
    known = {folded(one): slot for slots in declared.pools.values() for one, slot in slots.items()}
    slot = known.get(folded(name))
    if slot is None:
        listed = ", ".join(one for slots in declared.pools.values() for one in slots) or "none"
        raise FieldError(f"{declared.title} has no place for {quoted(name)} of its pool; it sets {listed}")
    _refuse(declared, "pool", slot)
    return slot


def _refuse(declared: Declared, role: str, slot: Slot) -> None:
    where = f"line {declared.tree.source.place(slot.node.start)[0]}"
    if slot.node.shared:
        message = f"{where} stands for several connections: give {declared.title} a {role} of its own there first"
        raise FieldError(message, path=declared.tree.source.path)
    filled = declared.frame is not None and role in filled_parts(declared.frame.cord, declared.stand_ins)
    own = role in declared.from_variables and slot is declared.slots.get(role)
    if slot.node.variable or own or (filled and slot is declared.slots.get("text")):
        name = slot.node.variable or declared.from_variables[role]
        raise FieldError(
            f"{where}: the {role} is filled in from {name}; change it there", path=declared.tree.source.path
        )


def _places(declared: Declared) -> str:
    source = declared.tree.source
    known = [
        f"{_SAID.get(role, role)} in line {source.place(slot.node.start)[0]}" for role, slot in declared.slots.items()
    ]
    return f"it has {', '.join(known)}"
