"""Moves a secret out of a file, into a store, and leaves a look-up in its place."""

from .lifts import lift, project_of
from .moving import move_out
from .plans import Lift, Refused
from .undoing import undo

__all__ = ["Lift", "Refused", "lift", "move_out", "project_of", "undo"]
