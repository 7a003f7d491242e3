"""Runs all rules over a text, a reading or a cord. Files and tallies are left to ``cordtally.auditing``."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..exchange import Reading, read
from ..model import Cord, Secret
from .findings import Findings, Look, by_severity
from .registry import RULES
from .rules import Subject

if TYPE_CHECKING:
    from pathlib import Path

_OF_READINGS = tuple(rule.check for rule in RULES.values() if rule.check is not None)
_OF_CORDS = tuple(rule.check for rule in RULES.values() if rule.check is not None and rule.subject is Subject.CORD)


def vet_text(text: str | Secret, *, driver: str | None = None, folder: Path | None = None) -> Findings:
    """Read a text and vet it.

    Raises
    ------
    TextError
        When the text cannot be read.
    """
    return vet_reading(read(text, driver=driver), folder=folder)


def vet_reading(reading: Reading, *, folder: Path | None = None) -> Findings:
    """Vet what was read; the worst findings come first, then by place."""
    look = Look(cord=reading.cord, reading=reading, folder=folder)
    return by_severity(found for check in _OF_READINGS for found in check(look))


def vet_cord(cord: Cord, *, folder: Path | None = None) -> Findings:
    """Vet a cord that has no text; relative paths of certificates start from ``folder``."""
    look = Look(cord=cord, folder=folder)
    return by_severity(found for check in _OF_CORDS for found in check(look))
