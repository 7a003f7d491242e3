"""A deadline, kept by the clock over all reads together and not by each of them."""

from __future__ import annotations

import threading
from collections.abc import Callable
from time import monotonic
from typing import TypeVar

Made = TypeVar("Made")
_LEAST = 0.001


class NoAnswer(Exception):
    """The time is up."""


class Deadline:
    """So many seconds from now.

    Parameters
    ----------
    seconds : float
        More than 0.
    """

    def __init__(self, seconds: float) -> None:
        self.seconds = seconds
        self._ends = monotonic() + seconds

    @property
    def left(self) -> float:
        """Seconds that are left, at least a millisecond, so that it can be given to a socket.

        Raises
        ------
        NoAnswer
            When none is left.
        """
        left = self._ends - monotonic()
        if left <= 0:
            raise NoAnswer
        return max(left, _LEAST)

    def run(self, call: Callable[[], Made]) -> Made:
        """Call a function that knows no deadline of its own, in a thread that is left behind when the time is up.

        Raises
        ------
        NoAnswer
            When it did not end in time; whatever it raises is raised here, too.
        """
        made: list[Made] = []
        failed: list[BaseException] = []

        def work() -> None:
            try:
                made.append(call())
            except BaseException as error:
                failed.append(error)

        # daemon: a driver that never comes back must not keep the program from ending
        thread = threading.Thread(target=work, daemon=True)
        thread.start()
        thread.join(self.left)
        if failed:
            raise failed[0]
        if not made:
            raise NoAnswer
        return made[0]
