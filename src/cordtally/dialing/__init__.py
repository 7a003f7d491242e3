"""Dialling: a connection tried rung by rung, with a cause and a hint for the rung that breaks."""

from .climbing import DEFAULT_LIMIT, dial
from .rungs import RUNGS, Diagnosis, DialResult, Rung, RungOutcome

__all__ = ["DEFAULT_LIMIT", "RUNGS", "Diagnosis", "DialResult", "Rung", "RungOutcome", "dial"]
