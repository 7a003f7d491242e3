"""Vetting of any subject: a text, a cord, a tally file, or any file in which connection strings stand."""

from .audit import vet

__all__ = ["vet"]
