"""What a rotation is, and what became of it."""

from __future__ import annotations

import enum
from dataclasses import dataclass


class Mode(enum.Enum):
    """How it is done."""

    PLAIN = "plain"
    """The old password ends when the new one begins."""
    GRACE = "grace"
    """Both live for a while, where the engine has room for two."""
    ALTERNATE = "alternate"
    """Two users take turns: the one who is left keeps its password."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rotation:
    """What is, or was, done: the cord, how, from which user to which, the steps, and how it stands.

    ``state`` is ``planned``, ``rotated``, ``grace`` (the old password lives until it is ended, or ``until`` then), or
    ``finished``; ``resumed`` says that it was begun before.
    """

    cord: str
    engine: str
    mode: Mode
    user: str
    to: str
    kept_at: str
    state: str
    steps: tuple[str, ...] = ()
    until: float | None = None
    resumed: bool = False

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/rotation/1``."""
        return {
            "schema": "cordtally/rotation/1",
            "cord": self.cord,
            "engine": self.engine,
            "mode": self.mode.value,
            "user": self.user,
            "to": self.to,
            "kept_at": self.kept_at,
            "state": self.state,
            "steps": list(self.steps),
            "until": self.until,
            "resumed": self.resumed,
        }
