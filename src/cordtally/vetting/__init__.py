"""Vetting: one registry of rules by family, findings, and what a rule may look at."""

from .findings import Finding, Findings, Look
from .registry import RULES
from .rules import Rule, RuleId, Severity, Subject
from .vet import vet_cord, vet_reading, vet_text

__all__ = [
    "RULES",
    "Finding",
    "Findings",
    "Look",
    "Rule",
    "RuleId",
    "Severity",
    "Subject",
    "vet_cord",
    "vet_reading",
    "vet_text",
]
