"""What vetting reports: findings, their severity, and the list of rules with the reason for each."""

from __future__ import annotations

import enum
from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple


class Severity(enum.Enum):
    """How much a finding matters; ordered."""

    NOTE = "note"
    """Good to know."""
    WARNING = "warning"
    """Works, but not as a careful engineer would want it."""
    ERROR = "error"
    """Will not work, or not as it was meant."""

    @property
    def rank(self) -> int:
        """The place in the order, from 0 (note) to 2 (error)."""
        return ("note", "warning", "error").index(self.value)


class Rule(NamedTuple):
    """A rule: its usual severity, what it reports, and in one sentence why that matters."""

    severity: Severity
    title: str
    why: str


_E, _W, _N = Severity.ERROR, Severity.WARNING, Severity.NOTE
RULES: Mapping[str, Rule] = {
    "password-in-text": Rule(
        _W, "a password stands in the text", "Whoever sees the file, the log or the screen can log in from then on."
    ),
    "placeholder-left": Rule(
        _E, "a placeholder was never replaced", "The server is asked to accept the stand-in, and refuses."
    ),
    "needs-escaping": Rule(
        _W, "a character should be escaped", "Drivers differ in where they end a part that holds such a character."
    ),
    "unknown-option": Rule(
        _W, "an option that the driver does not know", "Many drivers ignore what they do not know, without a word."
    ),
    "option-of-other-driver": Rule(
        _W,
        "an option that belongs to another driver",
        "It says nothing to this one, so what you meant is not in force.",
    ),
    "value-out-of-range": Rule(
        _E, "a value that the driver does not take", "The driver refuses it, or puts something else in its place."
    ),
    "wrong-boolean-word": Rule(
        _E, "a yes or no in words of another driver", "Some drivers take an unknown word for no, others for yes."
    ),
    "suspicious-unit": Rule(
        _W, "a time that looks like another unit", "Milliseconds read as seconds wait a thousand times too long."
    ),
    "encrypted-not-verified": Rule(
        _W, "TLS that verifies nobody", "Anyone on the way can pose as the server and read along, password included."
    ),
    "not-encrypted": Rule(_W, "no TLS", "Everything, often the password too, crosses the network in the clear."),
    "file-missing": Rule(_E, "a file that is not there", "The driver fails, or goes on without verifying the server."),
    "two-ways-to-log-in": Rule(
        _W, "two ways to log in", "One of them wins, and which one differs from driver to driver."
    ),
    "administrative-user": Rule(
        _W, "an administrator's account", "A flaw in the application then gives away the whole server."
    ),
    "repeated-key": Rule(_W, "a key given twice", "Which of the two counts differs from driver to driver."),
    "conflicting-options": Rule(
        _W, "settings that do not go together", "The driver refuses them, or heeds one and drops the other in silence."
    ),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One thing that vetting reports.

    ``start`` and ``end`` bound the place in the text, in characters; both are None where a cord has no text.
    ``source`` says which file, cord or argument the finding is about; ``line`` and ``column`` count from 1.
    """

    rule: str
    message: str
    fix: str
    severity: Severity
    start: int | None = None
    end: int | None = None
    source: str | None = None
    line: int | None = None
    column: int | None = None

    @property
    def why(self) -> str:
        """Why the rule exists, in one sentence."""
        return RULES[self.rule].why

    def to_dict(self) -> dict[str, object]:
        """Give the finding with the keys of the machine output."""
        place: dict[str, object] = {}
        if self.source is not None:
            place["source"] = self.source
        if self.line is not None:
            place |= {"line": self.line, "column": self.column}
        return {
            "rule": self.rule,
            "severity": self.severity.value,
            "message": self.message,
            "start": self.start,
            "end": self.end,
            "fix": self.fix,
            **place,
        }


def finding(
    rule: str, message: str, fix: str, *, span: tuple[int, int] | None = None, severity: Severity | None = None
) -> Finding:
    """Make a finding of a rule's usual severity."""
    start, end = span if span is not None else (None, None)
    return Finding(rule=rule, message=message, fix=fix, severity=severity or RULES[rule].severity, start=start, end=end)
