"""Runs the rules over a reading or a cord. Texts, files and tallies are left to ``cordtally.auditing``."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from ..exchange import Reading
from ..model import Cord
from .findings import Finding, Findings, by_severity
from .leading import Leads
from .looks import Look
from .registry import BY_SIGHT
from .rules import Grade, Rule, Severity, Sight, Told

if TYPE_CHECKING:
    from pathlib import Path

_ORDER = tuple(Severity)


def vet_reading(
    reading: Reading, *, folder: Path | None = None, environment: str | None = None, in_file: bool = False
) -> Findings:
    """Vet what was read; the worst findings come first, then by place."""
    return _vet(Look(reading.cord, reading, folder=folder, environment=environment, in_file=in_file))


def vet_cord(
    cord: Cord,
    *,
    folder: Path | None = None,
    environment: str | None = None,
    places: Mapping[str, tuple[int, int]] | None = None,
) -> Findings:
    """Vet a cord that has no text; relative paths of certificates start from ``folder``.

    ``places`` are where its parts stand in a file, by their roles.
    """
    return _vet(Look(cord, folder=folder, environment=environment, places=places))


def _vet(look: Look) -> Findings:
    found: list[Finding] = []
    for sight in look.sights():
        if sight is Sight.OPTIONS:
            names = {name for name, _ in look.cord.options}
            rules = tuple(one for one in BY_SIGHT[sight] if not one.options or not one.options.isdisjoint(names))
        else:
            rules = BY_SIGHT[sight]
        for rule in rules:
            for told in rule.check(look):  # type: ignore[misc] # those that another layer checks are not among them
                severity = _graded(rule, told.severity or rule.severity, look)
                if severity is not None:
                    found.append(_finding(rule, told, severity))
    return by_severity(found)


def _finding(rule: Rule, told: Told, severity: Severity) -> Finding:
    start, end = told.span if told.span is not None else (None, None)
    return Finding(
        rule=rule.id,
        message=told.message,
        hint=told.hint,
        severity=severity,
        start=start,
        end=end,
        edit=told.edit,
    )


def _graded(rule: Rule, severity: Severity, look: Look) -> Severity | None:
    """How much a finding matters where the connection leads; None where it does not."""
    if rule.grade is Grade.FIXED:
        return severity
    if rule.grade is Grade.STRICT:
        return _ORDER[min(severity.rank + 1, 2)] if look.production else severity
    if look.leads is Leads.HERE:
        return None
    if look.leads is Leads.AWAY or look.production:
        return severity
    return _ORDER[severity.rank - 1] if severity.rank else None
