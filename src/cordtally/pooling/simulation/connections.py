"""What happens to connections in the event simulation: opened, handed out, taken back, closed, replaced.

Every function changes the world ``w`` and pushes what will happen later onto ``later``, a heap of
(instant, kind, number, subject, age); a connection's age tells an event that came too late from one that still holds.
``work`` is the heap of holds under way, by the work after which they end.
"""

from __future__ import annotations

import math
from heapq import heappush
from typing import Any

from .accelerating import inner
from .rules import (
    ABSENT,
    ARRIVAL,
    AT_MAXIMUM,
    BOOTING,
    BROKEN,
    BUSY,
    CONNECTED,
    CONNECTING,
    DRAINING,
    GONE,
    IDLE,
    IDLE_CHECK,
    NOBODY,
    QUEUED,
    REFUSED,
    RETRY,
    SERVED,
    STARTING,
    TIMED_OUT,
    World,
)

Heap = Any


@inner
def push(w: World, later: Heap, at: float, kind: int, subject: int, age: int) -> None:
    """Note what will happen; nothing where it never will."""
    if at < math.inf:
        w.now.sequence += 1
        heappush(later, (at, kind, int(w.now.sequence), subject, age))


@inner
def finish(w: World, later: Heap, i: int, status: int) -> None:
    """End a request; its thread, if there are threads, thinks and asks anew."""
    w.requests[i].status = status
    if status == REFUSED:
        w.now.refusals += 1
    elif status == TIMED_OUT:
        w.now.timeouts += 1
    elif status == BROKEN:
        w.now.breaks += 1
    if w.rules.threads > 0 and w.now.next_id < len(w.requests):
        j = int(w.now.next_id)
        w.now.next_id += 1
        w.requests[j].slot = w.requests[i].slot
        push(w, later, w.now.instant + w.draws[j], ARRIVAL, j, 0)


@inner
def stand_in_line(w: World, i: int, how: int) -> None:
    """Let a request wait, for any connection of its pool or for its own, and note when it asked."""
    w.requests[i].waits_for = how
    w.now.waiting += 1
    w.requests[w.now.queue_tail].queued = i
    w.now.queue_tail += 1
    if how == QUEUED:
        p = w.requests[i].pool
        w.requests[i].after, w.requests[i].before = -1, w.pools[p].wait_last
        if w.pools[p].wait_last >= 0:
            w.requests[w.pools[p].wait_last].after = i
        else:
            w.pools[p].wait_first = i
        w.pools[p].wait_last = i
        w.pools[p].in_line += 1


@inner
def leave_line(w: World, i: int) -> None:
    """Take a request out of the line, wherever it stands."""
    if w.requests[i].waits_for == QUEUED:
        p = w.requests[i].pool
        if w.requests[i].before >= 0:
            w.requests[w.requests[i].before].after = w.requests[i].after
        else:
            w.pools[p].wait_first = w.requests[i].after
        if w.requests[i].after >= 0:
            w.requests[w.requests[i].after].before = w.requests[i].before
        else:
            w.pools[p].wait_last = w.requests[i].before
        w.pools[p].in_line -= 1
    w.requests[i].waits_for = NOBODY
    w.now.waiting -= 1


@inner
def unlink_idle(w: World, k: int) -> None:
    """Take a connection out of the idle ones of its pool."""
    p = w.connections[k].pool
    if w.connections[k].previous >= 0:
        w.connections[w.connections[k].previous].next = w.connections[k].next
    else:
        w.pools[p].idle_first = w.connections[k].next
    if w.connections[k].next >= 0:
        w.connections[w.connections[k].next].previous = w.connections[k].previous
    else:
        w.pools[p].idle_last = w.connections[k].previous
    w.pools[p].idle -= 1


@inner
def rest(w: World, later: Heap, k: int) -> None:
    """Put a connection among the idle ones, as the newest."""
    p, now = w.connections[k].pool, w.now.instant
    w.connections[k].state, w.connections[k].since = IDLE, now
    w.connections[k].next, w.connections[k].previous = -1, w.pools[p].idle_last
    if w.pools[p].idle_last >= 0:
        w.connections[w.pools[p].idle_last].next = k
    else:
        w.pools[p].idle_first = k
    w.pools[p].idle_last = k
    w.pools[p].idle += 1
    if w.pools[p].timer == 0 and w.rules.idle_timeout < math.inf:
        w.pools[p].timer = 1
        push(w, later, now + w.rules.idle_timeout, IDLE_CHECK, p, 0)


@inner
def close(w: World, k: int) -> None:
    """Close a connection in whatever state it is."""
    p = w.connections[k].pool
    if w.connections[k].state == IDLE:
        unlink_idle(w, k)
    elif w.connections[k].state == BUSY:
        w.now.active -= 1
    elif w.connections[k].state == CONNECTING and w.connections[k].request < 0:
        w.pools[p].opening -= 1
    w.connections[k].state = ABSENT
    w.connections[k].age += 1
    w.pools[p].open -= 1
    if w.connections[k].born_in == w.now.epoch:
        w.now.server_open -= 1
    w.connections[w.now.free_top].free = k
    w.now.free_top += 1


