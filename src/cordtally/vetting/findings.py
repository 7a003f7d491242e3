"""What vetting reports, and what its rules look at."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..exchange import Reading
from ..exchange.defaults import default_level
from ..model import Cord, TlsLevel
from ..results import Result
from .rules import RuleId, Severity

if TYPE_CHECKING:
    from pathlib import Path

Span = tuple[int, int] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One thing that vetting reports.

    ``start`` and ``end`` bound the place in the text, in characters; both are None where a cord has no text.
    ``source`` says which file, cord or argument the finding is about; ``line`` and ``column`` count from 1; ``hint`` is
    what to do.
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """What the rules of texts and cords look at: the cord, and the reading where it was read from a text.

    Relative paths of certificates start from ``folder``.
    """

    cord: Cord
    reading: Reading | None = None
    folder: Path | None = None

    def place(self, role: str) -> Span:
        """Find where a role stands in the text that was read."""
        if self.reading is None:
            return None
        return next(((p.start, p.end) for p in self.reading.parts if p.role == role), None)

    def tls_level(self) -> tuple[TlsLevel | None, bool]:
        """The level in force, and whether it is stated."""
        level = self.cord.tls.level
        if level is not None or self.reading is None:
            return level, level is not None
        default = default_level(self.reading)
        return (TlsLevel(default) if default is not None else None), False


def by_severity(found: Iterator[Finding]) -> Findings:
    """Order findings: the worst first, then by place."""
    return Findings(sorted(found, key=lambda f: (-f.severity.rank, -1 if f.start is None else f.start, f.rule.value)))
