"""Vetting: one registry of rules by family, findings, and what a rule may look at."""

from .edits import Edit, Fix
from .findings import Finding, Findings
from .ids import RuleId
from .looks import Look
from .registry import FAMILIES, RULES
from .rules import Rule, Severity, Sight
from .unread import report_unread
from .vet import vet_cord, vet_reading

__all__ = [
    "FAMILIES",
    "RULES",
    "Edit",
    "Finding",
    "Findings",
    "Fix",
    "Look",
    "Rule",
    "RuleId",
    "Severity",
    "Sight",
    "report_unread",
    "vet_cord",
    "vet_reading",
]
