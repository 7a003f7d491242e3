"""Vets the connection strings of a file, each where it stands: what is told of it there, and the fixes that hold."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

from ..catalog import load_index
from ..errors import AmbiguousText, CordTallyError, TextError
from ..exchange import Reading, read
from ..exchange.mistakes import find_mistakes
from ..model import clear
from ..model.placeholders import variable_in
from ..spotting import Spot
from ..sweeping.hits import Hit
from ..sweeping.places import environment_of, kind_of_place
from ..sweeping.texts import Text
from ..syntax import format_of, language_facts
from ..text import masked_position
from ..vetting import Finding, Findings, Fix, RuleId, Severity, vet_reading
from ..vetting.findings import Shown
from ..vetting.unread import report_unread
from .pools import vet_pool_of
from .proving import holds, written_at, written_in

_MOST_ALIKE = 6  # drivers that a text is read with where it does not tell which is meant
_LONGEST_TEXT = 1 << 16  # characters of a text: nobody's connection is longer
# what a program formats, and shows to people, is no mistake: a tree's findings are without it
_FOR_PEOPLE = frozenset({
    RuleId.PLACEHOLDER_LEFT, RuleId.FILLED_IN, RuleId.TEMPLATE_LEFT, RuleId.NO_HOST, RuleId.DATABASE_OF_USER,
})  # fmt: skip
_BRACKETS = frozenset("<{[")


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What a vetting of files goes by: the driver and the environment that are said to be meant.

    Unless ``everything`` is told, of comments secrets alone are.
    """

    driver: str | None = None
    environment: str | None = None
    everything: bool = True


@dataclass(frozen=True, slots=True)
class Place:
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


def vet_spot(text: Text, spot: Spot, hit: Hit | None, at: Place) -> tuple[list[Finding], Reading | None]:
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


def _fixed(text: Text, spot: Spot, one: Finding, was: tuple[Reading, Sequence[Finding]], at: Place) -> Finding:
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


def _told_of(found: Findings, spot: Spot, reading: Reading, at: Place) -> Findings:
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
    text: Text, spot: Spot, hit: Hit | None, several: AmbiguousText, at: Place
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


def _placed(text: Text, spot: Spot, one: Finding, at: Place, reading: Reading | None = None) -> Finding:
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
