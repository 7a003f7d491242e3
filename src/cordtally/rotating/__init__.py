"""Rotates the password of a cord: on the server, in its store, proved at each step, resumed after a crash."""

from .rotate import finish, plan, rotate
from .rotation import Mode, Rotation

__all__ = ["Mode", "Rotation", "finish", "plan", "rotate"]
