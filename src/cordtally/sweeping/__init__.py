"""Whole searches: sweeping a tree for credentials, and vetting files."""

from .sweep import RULES, Hit, Sweep, sweep, sweep_text
from .vet import vet

__all__ = ["RULES", "Hit", "Sweep", "sweep", "sweep_text", "vet"]
