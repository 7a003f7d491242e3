"""Vets one file: each connection string where it stands, what it declares in parts, and the pools beside them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

from ..catalog import load_index
from ..config import Declared, declared_in
from ..config.layouts import has_layout
from ..errors import AmbiguousText, CordTallyError, FieldError, MissingExtra, TextError, UnknownName
from ..exchange import Reading, read
from ..exchange.mistakes import find_mistakes
from ..model import clear
from ..model.placeholders import is_placeholder, variable_in
from ..pooling.settings import read_settings, vet_pool
from ..spotting import Spot, Stretch
from ..sweeping.files import judged_in
from ..sweeping.hits import Hit
from ..sweeping.judging import SECRETS, Surroundings
from ..sweeping.places import environment_of, kind_of_place
from ..sweeping.texts import Text
from ..syntax import format_of, language_facts
from ..text import doubtful_spans, mask_spans, masked_position
from ..vetting import RULES, Finding, Findings, Fix, RuleId, Severity, vet_cord, vet_reading
from ..vetting.findings import Shown, finding
from ..vetting.unread import report_unread
from .pools import vet_pool_of
from .proving import holds, written_at, written_in

_MOST_ALIKE = 6  # drivers that a text is read with where it does not tell which is meant
_LONGEST_TEXT = 1 << 16  # characters of a text: nobody's connection is longer
_WORDS = re.compile(r"[A-Za-z][a-z]*[.,:]?(?: [A-Za-z][a-z]*[.,:]?){1,12}")
_LONGEST_LINE = 2_000  # characters of a line that is shown
# what a program formats, and shows to people, is no mistake: a tree's findings are without it
_FOR_PEOPLE = frozenset({
    RuleId.PLACEHOLDER_LEFT, RuleId.FILLED_IN, RuleId.TEMPLATE_LEFT, RuleId.NO_HOST, RuleId.DATABASE_OF_USER,
})  # fmt: skip
_OPEN = RuleId.SECRET_OPEN_TO_OTHERS
# keys whose value is a command, and programs that take a connection for an argument
_RUNS = frozenset({"ExecStart", "ExecStartPre", "command", "args", "entrypoint", "CMD", "ENTRYPOINT"})
_CLIENT = re.compile(
    r"(?:^|[\s;|&(\"'\[/])(?:mysql\w*|mariadb\w*|psql|pg_\w+|mongo\w*|redis-cli|sqlcmd|sqlplus|usql|createdb|dropdb)"
    r"[\"']?[\s,]"
)
_BRACKETS = frozenset("<{[")
_ROLES = {"tls.level": "tls", "tls.ca": "ca", "tls.certificate": "certificate", "tls.key": "key"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What a vetting of files goes by: the driver and the environment that are said to be meant.

    Unless ``everything`` is told, of comments secrets alone are.
    """

    driver: str | None = None
    environment: str | None = None
    everything: bool = True


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
    parts = list(_vet_parts(place, shown, asked)) if wanted else []
    for spot, hit in judged:
        if hit is not None:
            hits.append(hit)
        if spot.kind == "cord":
            at = _Place(place, shown, asked)
            findings, reading = _vet_spot(text, spot, hit, at)
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


@dataclass(frozen=True, slots=True)
class _Place:
    """Where a file is, how it is called, and what is asked of it."""

    path: Path
    shown: Path
    asked: Asked

    def driver_of(self, spot: Spot) -> str | None:
        """The driver that a text is for: the one that is said, or whose function it is handed to."""
        symbols: Mapping[str, str] = load_index()["symbols"]
        return self.asked.driver or spot.driver or symbols.get(spot.call)

    def for_people(self, spot: Spot, one: Finding, reading: Reading) -> bool:
        """Whether a stand-in belongs there: in a document, a test, a comment; in a program, where it is formatted.

        One in angle brackets is for people where the host is one, too: beside a real host it was never replaced.
        """
        if spot.comment or kind_of_place(self.shown) != "source":
            return True
        format_name = format_of(self.shown)
        if format_name is None or language_facts(format_name).get("kind") != "code":
            return False
        shown = any(not _BRACKETS.isdisjoint(host.name) for host in reading.cord.hosts)
        return shown or one.start is None or spot.text[one.start : one.start + 1] in {"{", "$", "%", ""}

    def environment(self, names: Iterable[str]) -> str | None:
        """The environment that is meant: the one that is said, or that the names and the path tell."""
        return self.asked.environment or environment_of(self.shown, tuple(names))


def _vet_spot(text: Text, spot: Spot, hit: Hit | None, at: _Place) -> tuple[list[Finding], Reading | None]:
    """Vet a text of the file, each finding where it stands there."""
    if len(spot.text) > _LONGEST_TEXT:
        return [], None
    driver = at.driver_of(spot)
    environment = at.environment((*spot.names, spot.name or ""))
    try:
        reading = read(spot.text, driver=driver)
    except AmbiguousText as several:
        return _vet_alike(text, spot, hit, several, at)
    except TextError as error:
        if hit is not None and hit.rule is RuleId.CORD_WITH_PLACEHOLDER:
            return [], None  # a pattern, or what a document shows in a text's place
        told = [one for one in _unread(spot.text, driver, error) if hit is not None or one.rule is RuleId.FILLED_IN]
        return [_placed(text, spot, one, at) for one in told], None
    except CordTallyError:
        return [], None
    found = vet_reading(reading, folder=at.path.parent, environment=environment, in_file=True)
    found = vet_pool_of(reading, found)
    found = _told_of(found, spot, reading, at)
    weighed = [_weighed(one, hit, aside=at.for_people(spot, one, reading)) for one in found]
    placed = [_placed(text, spot, one, at, reading) for one in weighed]
    return [_fixed(text, spot, one, (reading, found), at) for one in placed], reading


