"""Rotates the password of a cord: on the server, in its store, proved at each step, resumed after a crash."""

from .rotate import Mode, Rotation, finish, plan, rotate

__all__ = ["Mode", "Rotation", "finish", "plan", "rotate"]
