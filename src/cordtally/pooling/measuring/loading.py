"""Puts load on a server with threads, each with a session of its own, and takes times.

Two ways: *closed*, where each thread asks again as soon as it has its answer, for throughput at a concurrency; *open*,
where requests have instants at which they should start, drawn beforehand, and whoever is free takes the next. A wait is
counted from the instant that was meant, so that a slow server cannot hide requests (coordinated omission).
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from time import perf_counter, process_time, sleep
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

Session = Any
_NAP = 0.05


@dataclass(frozen=True, eq=False)
class Load:
    """What one stretch of load gave: waits and holds in seconds, shape (n,), how long it took, what failed.

    ``client_busy`` is the share of one core that this process itself used, ``stall`` the longest time (s) for which it
    was kept from running: what happened then is not the server's doing.
    """

    waits: Array
    holds: Array
    seconds: float
    failures: int
    first_failure: str
    client_busy: float
    stall: float


class Sessions:
    """Open sessions, grown as needed and all closed at the end."""

    def __init__(self, connect: Callable[[], Session]) -> None:
        self._connect = connect
        self.opened: list[Session] = []

    def grow(self, count: int) -> list[Session]:
        """Give this many sessions."""
        while len(self.opened) < count:
            self.opened.append(self._connect())
        return self.opened[:count]

    def close(self) -> None:
        """Close all, whatever state they are in."""
        for session in self.opened:
            with suppress(Exception):
                session.close()
        self.opened.clear()


@contextmanager
def open_sessions(connect: Callable[[], Session]) -> Iterator[Sessions]:
    """Keep sessions for the time of a measurement."""
    sessions = Sessions(connect)
    try:
        yield sessions
    finally:
        sessions.close()


class _Workers:
    """Threads that record what they do until they are told to stop."""

    def __init__(self, errors: tuple[type[Exception], ...]) -> None:
        self.stop = threading.Event()
        self.errors = errors
        self.records: list[list[tuple[float, float]]] = []
        self.failures: list[str] = []

    def run(self, tasks: list[Callable[[list[tuple[float, float]]], None]], seconds: float | None) -> Load:
        """Run a task a thread; after ``seconds``, or when all have ended, or when interrupted, stop them and join."""
        self.records = [[] for _ in tasks]
        threads = [threading.Thread(target=task, args=(r,), daemon=True) for task, r in zip(tasks, self.records)]
        start, used, stall = perf_counter(), process_time(), 0.0
        try:
            for thread in threads:
                thread.start()
            while any(thread.is_alive() for thread in threads):
                left = _NAP if seconds is None else min(_NAP, start + seconds - perf_counter())
                if left <= 0:
                    break
                before = perf_counter()
                sleep(left)
                stall = max(stall, perf_counter() - before - left)
        finally:
            self.stop.set()
            for thread in threads:
                if thread.ident is not None:
                    thread.join()
        took = perf_counter() - start
        busy = (process_time() - used) / took
        pairs = np.array([pair for record in self.records for pair in record], dtype=float).reshape(-1, 2)
        first = self.failures[0] if self.failures else ""
        return Load(pairs[:, 0], pairs[:, 1], took, len(self.failures), first, busy, stall)

    def fail(self, error: Exception) -> None:
        """Note a failure; after many the load stops."""
        self.failures.append(str(error).strip().split("\n")[0])
        if len(self.failures) >= 20:
            self.stop.set()


def load_closed(
    sessions: list[Session], work: Callable[[Session], None], errors: tuple[type[Exception], ...], seconds: float
) -> Load:
    """Let each session ask again and again for ``seconds``; only what began and ended within them counts."""
    workers = _Workers(errors)

    def task(session: Session) -> Callable[[list[tuple[float, float]]], None]:
        def loop(record: list[tuple[float, float]]) -> None:
            while not workers.stop.is_set():
                begun = perf_counter()
                try:
                    work(session)
                except errors as error:
                    workers.fail(error)
                    sleep(0.01)
                    continue
                if not workers.stop.is_set():
                    record.append((0.0, perf_counter() - begun))

        return loop

    return workers.run([task(session) for session in sessions], seconds)


def load_open(
    sessions: list[Session], work: Callable[[Session], None], errors: tuple[type[Exception], ...], instants: Array
) -> Load:
    """Start requests at their instants (s from now, in order), each on the session that comes free first.

    A session that was free at the instant makes no wait, however late the operating system wakes its thread.
    """
    workers = _Workers(errors)
    lock, place = threading.Lock(), iter(range(len(instants)))
    meant = instants.tolist()
    begin = perf_counter() + 0.05

    def task(session: Session) -> Callable[[list[tuple[float, float]]], None]:
        def loop(record: list[tuple[float, float]]) -> None:
            while not workers.stop.is_set():
                with lock:
                    number = next(place, None)
                if number is None:
                    return
                due, free = begin + meant[number], perf_counter()
                while (left := due - perf_counter()) > 0 and not workers.stop.is_set():
                    sleep(min(left, _NAP))
                begun = perf_counter()
                try:
                    work(session)
                except errors as error:
                    workers.fail(error)
                    continue
                record.append((max(0.0, free - due), perf_counter() - begun))

        return loop

    return workers.run([task(session) for session in sessions], None)
