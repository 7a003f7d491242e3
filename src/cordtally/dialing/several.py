"""Dials many cords at once, one again and again, or until it answers."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from time import monotonic, sleep

from ..model import Cord, Duration, Secret, as_seconds
from ..secrets import Surroundings
from .climbing import DEFAULT_LIMIT, dial
from .rungs import DialResult, Rung

_MOST_AT_ONCE = 256  # threads: each waits for its own server, so that one black hole holds nobody up
_FIRST_PAUSE, _LONGEST_PAUSE, _GROWTH = 0.1, 2.0, 1.6


def dial_all(
    dials: Sequence[Callable[[], DialResult]], progress: Callable[[int, DialResult], None] | None = None
) -> list[DialResult]:
    """Run dials side by side, and give their results in the order in which they were given.

    Parameters
    ----------
    dials : sequence of callables
        Each dials one cord.
    progress : callable, optional
        Called with the number of a dial and its result as soon as it has ended.
    """
    if not dials:
        return []
    results: dict[int, DialResult] = {}
    pool = ThreadPoolExecutor(min(len(dials), _MOST_AT_ONCE), thread_name_prefix="dial")
    try:
        numbers = {pool.submit(one): number for number, one in enumerate(dials)}
        for done in as_completed(numbers):
            results[numbers[done]] = done.result()
            if progress is not None:
                progress(numbers[done], results[numbers[done]])
    finally:
        pool.shutdown(wait=False, cancel_futures=True)
    return [results[number] for number in range(len(dials))]


def dial_until(
    attempt: Callable[[], DialResult], seconds: float, told: Callable[[int, DialResult], None] | None = None
) -> DialResult:
    """Dial again and again until all rungs hold or the time is up; pauses grow from 0.1 s to 2 s.

    Parameters
    ----------
    attempt : callable
        Dials once.
    seconds : float
        From now; an attempt that has begun before is still waited for.
    told : callable, optional
        Called with the number of a try, from 1, and its result.
    """
    ends, pause, number = monotonic() + seconds, _FIRST_PAUSE, 0
    while True:
        number += 1
        result = attempt()
        if told is not None:
            told(number, result)
        left = ends - monotonic()
        if result.held or left <= 0:
            return result
        sleep(min(pause, left))
        pause = min(pause * _GROWTH, _LONGEST_PAUSE)


def dial_repeatedly(attempt: Callable[[], DialResult], count: int, every: float) -> Iterator[tuple[float, DialResult]]:
    """Dial so many times, one beginning every so many seconds, or as soon as the one before has ended.

    Each result comes with the time at which its dial began, in seconds since the first.
    """
    start = monotonic()
    for number in range(count):
        sleep(max(0.0, start + number * every - monotonic()))
        began = monotonic() - start
        yield began, attempt()


async def dial_async(
    what: Cord | str | Secret,
    *,
    driver: str | None = None,
    limit: float | str | Duration = DEFAULT_LIMIT,
    surroundings: Surroundings | None = None,
    through: str | None = None,
    administrator: Cord | None = None,
    progress: Callable[[Rung], None] | None = None,
) -> DialResult:
    """Dial as `dial` does, without holding up the event loop.

    Where the task is cancelled, the dial ends behind the rung that it is at, within that rung's limit, and closes its
    connection.

    Raises
    ------
    TextError, LocatorError, FieldError
        As `dial`.
    """
    as_seconds(limit, "limit")
    loop = asyncio.get_running_loop()
    ended: asyncio.Future[DialResult] = loop.create_future()
    stopped = threading.Event()

    def settle(result: DialResult | None, error: BaseException | None) -> None:
        if ended.cancelled():
            return
        if error is not None:
            ended.set_exception(error)
        elif result is not None:
            ended.set_result(result)

    def stop_or_tell(rung: Rung) -> None:
        if stopped.is_set():
            raise _Cancelled
        if progress is not None:
            progress(rung)

    def work() -> None:
        result, failed = None, None
        try:
            result = dial(
                what,
                driver=driver,
                limit=limit,
                surroundings=surroundings,
                through=through,
                administrator=administrator,
                progress=stop_or_tell,
            )
        except BaseException as error:
            failed = error
        if not loop.is_closed():
            loop.call_soon_threadsafe(settle, result, failed)

    threading.Thread(target=work, daemon=True, name="dial").start()
    try:
        return await ended
    except asyncio.CancelledError:
        stopped.set()
        raise


class _Cancelled(Exception):
    """Nobody waits for this dial any more."""
