"""Vetting: findings about a text or a cord, each with a rule, a severity, a place, a reason and what to do."""

from .findings import RULES, Finding, Rule, Severity
from .vet import vet_cord, vet_reading, vet_text

__all__ = ["RULES", "Finding", "Rule", "Severity", "vet_cord", "vet_reading", "vet_text"]
