"""Vets one file: each connection string where it stands, what it declares in parts, and the pools beside them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from ..config.layouts import has_layout
from ..exchange import Reading
from ..spotting import Spot, Stretch
from ..sweeping.files import judged_in
from ..sweeping.hits import Hit
from ..sweeping.judging import SECRETS, Surroundings
from ..sweeping.texts import Text
from ..vetting import Finding, RuleId, Severity
from ..vetting.findings import Shown, finding
from .declarations import vet_parts
from .spots import Asked, Place, vet_spot

_WORDS = re.compile(r"[A-Za-z][a-z]*[.,:]?(?: [A-Za-z][a-z]*[.,:]?){1,12}")
_LONGEST_LINE = 2_000  # characters of a line that is shown
_OPEN = RuleId.SECRET_OPEN_TO_OTHERS
# keys whose value is a command, and programs that take a connection for an argument
_RUNS = frozenset({"ExecStart", "ExecStartPre", "command", "args", "entrypoint", "CMD", "ENTRYPOINT"})
_CLIENT = re.compile(
    r"(?:^|[\s;|&(\"'\[/])(?:mysql\w*|mariadb\w*|psql|pg_\w+|mongo\w*|redis-cli|sqlcmd|sqlplus|usql|createdb|dropdb)"
    r"[\"']?[\s,]"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Led:
    """Where a text of a file leads: what is compared between the files of a project."""

    name: str
    path: Path
    line: int
    column: int
    environment: str | None
    target: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Mendable:
    """A text of a file whose findings may offer edits: where it stands, what it is, and how it was read."""

    path: Path
    start: int
    end: int
    text: str
    driver: str | None
    reading: Reading | None
    findings: tuple[Finding, ...]

    def __repr__(self) -> str:
        return f"<Mendable at {self.start}>"


@dataclass(slots=True)
class OfFile:
    """What the vetting of one file came to; what is ``mendable`` holds secrets, and goes to no other process."""

    findings: list[Finding]
    hits: list[Hit]
    led: list[Led]
    mendable: list[Mendable]


def vet_in(
    text: Text, around: Surroundings, place: Path, asked: Asked, stretches: list[Stretch] | None = None
) -> OfFile:
    """Vet one file; its findings stand in the order of their places."""
    shown = around.path
    found, hits, led, mendable = list[Finding](), list[Hit](), list[Led](), list[Mendable]()
    judged = judged_in(text, around, stretches)[0]
    # a whole file is parsed for its parts where something was spotted, or where its name says that it has some
    wanted = judged or asked.everything or has_layout(shown.name)
    parts = list(vet_parts(place, shown, asked)) if wanted else []
    for spot, hit in judged:
        if hit is not None:
            hits.append(hit)
        if spot.kind == "cord":
            at = Place(place, shown, asked)
            findings, reading = vet_spot(text, spot, hit, at)
            driver = at.driver_of(spot)
            mendable.append(Mendable(shown, spot.start, spot.end, spot.text, driver, reading, tuple(findings)))
            told_of = asked.everything or not spot.comment
            found += [one for one in findings if told_of or is_real_secret(one)]
            name = spot.name or (spot.names[-1] if spot.names else None)
            if reading is not None and name is not None and not spot.comment and hit is not None:
                led += _led(name, shown, hit, reading)
        elif spot.kind == "pair" and hit is not None and (asked.everything or not _is_talk(text, spot)):
            hint = "move it out: cordtally lift"
            one = finding(hit.rule, f"{hit.name} has its value here: {hit.reason}", hint, severity=hit.severity)
            shows = Shown(hit.masked, 0, len(hit.masked))
            found.append(replace(one, source=str(shown), line=hit.line, column=hit.column, shown=shows))
        if hit is not None and hit.rule in SECRETS and not spot.comment:
            found += _exposed(spot, hit, around, first=not any(one.rule is _OPEN for one in found))
    # what a sweep finds of the same line knows how much the place matters
    told = {one.line for one in found if one.rule is RuleId.SECRET_PAIR}
    made = [*found, *(one for one in parts if one.rule is not RuleId.PASSWORD_IN_TEXT or one.line not in told)]
    made.sort(key=lambda one: (one.line or 0, one.column or 0, -one.severity.rank))
    return OfFile(made, hits, led, mendable)


def _is_talk(text: Text, spot: Spot) -> bool:
    """Whether a pair says nothing of a secret: its value is words for people, or no person wrote its line."""
    if _WORDS.fullmatch(spot.text):
        return True
    line = text.characters.rfind("\n", 0, spot.start)
    end = text.characters.find("\n", spot.end)
    return (end if end >= 0 else len(text.characters)) - line > _LONGEST_LINE


def _exposed(spot: Spot, hit: Hit, around: Surroundings, *, first: bool) -> Iterator[Finding]:
    """A secret that others of this machine see: in the list of processes, or in a file that they may read."""
    shown = Shown(hit.masked, 0, len(hit.masked))
    if _is_on_command_line(spot):
        hint = "hand it over in a variable or a file, or let it be asked for"
        made = finding(RuleId.SECRET_ON_COMMAND_LINE, "the secret stands on a command line", hint)
        yield replace(made, source=str(around.path), line=hit.line, column=hit.column, shown=shown)
    if around.readable_by_others and first:
        message = "others on this machine may read the file, which holds a secret"
        made = finding(_OPEN, message, f"chmod 600 {around.path.name}")
        yield replace(made, source=str(around.path), line=hit.line, column=hit.column, shown=shown)


def _is_on_command_line(spot: Spot) -> bool:
    if (spot.name or "").startswith("-") or (spot.names and spot.names[-1] in _RUNS):
        return True
    before = " ".join(spot.beside)
    return _CLIENT.search(before) is not None and not before.endswith("export ")


def is_real_secret(one: Finding) -> bool:
    """Whether it is a secret that matters wherever it stands: one that leads to a host which looks real."""
    return one.rule in {RuleId.PASSWORD_IN_TEXT, RuleId.SECRET_PAIR} and one.severity is Severity.ERROR


def _led(name: str, path: Path, hit: Hit, reading: Reading) -> Iterator[Led]:
    cord = reading.cord
    if cord.hosts and not any("$" in host.name or "{" in host.name for host in cord.hosts):
        target = (cord.engine, ",".join(map(str, cord.hosts)), str(cord.database))
        yield Led(name=name, path=path, line=hit.line, column=hit.column, environment=hit.environment, target=target)
