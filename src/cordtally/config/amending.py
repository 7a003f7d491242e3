"""Edits of one connection in a file: the place that wins gets the new part, and every other byte stays."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from difflib import unified_diff
from typing import NamedTuple

from ..composing import parse_host
from ..errors import CordTallyError, FieldError
from ..exchange import Reading, read, write
from ..model import MASK, Cord, Secret
from ..syntax import Slot, Splice
from .declarations import Declared, declared_in, is_stand_in

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


def amend(declared: Declared, changes: Mapping[str, str]) -> Amendment:
    """Put new parts into the places that win.

    Parameters
    ----------
    declared : Declared
        The connection, as `declared_in` found it.
    changes : mapping
        New values by part: ``host`` (which may have a port), ``port``, ``database``, ``user``, ``password``.

    Raises
    ------
    FieldError
        When a part has no place in this file, or one that must not be edited: filled in from elsewhere, shared by
        several connections, or such that the value would not be read back. The message says why, and where else.
    """
    tree = declared.tree
    parts = _parts(changes)
    if declared.places.carries_port and "port" in parts:
        old = parse_host(declared.slots["host"].node.value or "") if "host" in declared.slots else None
        host = parts.get("host") or (str(old.address) if old is not None else "")
        parts["host"] = f"{host}:{parts.pop('port')}"
    splices = list(_splices(declared, parts))
    data = tree.source.spliced(splices)
    others = [one for one in declared_in(tree.source.path) if one.title != declared.title]
    hidden = {splice.start: splice for one in (*others, declared) for splice in _hidden(one)}
    before = _spliced(tree.source.text, hidden.values())
    shown = {splice.start: _shown(declared, splice) for splice in splices}
    after = _spliced(tree.source.text, (hidden | shown).values())
    path = str(tree.source.path)
    lines = unified_diff(before.splitlines(), after.splitlines(), path, path, n=0, lineterm="")
    secret = declared.slot_of("password") if "password" in changes else None
    line = None if secret is None else tree.source.place(secret.node.start)[0]
    return Amendment(declared, data, tuple(lines), line)


def _spliced(text: str, splices: Iterable[Splice]) -> str:
    for start, end, piece in sorted(splices, reverse=True):
        text = text[:start] + piece + text[end:]
    return text


def _hidden(declared: Declared) -> Iterator[Splice]:
    """What is shown in place of the secrets of a connection."""
    own, text = declared.slots.get("password"), declared.slots.get("text")
    if own is not None and own.node.value and "password" not in declared.from_variables:
        raw = declared.tree.source.text[own.node.start : own.node.end]
        yield Splice(own.node.start, own.node.end, _quoted_as(raw))
    if text is not None and (declared.reading is None or declared.reading.secret_spans):
        shown = MASK if declared.reading is None else str(declared.reading.text)
        raw = declared.tree.source.text[text.node.start : text.node.end]
        yield Splice(text.node.start, text.node.end, _dressed(declared, text, raw, shown))


def _shown(declared: Declared, splice: Splice) -> Splice:
    """What is shown of a new value."""
    own, text = declared.slots.get("password"), declared.slots.get("text")
    if own is not None and splice.start == own.node.start:
        return splice._replace(text=_quoted_as(splice.text))
    if text is not None and splice.start == text.node.start and declared.reading is not None:
        made = declared.tree.read_value(splice.text, text.node.style)
        again = read(made, driver=declared.reading.target)
        if again.secret_spans:
            shown = splice.text.replace(made, str(again.text)) if made in splice.text else ""
            return splice._replace(text=shown or _dressed(declared, text, "", str(again.text)))
    return splice


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


def _parts(changes: Mapping[str, str]) -> dict[str, str]:
    """The changes, a port behind a host being one of its own."""
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
    return parts


def _splices(declared: Declared, parts: dict[str, str]) -> Iterator[Splice]:
    in_text: dict[str, str] = {}
    for role, value in parts.items():
        slot = declared.slot_of(role)
        if slot is None:
            raise FieldError(f"{declared.title} has no place for its {role} in this file: {_places(declared)}")
        _refuse(declared, role, slot)
        if slot is declared.slots.get("text"):
            in_text[role] = value
        else:
            yield declared.tree.splice(slot.node, value)
    if in_text:
        slot, reading = declared.slots["text"], declared.reading
        if slot.node.value is None:
            raise FieldError(f"the text of {declared.title} is computed: it cannot be edited in place")
        if reading is None:
            raise FieldError(f"the text of {declared.title} cannot be edited: {declared.problem}")
        yield declared.tree.splice(slot.node, new_text(reading, slot.node.value or "", in_text))


def _refuse(declared: Declared, role: str, slot: Slot) -> None:
    where = f"line {declared.tree.source.place(slot.node.start)[0]}"
    if slot.node.shared:
        message = f"{where} stands for several connections: give {declared.title} a {role} of its own there first"
        raise FieldError(message, path=declared.tree.source.path)
    if slot.node.variable or (role in declared.from_variables and is_stand_in(slot.node.value or "")):
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


def new_text(reading: Reading, text: str, parts: Mapping[str, str]) -> str:
    """Give a text with other parts; what is not concerned stays as it was written.

    Raises
    ------
    FieldError
        When its notation cannot hold a part.
    """
    wanted = _changed(reading.cord, parts)
    writing = write(wanted, reading.target)
    lost = [line for line in writing.ledger.losses if line.part.partition(".")[0] in parts]
    if lost:
        raise FieldError(f"{reading.target} cannot hold the new {lost[0].part}: {lost[0].reason}")
    whole = writing.text.unmask()
    for candidate in (_pieced(reading, text, whole, parts), whole):
        if candidate is not None and _reads_as(candidate, reading, wanted):
            return candidate
    raise FieldError(f"the new text would not be read back as {reading.target} with these parts")


def _changed(cord: Cord, parts: Mapping[str, str]) -> Cord:
    for role, value in parts.items():
        if role in {"host", "port"}:
            if len(cord.hosts) != 1:
                raise FieldError("the connection has several hosts, or none: edit its text by hand")
            (host,) = cord.hosts
            address, port = (value, host.port) if role == "host" else (host.address, int(value))
            cord = cord.copy_with(hosts=(type(host)(address, port, host.instance),))
        else:
            cord = cord.copy_with(**{role: Secret(value) if role == "password" else value})
    return cord


def _pieced(reading: Reading, text: str, whole: str, parts: Mapping[str, str]) -> str | None:
    """The old text with the spans of the changed parts alone replaced, as they stand in the text written anew."""
    try:
        anew = read(whole, driver=reading.target)
    except CordTallyError:
        return None
    spans = []
    for role in parts:
        old = [part for part in reading.parts if part.role == role]
        new = [part for part in anew.parts if part.role == role]
        if len(old) != 1 or len(new) != 1:
            return None
        spans.append((old[0].start, old[0].end, whole[new[0].start : new[0].end]))
    for start, end, piece in sorted(spans, reverse=True):
        text = text[:start] + piece + text[end:]
    return text


def _reads_as(text: str, reading: Reading, wanted: Cord) -> bool:
    try:
        return read(text, driver=reading.target).cord == wanted
    except CordTallyError:
        return False
