"""Puts load on a server with threads, each with a session of its own, and takes times.

Two ways: *closed*, where each thread asks again as soon as it has its answer, for throughput at a concurrency; *open*,
where requests have instants at which they should start, drawn beforehand, and whoever is free takes the next. A wait is
counted from the instant that was meant, so that a slow server cannot hide requests (coordinated omission).
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from time import perf_counter, process_time, sleep
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ...servers import NoAnswer, Session
from .stalls import Stalls

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

Record = tuple[int, float, float, float]  # which request, its wait (s), when it began and ended (s, perf_counter)
Task = Callable[[list[Record]], None]
_NAP = 0.05
_LONGEST = 4  # times as long as meant, where stretches are left out


@dataclass(frozen=True, eq=False)
class Load:
    """What one stretch of load gave; what happened around a stall of this machine is left out of all figures.

    ``holds`` (s), shape (n,), are those of all requests that began, also if they ended after the time: without them the
    long ones would be missing. ``waits`` (s) has a place for each instant that was meant, NaN for a request that failed
    or is left out. ``throughput`` counts what ended within ``seconds``, per second. ``client_busy`` is the share of one
    core that this process itself used, ``stall`` the longest time (s) for which it was kept from running, ``left_out``
    how many seconds were. Where hardly anything would remain, all stays in, and it is ``disturbed``.
    """

    waits: Array
    holds: Array
    seconds: float
    throughput: float
    failures: int
    first_failure: str
    client_busy: float
    stall: float
    left_out: float
    disturbed: bool


class Sessions:
    """Open sessions, grown as needed and all closed at the end."""

    def __init__(self, connect: Callable[[], Session], close: Callable[[Session], None]) -> None:
        self._connect, self._close = connect, close
        self.opened: list[Session] = []

    def grow(self, count: int) -> list[Session]:
        """Give this many sessions."""
        while len(self.opened) < count:
            self.opened.append(self._connect())
        return self.opened[:count]

    def close(self) -> None:
        """Close all, whatever state they are in."""
        for session in self.opened:
            self._close(session)
        self.opened.clear()


@contextmanager
def open_sessions(connect: Callable[[], Session], close: Callable[[Session], None]) -> Iterator[Sessions]:
    """Keep sessions for the time of a measurement."""
    sessions = Sessions(connect, close)
    try:
        yield sessions
    finally:
        sessions.close()


class Failures(NamedTuple):
    """What a driver raises when a request fails, how its cause is said without quoting it, and how long one may take.

    After ``patience`` (s) of silence nobody waits for an answer any more.
    """

    errors: tuple[type[Exception], ...]
    say: Callable[[Exception], str]
    patience: float


class _Workers:
    """Threads that record what they do until they are told to stop."""

    def __init__(self, expected: Failures) -> None:
        self.stop = threading.Event()
        self.say, self.patience = expected.say, expected.patience
        self.failures: list[str] = []

    def run(self, tasks: list[Task], seconds: float | None, longest: float, requests: int = 0) -> Load:
        """Run a task a thread until there were ``seconds`` without a stall, or all have ended, or it is interrupted.

        Raises
        ------
        NoAnswer
            When a session does not end what it is at; whoever closes it wakes its thread.
        """
        records: list[list[Record]] = [[] for _ in tasks]
        threads = [threading.Thread(target=task, args=(r,), daemon=True) for task, r in zip(tasks, records)]
        stalls, start, used = Stalls(), perf_counter(), process_time()
        try:
            for thread in threads:
                thread.start()
            while any(thread.is_alive() for thread in threads):
                stalls.nap()
                took = perf_counter() - start
                quiet = took - stalls.lost(start, start + took)
                if took > longest or (seconds is not None and quiet >= seconds):
                    break
        finally:
            self.stop.set()
            stopped = perf_counter()
            for thread in threads:
                if thread.ident is not None:
                    thread.join(max(0.0, stopped + self.patience - perf_counter()))
        if any(thread.is_alive() for thread in threads):
            raise NoAnswer
        longest, lost = stalls.longest, stalls.lost(start, stopped)
        disturbed = lost > 0.5 * (stopped - start) and (seconds is None or stopped - start - lost < 0.5 * seconds)
        if disturbed:
            stalls, lost = Stalls(), 0.0
        busy = (process_time() - used) / (stopped - start)
        rows = np.array([r for record in records for r in record], dtype=float).reshape(-1, 4)
        number, wait, began, ended = rows[stalls.outside(rows[:, 2] - rows[:, 1])].T
        waits = np.full(requests, np.nan)
        if requests:
            waits[number.astype(int)] = wait
        inside = np.count_nonzero(stalls.outside(rows[:, 3]) & (rows[:, 3] <= stopped))
        seconds = stopped - start - lost
        return Load(
            waits=waits, holds=ended - began, seconds=seconds, throughput=inside / seconds if seconds > 0 else 0.0,
            failures=len(self.failures), first_failure=self.failures[0] if self.failures else "", client_busy=busy,
            stall=longest, left_out=lost, disturbed=disturbed,
        )  # fmt: skip

    def fail(self, error: Exception) -> None:
        """Note a failure; after many the load stops."""
        self.failures.append(self.say(error))
        if len(self.failures) >= 20:
            self.stop.set()


def load_closed(sessions: list[Session], work: Callable[[Session], None], expected: Failures, seconds: float) -> Load:
    """Let each session ask again and again, until there were ``seconds`` in which this machine did not stand still."""
    workers = _Workers(expected)

    def task(session: Session) -> Task:
        def loop(record: list[Record]) -> None:
            while not workers.stop.is_set():
                begun = perf_counter()
                try:
                    work(session)
                except expected.errors as error:
                    workers.fail(error)
                    sleep(0.01)
                    continue
                record.append((0, 0.0, begun, perf_counter()))

        return loop

    return workers.run([task(session) for session in sessions], seconds, _LONGEST * seconds)


def load_open(sessions: list[Session], work: Callable[[Session], None], expected: Failures, instants: Array) -> Load:
    """Start requests at their instants (s from now, in order), each on the session that comes free first.

    A session that was free at the instant makes no wait, however late the operating system wakes its thread.
    """
    workers = _Workers(expected)
    lock, place = threading.Lock(), iter(range(len(instants)))
    meant = instants.tolist()
    begin = perf_counter() + 0.05

    def task(session: Session) -> Task:
        def loop(record: list[Record]) -> None:
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
                except expected.errors as error:
                    workers.fail(error)
                    continue
                record.append((number, max(0.0, free - due), begun, perf_counter()))

        return loop

    longest = _LONGEST * meant[-1] + expected.patience
    return workers.run([task(session) for session in sessions], None, longest, len(instants))
