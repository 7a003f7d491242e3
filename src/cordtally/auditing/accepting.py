"""What stays for a reason: comments beside lines, and the tables ``[accepts.NAME]`` and ``[vet.RULE]`` of the tally."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path, PurePath

from ..catalog import find_nearest
from ..syntax.ignoring import IgnoreRules, parse_rules
from ..tally import Tally
from ..vetting import RULES, Finding, RuleId, Severity, Sight
from ..vetting.accepting import said_in
from ..vetting.findings import finding

# one matter under two names: a sweep reports the line, vetting the text
_SAME = {RuleId.PASSWORD_IN_TEXT.value: RuleId.CORD_WITH_PASSWORD.value}


def accepted_in(found: Iterable[Finding], text: str, shown: Path) -> list[Finding]:
    """Mark the findings of a file that its comments accept; and report what accepts nothing."""
    made, fitted = list(found), set[int]()
    said = said_in(text)
    for number, one in enumerate(said):
        for place, each in enumerate(made):
            rules = {each.rule.value, _SAME.get(each.rule.value, "")}
            if each.line == one.about and one.rule in rules:
                fitted.add(number)
                if one.reason:
                    made[place] = replace(each, accepted=one.reason)
    for number, one in enumerate(said):
        known = next((rule for rule in RULES.values() if rule.id.value == one.rule), None)
        # whether a sweep finds what its own rules are about is for the sweep to say
        if one.reason and (number in fitted or (known is not None and known.sees is Sight.LINE)):
            continue
        complaint = _without_reason(one.rule) if not one.reason else _fits_nothing(one.rule)
        made.append(replace(complaint, source=str(shown), line=one.line, column=one.column,
                            end_line=one.line, end_column=one.end_column))  # fmt: skip
    return made


def _without_reason(rule: str) -> Finding:
    hint = f"write: cord-tally: accept {rule} because …"
    return finding(RuleId.ACCEPT_WITHOUT_REASON, f"{rule} is accepted, and no reason is given", hint)


def _fits_nothing(rule: str) -> Finding:
    ids = [one.value for one in RuleId]
    nearest = find_nearest(rule, ids, most=1) if rule not in ids else ()
    if rule not in ids:
        hint = f"did you mean {nearest[0]}?" if nearest else "cordtally vet --rules lists them"
        return finding(RuleId.ACCEPT_FITS_NOTHING, f"there is no rule {rule}", hint)
    return finding(RuleId.ACCEPT_FITS_NOTHING, f"nothing of {rule} is found here", "take the comment out")


class Rulings:
    """The tables of a tally, asked of one finding after the other."""

    def __init__(self, tally: Tally, base: Path) -> None:
        self.tally, self.base = tally, base
        self.fitted: set[str] = set()
        self._accepts = {name: (one, parse_rules(one.path + "\n")) for name, one in tally.accepts.items()}
        self._paths = {rule: parse_rules(one.path + "\n") for rule, one in tally.rulings.items() if one.path}

    def applied(self, found: Iterable[Finding]) -> Iterator[Finding]:
        """Give findings with the severity that the tally gives them; those that it switches off are accepted."""
        for one in found:
            made = self._ruled(one)
            yield made if made.accepted else self._accepted(made)

    def _ruled(self, one: Finding) -> Finding:
        ruling = self.tally.rulings.get(one.rule.value)
        path = self._path_of(one)
        if ruling is None or (ruling.path and (path is None or not _covers(self._paths[one.rule.value], path))):
            return one
        self.fitted.add(f"vet.{one.rule.value}")
        if ruling.severity == "off":
            return replace(one, accepted=one.accepted or ruling.because)
        return replace(one, severity=Severity(ruling.severity))

    def _accepted(self, one: Finding) -> Finding:
        path = self._path_of(one)
        for name, (accept, rules) in self._accepts.items():
            named = accept.rule in {"", one.rule.value, _SAME.get(one.rule.value, "")}
            if named and path is not None and _covers(rules, path):
                self.fitted.add(f"accepts.{name}")
                return replace(one, accepted=accept.reason)
        return one

    def _path_of(self, one: Finding) -> PurePath | None:
        """The file that a finding is about, from the tally's folder: the name of a cord may stand behind it."""
        if one.source is None:
            return None
        path = (self.base / one.source.partition(": ")[0]).resolve()
        return path.relative_to(self.tally.folder) if path.is_relative_to(self.tally.folder) else None

    def unused(self) -> Iterator[Finding]:
        """Report the tables that fitted nothing; of accepts those that are about a rule of vetting."""
        sweeps = {rule.id.value for rule in RULES.values() if rule.sees is Sight.LINE}
        tables = {f"vet.{rule}": one.line for rule, one in self.tally.rulings.items()}
        tables |= {f"accepts.{n}": one.line for n, one in self.tally.accepts.items() if one.rule not in {*sweeps, ""}}
        for name, line in tables.items():
            if name not in self.fitted:
                made = finding(RuleId.ACCEPT_FITS_NOTHING, f"[{name}] fits nothing that is found", "take it out")
                yield replace(made, source=self.tally.path.name, line=line or 1, column=1)


def _covers(rules: IgnoreRules, path: PurePath) -> bool:
    parts = path.parts
    return any(rules.verdict(parts[:depth], folder=depth < len(parts)) for depth in range(1, len(parts) + 1))
