"""Whole searches: sweeping a tree for connection strings and credentials."""

from .searching import Hit, Sweep, sweep, sweep_text

__all__ = ["Hit", "Sweep", "sweep", "sweep_text"]
