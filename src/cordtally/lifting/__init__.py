"""Moves a secret out of a file, into a store, and leaves a look-up in its place."""

from .lifts import Lift, Refused, lift
from .undoing import undo

__all__ = ["Lift", "Refused", "lift", "undo"]
