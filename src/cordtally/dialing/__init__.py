"""Dialling: a connection tried rung by rung, with a cause and a hint for the rung that breaks."""

from .climbing import DEFAULT_LIMIT, dial
from .rungs import RUNGS, Diagnosis, DialResult, RoundTrips, Rung, RungOutcome
from .several import dial_all, dial_async, dial_repeatedly, dial_until

__all__ = [
    "DEFAULT_LIMIT",
    "RUNGS",
    "Diagnosis",
    "DialResult",
    "RoundTrips",
    "Rung",
    "RungOutcome",
    "dial",
    "dial_all",
    "dial_async",
    "dial_repeatedly",
    "dial_until",
]
