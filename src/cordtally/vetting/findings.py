"""What vetting reports: a finding with its place, its hint, and where it is safe an edit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from ..results import Result
from .edits import Edit, Fix
from .ids import RuleId
from .rules import Severity, Span


class Shown(NamedTuple):
    """The masked text around a finding, and the bounds of its place in it."""

    text: str
    start: int
    end: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One thing that vetting reports.

    ``start`` and ``end`` bound the place in the text, in characters; both are None where a cord has no text. ``source``
    says which file, cord or argument the finding is about; ``line`` and ``column`` count from 1, as do those of its
    end. What is ``accepted`` is so for that reason. ``hint`` is what to do, ``edit``, where there is one, what would do
    it in the text, and ``fix`` the same in a file; ``shown`` is the masked text around it, where there is no reading to
    show it.
    """

    rule: RuleId
    message: str
    hint: str
    severity: Severity
    start: int | None = None
    end: int | None = None
    source: str | None = None
    line: int | None = None
    column: int | None = None
    end_line: int | None = None
    end_column: int | None = None
    accepted: str | None = None
    edit: Edit | None = None
    fix: Fix | None = None
    shown: Shown | None = None

    @property
    def why(self) -> str:
        """Why the rule exists, in one sentence."""
        from .registry import RULES

        return RULES[self.rule].why

    def to_dict(self) -> dict[str, object]:
        """Give the finding with the keys of the machine output."""
        place: dict[str, object] = {}
        if self.source is not None:
            place["source"] = self.source
        if self.line is not None:
            place |= {"line": self.line, "column": self.column}
        if self.accepted is not None:
            place["accepted"] = self.accepted
        if self.fix is not None:
            place["fix"] = self.fix.to_dict()
        return {
            "rule": self.rule.value,
            "severity": self.severity.value,
            "message": self.message,
            "start": self.start,
            "end": self.end,
            "hint": self.hint,
            **place,
        }


class Findings(Result, tuple[Finding, ...]):
    """All that vetting reports, the worst first: a tuple that knows how it looks."""

    __slots__ = ()
    _rows = "findings"

    def _summary(self) -> str:
        counts = [(sum(found.severity is one for found in self), one.value) for one in reversed(Severity)]
        return ", ".join(f"{n} {name}{'' if n == 1 else 's'}" for n, name in counts if n) or "none"

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/findings/1``."""
        return {"schema": "cordtally/findings/1", "findings": [found.to_dict() for found in self]}


def finding(rule: RuleId, message: str, hint: str, *, span: Span = None, severity: Severity | None = None) -> Finding:
    """Make a finding, of the rule's usual severity where none is given."""
    from .registry import RULES

    start, end = span if span is not None else (None, None)
    return Finding(
        rule=rule, message=message, hint=hint, severity=severity or RULES[rule].severity, start=start, end=end
    )


def by_severity(found: Sequence[Finding]) -> Findings:
    """Order findings: the worst first, then by place."""
    if len(found) < 2:
        return Findings(found)
    return Findings(sorted(found, key=lambda f: (-f.severity.rank, -1 if f.start is None else f.start, f.rule.value)))
