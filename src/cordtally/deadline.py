"""A deadline, kept by the clock over all reads together and not by each of them."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from time import monotonic
from typing import TypeVar

Made = TypeVar("Made")
_LEAST = 0.001
_LOOK = 0.05  # s from one look at what is going on to the next


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

    def run(
        self,
        call: Callable[[], Made],
        late: Callable[[Made], object] | None = None,
        watch: Callable[[], object] | None = None,
    ) -> Made:
        """Call a function that knows no deadline of its own, in a thread that is left behind when the time is up.

        What it makes after that is given to ``late``, which closes it. What ``watch`` raises meanwhile ends it, too.

        Raises
        ------
        NoAnswer
            When it did not end in time; whatever it raises is raised here, too.
        """
        made: list[Made] = []
        failed: list[BaseException] = []
        left_behind, settled = threading.Event(), threading.Lock()

        def work() -> None:
            try:
                found = call()
            except BaseException as error:
                failed.append(error)
                return
            with settled:
                if not left_behind.is_set():
                    made.append(found)
                    return
            if late is not None:
                late(found)

        # daemon: a driver that never comes back must not keep the program from ending
        thread = threading.Thread(target=work, daemon=True)
        thread.start()
        try:
            if watch is not None:
                self._watch(thread, watch)
            thread.join(self.left)
        except BaseException:
            left_behind.set()
            raise
        with settled:
            if failed:
                raise failed[0]
            if not made:
                left_behind.set()
                raise NoAnswer
        return made[0]

    def _watch(self, thread: threading.Thread, watch: Callable[[], object]) -> None:
        thread.join(min(self.left, _LOOK))
        while thread.is_alive():
            watch()
            thread.join(min(self.left, _LOOK))

    def run_all(self, calls: Sequence[Callable[[], Made]]) -> list[Made | BaseException]:
        """Call functions side by side, each as `run` does; give what each made, or what kept it from it."""
        outcomes: list[Made | BaseException] = [NoAnswer() for _ in calls]

        def work(number: int) -> None:
            try:
                outcomes[number] = calls[number]()
            except BaseException as error:
                outcomes[number] = error

        threads = [threading.Thread(target=work, args=(number,), daemon=True) for number in range(len(calls))]
        for thread in threads:
            thread.start()
        for thread in threads:
            with suppress(NoAnswer):
                thread.join(self.left)
        return list(outcomes)
