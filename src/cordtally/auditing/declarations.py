"""Vets what a file declares in parts: connections without a text, and the pools beside them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path

from ..config import Declared, declared_in
from ..errors import CordTallyError, MissingExtra
from ..model.placeholders import is_placeholder, variable_in
from ..sweeping.places import environment_of
from ..syntax import format_of
from ..text import doubtful_spans, mask_spans
from ..vetting import Finding, RuleId, vet_cord
from ..vetting.findings import Shown, finding
from .pools import vet_settings
from .spots import Asked

_LONGEST_LINE = 2_000  # characters of a line that is shown
_ROLES = {"tls.level": "tls", "tls.ca": "ca", "tls.certificate": "certificate", "tls.key": "key"}


def vet_parts(place: Path, shown: Path, asked: Asked) -> Iterator[Finding]:
    """Vet what a file declares in parts, each with a place of its own; its whole texts are vetted where they stand."""
    try:
        declared = declared_in(place) if format_of(place) is not None else []
    except (CordTallyError, MissingExtra, OSError):  # no text of its format, or its grammar is not installed
        return
    for one in declared:
        password = one.slots.get("password")
        if password is not None and password.node.value and not _is_stand_in(password.node.value):
            hint = "keep it in a variable or a store, and name that here"
            found = finding(RuleId.PASSWORD_IN_TEXT, f"the password of {one.title} stands in the file", hint)
            yield _at(one, found, password.node.start, shown)
        yield from _vet_pool(one, shown)
        if one.cord is not None and "text" not in one.slots:
            places = {role: (slot.node.start, slot.node.end) for role, slot in one.slots.items()}
            first = min(start for start, _ in places.values())
            environment = asked.environment or one.environment or environment_of(shown, (one.name,))
            if any(" " in host.name for host in one.cord.hosts):
                continue  # words for people stand in the place of values
            for found in vet_cord(one.cord, folder=place.parent, environment=environment, places=_by_role(places)):
                if found.rule is not RuleId.LOCATOR_WITHOUT_SECRET:
                    yield _at(one, found, found.start if found.start is not None else first, shown)


def _by_role(places: Mapping[str, tuple[int, int]]) -> dict[str, tuple[int, int]]:
    return {**places, **{role: places[slot] for role, slot in _ROLES.items() if slot in places}}


def _at(one: Declared, found: Finding, start: int, shown: Path) -> Finding:
    """Give a finding about a declared connection its place, and its masked line."""
    characters = one.tree.source.text
    line, column = one.tree.source.place(start)
    begin = characters.rfind("\n", 0, start) + 1
    end = characters.find("\n", start)
    whole = characters[begin : end if end >= 0 else len(characters)][:_LONGEST_LINE]
    spans = doubtful_spans(whole)
    password = one.slots.get("password")
    if password is not None and begin <= password.node.start < begin + len(whole):
        spans = [*spans, (password.node.start - begin, min(password.node.end - begin, len(whole)))]
    masked = mask_spans(whole, sorted(spans))
    left = min(start - begin, len(masked))
    shows = Shown(masked, left, min(left + 1, len(masked)))
    return replace(found, source=str(shown), line=line, column=column, start=None, end=None, edit=None, shown=shows)


def _vet_pool(one: Declared, shown: Path) -> Iterator[Finding]:
    """Vet the settings of the pool that stand beside a connection."""
    if one.pool is None:
        return
    library, settings = one.pool
    first = min(slot.node.start for slot in one.pools[library].values())
    for found in vet_settings(library, settings):
        yield _at(one, found, first, shown)


def _is_stand_in(value: str) -> bool:
    return variable_in(value) is not None or is_placeholder(value)
