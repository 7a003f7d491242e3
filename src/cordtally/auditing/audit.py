"""Vets whatever it is given: a text, a cord, a tally file, or any file in which connection strings stand."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from ..config import Declared, declared_in
from ..errors import FieldError, MissingExtra, TextError, UnknownName, shielded
from ..exchange import Reading
from ..model import Cord, Secret
from ..model.placeholders import is_placeholder, variable_in
from ..pooling.settings import read_settings, vet_pool
from ..spotting import Spot
from ..sweeping.files import judged_in
from ..sweeping.judging import Surroundings
from ..sweeping.texts import Text, text_of
from ..syntax import format_of
from ..tally import load
from ..vetting import Finding, Findings, RuleId, Severity, vet_cord, vet_reading, vet_text
from ..vetting.findings import finding

_HEAD = 400
_GAP = 200  # characters between two pieces of a string that are joined


@shielded
def vet(what: str | Secret | Path | Reading | Cord, *, driver: str | None = None) -> Findings:
    """Give the findings for a connection string, a reading, a cord, or a file (given as a `Path`).

    A tally's cords are vetted in each environment; in any other file every connection string is found and vetted,
    with its line and column.

    Raises
    ------
    TextError
        When a text cannot be read.
    TallyError
        When a tally cannot be used.
    FieldError
        When a file is no text.
    OSError
        When a file cannot be read.

    Examples
    --------
    >>> import cordtally as ct
    >>> [f.rule.value for f in ct.vet("postgresql://tide_gauge@gauge.greywick.example/tides?sslmode=require")]
    ['encrypted-not-verified']
    """
    match what:
        case Reading():
            return vet_reading(what)
        case Cord():
            return vet_cord(what)
        case Path():
            return Findings(_vet_file(what, driver))
    return vet_text(what, driver=driver)


def _vet_file(path: Path, driver: str | None) -> Iterator[Finding]:
    text = text_of(path.read_bytes())
    if text is None:
        raise FieldError(f"{path} is not vetted: it is no text", path=path)
    head = text.characters[:_HEAD].splitlines()
    if path.suffix == ".toml" and any(line.replace(" ", "").startswith("tally=") for line in head):
        yield from _vet_tally(path)
        return
    parts = list(_vet_parts(path))
    told = {(one.line, one.column) for one in parts if one.rule is RuleId.PASSWORD_IN_TEXT}
    for spot, hit in judged_in(text, Surroundings(path))[0]:
        if spot.kind == "cord":
            yield from _vet_spot(text, spot, path, driver, is_text=hit is not None)
        elif spot.kind == "pair" and hit is not None and (hit.line, hit.column) not in told:
            hint = "move it out: cordtally lift"
            found = finding(hit.rule, f"{hit.name} has its value here: {hit.reason}", hint, severity=hit.severity)
            yield replace(found, source=str(path), line=hit.line, column=hit.column)
    yield from parts


def _vet_parts(path: Path) -> Iterator[Finding]:
    """Vet what a file declares in parts, each with a place of its own; its whole texts are vetted where they stand."""
    try:
        declared = declared_in(path) if format_of(path) is not None else []
    except (FieldError, MissingExtra):  # no text of its format, or its grammar is not installed
        return
    for one in declared:
        password = one.slots.get("password")
        if password is not None and password.node.value and not _is_stand_in(password.node.value):
            line, column = one.tree.source.place(password.node.start)
            hint = "keep it in a variable or a store, and name that here"
            found = finding(RuleId.PASSWORD_IN_TEXT, f"the password of {one.title} stands in the file", hint)
            yield replace(found, source=str(path), line=line, column=column)
        yield from _vet_pool(one, path)
        if one.cord is not None and "text" not in one.slots:
            line, column = one.tree.source.place(min(slot.node.start for slot in one.slots.values()))
            for found in vet_cord(one.cord, folder=path.parent):
                yield replace(found, source=str(path), line=line, column=column)


def _vet_pool(one: Declared, path: Path) -> Iterator[Finding]:
    """Vet the settings of the pool that stand beside a connection."""
    if one.pool is None:
        return
    library, settings = one.pool
    first = min(slot.node.start for slot in one.pools[library].values())
    line, column = one.tree.source.place(first)
    try:
        findings = vet_pool(read_settings(library, settings))
    except (FieldError, UnknownName) as error:
        hint = "see: cordtally pool convert --list"
        yield Finding(rule=RuleId.REFUSED_VALUE, message=str(error).partition("\n")[0], hint=hint,
                      severity=Severity.ERROR, source=str(path), line=line, column=column)  # fmt: skip
        return
    for found in findings:
        yield replace(found, source=str(path), line=line, column=column)


def _is_stand_in(value: str) -> bool:
    return variable_in(value) is not None or is_placeholder(value)


def _vet_spot(held: Text, spot: Spot, path: Path, driver: str | None, *, is_text: bool) -> Iterator[Finding]:
    """Vet a text of the file, each finding where it stands there."""

    def placed(found: Finding, offset: int) -> Finding:
        at = spot.start + _written_at(held.characters[spot.start : spot.end], spot.text, offset)
        line, column, _, _ = held.place(at, at)
        return replace(found, source=str(path), line=line, column=column)

    try:
        findings = vet_text(spot.text, driver=driver or spot.driver, folder=path.parent)
    except TextError as error:
        start, end = error.span or (0, 0)
        if (name := variable_in(spot.text[start:end])) is not None:
            message, hint = f"a part is filled in from {name}", "vet what comes out of it, where the program runs"
            yield placed(Finding(rule=RuleId.FILLED_IN, message=message, hint=hint, severity=Severity.NOTE), start)
            return
        if not is_text:
            return
        message, hint = error.problem, error.hint or "see: cordtally read"
        yield placed(Finding(rule=RuleId.VALUE_OUT_OF_RANGE, message=message, hint=hint, severity=Severity.ERROR), 0)
        return
    for found in findings:
        yield placed(found, found.start or 0)


def _written_at(raw: str, text: str, offset: int) -> int:
    """The place in a string as it is written of a place in what it stands for: quotes and signs between are passed."""
    at = 0
    for character in text[:offset]:
        found = raw.find(character, at, at + _GAP)
        at = found + 1 if found >= 0 else at  # the dollar of what is put in, which the language writes otherwise
    return at


def _vet_tally(path: Path) -> Iterator[Finding]:
    tally = load(path)
    for name in tally.names():
        for environment in (None, *tally.environments):
            if environment is not None and name not in tally.environments[environment]:
                continue
            cord = tally.cord(name, environment=environment)
            source = f"{path}: {name}" + (f" in {environment}" if environment else "")
            for found in vet_cord(cord, folder=tally.folder):
                yield replace(found, source=source)
