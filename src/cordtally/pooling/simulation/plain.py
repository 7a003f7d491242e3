"""The plain queue, simulated at a heap operation a request: requests wait in order of arrival and maybe give up.

With requests served in order of arrival, a request waits until the earliest of the c connections comes free; what has
to be kept are the c instants at which they do. Source: J. Kiefer and J. Wolfowitz, Trans. Amer. Math. Soc. 78 (1955).
A request that would wait longer than the timeout leaves without changing them. What else a pool does is left to
``events``.
"""

from __future__ import annotations

import math
from heapq import heapreplace
from typing import TYPE_CHECKING, Any

import numpy as np

from ...errors import PoolModelError
from .accelerating import ACCELERATED, jit

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

_CHUNK = 65_536
_FEW = 150


@jit
def _serve(times: Any, holds: Any, free: Any, timeout: float, waits: Any) -> None:  # noqa: ANN401
    heap = [free[k] for k in range(len(free))]
    for i in range(len(times)):
        wait = heap[0] - times[i]
        wait = max(0.0, wait)
        if wait > timeout:
            waits[i] = math.inf
        else:
            waits[i] = wait
            heapreplace(heap, times[i] + wait + holds[i])
    for k in range(len(free)):
        free[k] = heap[k]


@jit
def _serve_few(times: Any, holds: Any, free: Any, timeout: float, waits: Any) -> None:  # noqa: ANN401
    """As `_serve`, with the instants in order: compiled, moving them up is faster than a heap while they are few."""
    last = len(free) - 1
    for i in range(len(times)):
        wait = max(0.0, free[0] - times[i])
        if wait > timeout:
            waits[i] = math.inf
        else:
            waits[i] = wait
            end = times[i] + wait + holds[i]
            k = 0
            while k < last and free[k + 1] < end:
                free[k] = free[k + 1]
                k += 1
            free[k] = end


@jit
def _circulate(thinks: Any, holds: Any, free: Any, ready: Any, timeout: float, waits: Any) -> None:  # noqa: ANN401
    heap = [free[k] for k in range(len(free))]
    threads = [ready[k] for k in range(len(ready))]
    for i in range(len(holds)):
        now = threads[0]
        wait = heap[0] - now
        wait = max(0.0, wait)
        if wait > timeout:
            waits[i] = math.inf
            heapreplace(threads, now + timeout + thinks[i])
        else:
            waits[i] = wait
            heapreplace(heap, now + wait + holds[i])
            heapreplace(threads, now + wait + holds[i] + thinks[i])
    for k in range(len(free)):
        free[k] = heap[k]
    for k in range(len(ready)):
        ready[k] = threads[k]


def _in_chunks(loop: Any, inputs: tuple[Array, Array], state: list[Array], timeout: float) -> Array:  # noqa: ANN401
    """Run compiled code on the arrays; interpreted, on lists of a chunk at a time, which are faster and stay small."""
    count = len(inputs[0])
    waits = np.empty(count)
    if ACCELERATED:
        loop(*inputs, *state, timeout, waits)
        return waits
    kept = [array.tolist() for array in state]
    for start in range(0, count, _CHUNK):
        pieces = [array[start : start + _CHUNK].tolist() for array in inputs]
        found = [0.0] * len(pieces[0])
        loop(*pieces, *kept, timeout, found)
        waits[start : start + _CHUNK] = found
    return waits


def simulate_waits(arrivals: Array, holds: Array, connections: int, timeout: float = math.inf) -> Array:
    """Simulate the waits of requests that arrive at given instants, in an empty pool at first.

    Parameters
    ----------
    arrivals : numpy.ndarray
        Instants in seconds, in order, shape (n,).
    holds : numpy.ndarray
        How long each holds its connection, in seconds, 0 or more, shape (n,).
    connections : int
        Connections in the pool, at least 1, all open.
    timeout : float
        Seconds after which a waiting request gives up; a wait of exactly that long is served.

    Returns
    -------
    numpy.ndarray
        Waits in seconds, shape (n,); infinite for those that gave up.

    Raises
    ------
    PoolModelError
        For arrays of different lengths, empty ones, a clock that goes backwards, holds that are negative or no numbers.
    """
    arrivals, holds = np.ascontiguousarray(arrivals, dtype=float), np.ascontiguousarray(holds, dtype=float)
    check_trace(arrivals, holds)
    if connections < 1 or not timeout > 0:
        raise PoolModelError("a pool has at least 1 connection and an acquire timeout of more than 0 s")
    return serve(arrivals, holds, connections, timeout)


def serve(arrivals: Array, holds: Array, connections: int, timeout: float) -> Array:
    """Simulate as `simulate_waits` does, requests that are known to make sense."""
    loop = _serve_few if ACCELERATED and connections <= _FEW else _serve
    return _in_chunks(loop, (arrivals, holds), [np.full(connections, -math.inf)], timeout)


def simulate_threads(
    thinks: Array, holds: Array, connections: int, threads: int, timeout: float = math.inf
) -> Array:  # fmt: skip
    """Simulate the waits behind a fixed number of threads, each of which thinks, asks, waits and holds in turn.

    Parameters
    ----------
    thinks, holds : numpy.ndarray
        Seconds, 0 or more, shape (n,); the k-th request, in order of asking, takes the k-th of either.
    connections, threads : int
        At least 1.
    timeout : float
        As in `simulate_waits`; a thread that gives up thinks again.

    Returns
    -------
    numpy.ndarray
        Waits in seconds, shape (n,); infinite for those that gave up.

    Raises
    ------
    PoolModelError
        As `simulate_waits`.
    """
    thinks, holds = np.ascontiguousarray(thinks, dtype=float), np.ascontiguousarray(holds, dtype=float)
    check_trace(np.zeros(len(thinks)), holds)
    if min(connections, threads) < 1 or not timeout > 0:
        raise PoolModelError("there must be at least 1 connection and 1 thread, and a timeout of more than 0 s")
    ready = np.sort(np.resize(thinks, threads))
    return _in_chunks(_circulate, (thinks, holds), [np.full(connections, -math.inf), ready], timeout)


def check_trace(arrivals: Array, holds: Array) -> None:
    """Refuse what cannot be a trace.

    Raises
    ------
    PoolModelError
        For arrays of different lengths, empty ones, a clock that goes backwards, holds that are negative or no numbers.
    """
    if len(arrivals) != len(holds):
        raise PoolModelError(f"there are {len(arrivals):,} arrivals and {len(holds):,} holds: each request needs both")
    if len(arrivals) == 0:
        raise PoolModelError("the trace is empty: there is no request in it")
    for name, values in (("arrivals", arrivals), ("holds", holds)):
        wrong = np.flatnonzero(~np.isfinite(values))
        if len(wrong):
            raise PoolModelError(f"{name} must be finite numbers: request {wrong[0] + 1:,} has {values[wrong[0]]}")
    if (holds < 0).any():
        first = int(np.argmax(holds < 0))
        raise PoolModelError(f"holds must be 0 s or more: request {first + 1:,} has {holds[first]:g} s")
    back = np.flatnonzero(np.diff(arrivals) < 0)
    if len(back):
        at = int(back[0])
        raise PoolModelError(
            f"the clock goes backwards: request {at + 2:,} arrives {arrivals[at] - arrivals[at + 1]:g} s before "
            f"request {at + 1:,}; sort the trace by time of arrival"
        )