def _fixed(text: Text, spot: Spot, one: Finding, was: tuple[Reading, Sequence[Finding]], at: _Place) -> Finding:
    """Give a finding its fix, where its edit touches no secret, is written as it is, and holds what it promises."""
    edit, (reading, found) = one.edit, was
    if edit is None or any(a < edit.end and edit.start < b for a, b in reading.secret_spans):
        return one
    there = written_in(text.characters, spot.start, spot.end, spot.text, edit)
    if there is None:
        return one
    try:
        now = read(edit.applied(spot.text), driver=at.driver_of(spot))
    except CordTallyError:
        return one
    environment = at.environment((*spot.names, spot.name or ""))
    after = vet_pool_of(now, vet_reading(now, folder=at.path.parent, environment=environment, in_file=True))
    if not holds(one, found, reading, after, now):
        return one
    return replace(one, fix=Fix(*text.place(there.start, there.end), clear(there.text)))


def _told_of(found: Findings, spot: Spot, reading: Reading, at: _Place) -> Findings:
    """What is told of a text: nothing of a beginning alone, and in a tree nothing of what is for people."""
    if len(reading.parts) < 2:
        return Findings()
    if at.asked.everything:
        return found
    return Findings(one for one in found if one.rule not in _FOR_PEOPLE or not at.for_people(spot, one, reading))


def _weighed(one: Finding, hit: Hit | None, *, aside: bool = False) -> Finding:
    """A secret in a file matters as much as its place says; a placeholder in a document is what belongs there."""
    if one.rule is RuleId.PLACEHOLDER_LEFT and aside:
        return replace(one, severity=Severity.NOTE)
    if one.rule is RuleId.PASSWORD_IN_TEXT and hit is not None and hit.rule is RuleId.CORD_WITH_PASSWORD:
        return replace(
            one, severity=hit.severity, message=f"the password stands {hit.reason.removeprefix('a secret ')}"
        )
    return one


def _vet_alike(
    text: Text, spot: Spot, hit: Hit | None, several: AmbiguousText, at: _Place
) -> tuple[list[Finding], Reading | None]:
    """Vet a text that several drivers read: what is wrong with it for all of them that may be meant."""
    engine = None if hit is None else hit.engine
    drivers = load_index()["drivers"]
    targets = [t for t in several.targets if engine is None or engine in drivers[t.partition("/")[0]]["engines"]]
    readings = list[Reading]()
    for target in (targets or several.targets)[:_MOST_ALIKE]:
        with suppress(CordTallyError):
            readings.append(read(spot.text, driver=target))
    if not readings or hit is None:
        return [], None
    environment = at.environment((*spot.names, spot.name or ""))
    found = [vet_reading(one, folder=at.path.parent, environment=environment, in_file=True) for one in readings]
    common = set[RuleId].intersection(*({one.rule for one in each} for each in found))
    kept = _told_of(Findings(one for one in found[0] if one.rule in common), spot, readings[0], at)
    return [_placed(text, spot, _weighed(one, hit), at, readings[0]) for one in kept], readings[0]


def _unread(text: str, driver: str | None, error: TextError) -> Iterator[Finding]:
    """Report a text that cannot be read, unless something is filled in where reading ended."""
    start, end = error.span or (0, 0)
    name, mistakes = variable_in(text[start:end]), list(find_mistakes(text))
    if any(one.kind.value == "scheme" and "may be" in one.problem for one in mistakes[:1]):
        return  # a scheme that only looks like one that is known may be that of a driver which is not
    if name is None and any(one.kind.value == "template" for one in mistakes):
        name = "elsewhere"
    if name is None:
        with suppress(TextError):  # what is no connection string at all
            yield from report_unread(text, driver, error)
        return
    message, hint = f"a part is filled in from {name}", "vet what comes out of it, where the program runs"
    yield Finding(rule=RuleId.FILLED_IN, message=message, hint=hint, severity=Severity.NOTE, start=start, end=end)


def _placed(text: Text, spot: Spot, one: Finding, at: _Place, reading: Reading | None = None) -> Finding:
    """Give a finding its place in the file, and the masked text around it."""
    raw = text.characters[spot.start : spot.end]
    first, last = one.start or 0, one.end if one.end is not None else one.start or 0
    start = spot.start + written_at(raw, spot.text, first)
    end = spot.start + written_at(raw, spot.text, last)
    line, column, end_line, end_column = text.place(start, max(start, end))
    shown = one.shown
    if reading is not None:
        spans = list(reading.secret_spans)
        caret = masked_position(first, spans), masked_position(last, spans)
        shown = (
            Shown(str(reading.text), caret[0], max(caret)) if one.start is not None else Shown(str(reading.text), 0, 0)
        )
    ends = (end_line, end_column) if one.end is not None else (None, None)
    return replace(
        one, source=str(at.shown), line=line, column=column, end_line=ends[0], end_column=ends[1], shown=shown
    )


def _vet_parts(place: Path, shown: Path, asked: Asked) -> Iterator[Finding]:
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
    try:
        findings: Iterable[Finding] = vet_pool(read_settings(library, settings))
    except (FieldError, UnknownName) as error:
        hint = "see: cordtally pool convert --list"
        refused = RULES[RuleId.REFUSED_VALUE]
        findings = [
            Finding(rule=refused.id, message=str(error).partition("\n")[0], hint=hint, severity=refused.severity)
        ]
    for found in findings:
        yield _at(one, found, first, shown)


def _is_stand_in(value: str) -> bool:
    return variable_in(value) is not None or is_placeholder(value)
