"""Whole searches: sweeping a tree for connection strings and credentials."""

from .hits import Hit, Sweep
from .judging import SECRETS
from .searching import sweep, sweep_text

__all__ = ["SECRETS", "Hit", "Sweep", "sweep", "sweep_text"]
