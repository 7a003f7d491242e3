"""Candidates in any text: spans that look like a connection string, or like a secret's name with its value."""

from .lines import Candidate, spot
from .telling import telling_lines

__all__ = ["Candidate", "spot", "telling_lines"]