@inner
def connect(w: World, later: Heap, p: int, request: int) -> bool:
    """Begin to open a connection, for a request or for the pool (−1); says whether the server let it."""
    now = w.now.instant
    stale = w.rules.token_every < math.inf and now % w.rules.token_every >= w.rules.token_life
    if w.now.is_down > 0 or stale:
        w.now.connect_failed += 1
        return False
    if w.now.server_open >= w.rules.server_limit:
        w.now.connect_refused += 1
        return False
    w.now.free_top -= 1
    k = int(w.connections[w.now.free_top].free)
    opened = w.now.opened
    start = now
    if w.rules.server_slots > 0:
        first = 0
        for slot in range(1, w.rules.server_slots):
            if w.slots[slot] < w.slots[first]:
                first = slot
        start = max(now, w.slots[first])
        w.slots[first] = start + w.dice[opened % len(w.dice)].cost
    up = start + w.dice[opened % len(w.dice)].cost
    w.connections[k].state, w.connections[k].pool, w.connections[k].request = CONNECTING, p, request
    w.connections[k].born_in = w.now.epoch
    w.connections[k].retire = up + w.rules.lifetime * (
        1.0 - w.rules.lifetime_jitter * w.dice[opened % len(w.dice)].jitter
    )
    if w.rules.token_closes:
        w.connections[k].retire = min(w.connections[k].retire, now - now % w.rules.token_every + w.rules.token_life)
    w.pools[p].open += 1
    if request < 0:
        w.pools[p].opening += 1
    w.now.opened += 1
    w.now.server_open += 1
    w.now.most_open = max(w.now.most_open, w.now.server_open)
    push(w, later, up, CONNECTED, k, int(w.connections[k].age))
    return True


@inner
def grow(w: World, later: Heap, p: int) -> None:
    """Open what the pool wants: one for each that waits, its minimum, its idle ones; after a failure it waits first."""
    state = w.pools[p].state
    if state in (GONE, BOOTING):
        return
    least, spare = w.rules.min_size, w.rules.min_idle
    if state == DRAINING:
        least, spare = 0, 0
    elif state == STARTING and w.rules.ready == AT_MAXIMUM:
        least = w.rules.max_size
    while w.pools[p].blocked == 0 and w.pools[p].open < w.rules.max_size:
        if w.rules.opening_at_once > 0 and w.pools[p].opening >= w.rules.opening_at_once:
            return
        coming = w.pools[p].opening - w.pools[p].in_line
        if coming >= 0 and w.pools[p].open >= least and w.pools[p].idle + coming >= spare:
            return
        if not connect(w, later, p, -1):
            w.pools[p].blocked = 1
            push(w, later, w.now.instant + w.rules.retry_connect_after, RETRY, p, 0)


@inner
def hand_out(w: World, later: Heap, work: Heap, k: int, i: int, idle_for: float) -> bool:
    """Give a connection to a request; says whether that ended its waiting, be it by a connection that was dead."""
    validated = w.rules.validate_time > 0.0 and idle_for >= w.rules.validate_after
    if w.connections[k].born_in != w.now.epoch:
        close(w, k)
        w.now.closed_broken += 1
        if validated:
            return False
        w.requests[i].wait = w.now.instant - w.requests[i].asked
        finish(w, later, i, BROKEN)
        return True
    if w.connections[k].state == IDLE:
        unlink_idle(w, k)
    extra = w.rules.validate_time if validated else 0.0
    w.requests[i].wait = w.now.instant - w.requests[i].asked + extra
    w.requests[i].status = SERVED
    w.connections[k].state, w.connections[k].request = BUSY, i
    w.now.active += 1
    w.now.sequence += 1
    heappush(work, (w.now.work + extra + w.requests[i].hold, int(w.now.sequence), k, int(w.connections[k].age)))
    return True


@inner
def offer(w: World, later: Heap, work: Heap, k: int) -> None:
    """Find a use for a connection that came back or was opened: a request that waits, rest, or the end."""
    p = int(w.connections[k].pool)
    if w.now.instant >= w.connections[k].retire:
        close(w, k)
        w.now.closed_lifetime += 1
        grow(w, later, p)
        return
    while w.pools[p].in_line > 0:
        i = int(w.pools[p].wait_last if w.rules.serve_newest else w.pools[p].wait_first)
        leave_line(w, i)
        if hand_out(w, later, work, k, i, 0.0):
            return
    if w.pools[p].state == DRAINING:
        close(w, k)
        w.now.closed_drain += 1
    else:
        rest(w, later, k)
