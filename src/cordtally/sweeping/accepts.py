"""Findings that may stay, each for a reason: said beside the line, or in the tally for files by their paths.

Beside the line, or on one of its own above it: ``cord-tally: accept secret-pair because REASON``. In the tally a table
``[accepts.NAME]`` with ``path`` (a pattern as in .gitignore), ``rule`` and ``reason``. An accept that fits nothing, or
gives no reason, is reported.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from ..syntax.ignoring import IgnoreRules, parse_rules
from ..vetting import RULES, RuleId, Sight
from ..vetting.accepting import said_in
from .hits import Hit

if TYPE_CHECKING:
    from ..tally import Accept

_OF_OTHERS = frozenset(rule.id.value for rule in RULES.values() if rule.sees is not Sight.LINE)


def accepted_beside(hits: list[Hit], text: str, path: Path) -> list[Hit]:
    """Mark the hits that their line, or the one above it, accepts; and report what accepts nothing."""
    made = list(hits)
    for said in said_in(text):
        if said.rule in _OF_OTHERS:
            continue  # what vetting reports of the same line
        fits = [n for n, hit in enumerate(made) if hit.line == said.about and hit.rule.value == said.rule]
        for number in fits if said.reason else ():
            made[number] = replace(made[number], accepted=said.reason)
        if not fits or not said.reason:
            rule = RuleId.ACCEPT_FITS_NOTHING if said.reason else RuleId.ACCEPT_WITHOUT_REASON
            made.append(_complaint(rule, path, (said.line, said.column, said.line, said.end_column), said.rule))
    return made


class Accepts:
    """The accepts of a tally, asked of one hit after the other."""

    def __init__(self, accepts: Mapping[str, Accept], tally: Path) -> None:
        self.tally = tally
        self.fitted: set[str] = set()
        self.made: dict[str, tuple[Accept, IgnoreRules]] = {
            name: (accept, parse_rules(accept.path + "\n")) for name, accept in accepts.items()
        }

    def applied(self, hits: Iterable[Hit]) -> Iterator[Hit]:
        """Give hits, those marked that are accepted."""
        for hit in hits:
            fits = next((name for name in self.made if self._fits(name, hit)), None)
            if fits is not None:
                self.fitted.add(fits)
            yield hit if fits is None or hit.accepted else replace(hit, accepted=self.made[fits][0].reason)

    def _fits(self, name: str, hit: Hit) -> bool:
        accept, rules = self.made[name]
        parts = hit.path.parts
        return accept.rule in {"", hit.rule.value} and any(
            rules.verdict(parts[:depth], folder=depth < len(parts)) for depth in range(1, len(parts) + 1)
        )

    def unused(self) -> Iterator[Hit]:
        """Report those that fitted nothing."""
        for name, (accept, _) in self.made.items():
            if name not in self.fitted:
                line = accept.line or 1
                yield _complaint(RuleId.ACCEPT_FITS_NOTHING, self.tally, (line, 1, line, 1), f"accepts.{name}")


def _complaint(rule: RuleId, path: Path, place: tuple[int, int, int, int], name: str) -> Hit:
    line, column, end_line, end_column = place
    known = RULES[rule]
    return Hit(path=path, line=line, column=column, end_line=end_line, end_column=end_column, kind="accept", rule=rule,
               severity=known.severity, confidence="certain", reason=known.title, engine=None, driver=None,
               environment=None, name=name, masked=f"accepts {name}")  # fmt: skip
