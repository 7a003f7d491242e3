"""Measures a real server: throughput against concurrency, waits at a pool size, and what the models say of them."""

from .measure import Measurement, Plan, Step, measure

__all__ = ["Measurement", "Plan", "Step", "measure"]
