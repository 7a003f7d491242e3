"""Watches who holds a server's connections, and records it."""

from .watch import COLUMNS, Sample, Watch

__all__ = ["COLUMNS", "Sample", "Watch"]
