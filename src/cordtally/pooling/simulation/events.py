"""The event simulation: goes from one event to the next until the end, and keeps a time-line.

Holds under way are kept by the work after which they end: all of them advance at one speed, which falls with the number
active by the scalability law, so the order of their ends never changes. What happens at one instant happens in the
order of the kinds in ``rules``.
"""

from __future__ import annotations

import math
from heapq import heappop
from types import SimpleNamespace
from typing import Any

from .accelerating import inner, jit
from .connections import close, connect, finish, grow, hand_out, leave_line, offer, push, stand_in_line
from .rules import (
    ARRIVAL,
    AT_MAXIMUM,
    AT_MINIMUM,
    BOOTED,
    BOOTING,
    BROKEN,
    BUSY,
    CONNECTED,
    CONNECTING,
    DEADLINE,
    DEPLOY,
    DOWN,
    DRAINED,
    DRAINING,
    FRESH,
    GONE,
    IDLE,
    IDLE_CHECK,
    LEAKED,
    NOBODY,
    OWN,
    QUEUED,
    RECLAIMED,
    REFUSED,
    RETIRED,
    RETRY,
    RETURNED,
    RUNNING,
    SERVED,
    STARTING,
    TIMED_OUT,
    UP,
    World,
)

Heap = Any


@inner
def ask(w: World, later: Heap, work: Heap, i: int) -> None:
    """Let a request ask its pool: for an idle connection, a new one, or a place in the line."""
    p = int(w.pools[w.requests[i].slot].serves)
    now = w.now.instant
    w.requests[i].asked, w.requests[i].pool = now, p
    # one that validation finds dead is closed, and the next one tried; without validation the request breaks on it
    while w.pools[p].idle > 0:
        k = int(w.pools[p].idle_last if w.rules.reuse_newest else w.pools[p].idle_first)
        took = hand_out(w, later, work, k, i, now - w.connections[k].since)
        grow(w, later, p)
        if took:
            return
    if w.rules.caller_connects and w.pools[p].open < w.rules.max_size:
        if connect(w, later, p, i):
            stand_in_line(w, i, OWN)
        else:
            finish(w, later, i, REFUSED)
    else:
        stand_in_line(w, i, QUEUED)
        grow(w, later, p)


@inner
def connected(w: World, later: Heap, work: Heap, k: int) -> None:
    """Take up a connection that has been opened: the caller that opened it goes first, if it still waits."""
    i = int(w.connections[k].request)
    p = int(w.connections[k].pool)
    if i < 0:
        w.pools[p].opening -= 1
    w.connections[k].state, w.connections[k].request = FRESH, -1
    push(w, later, w.connections[k].retire, RETIRED, k, int(w.connections[k].age))
    # the caller may have timed out meanwhile: then its connection is offered like any other
    if i >= 0 and w.requests[i].waits_for == OWN:
        leave_line(w, i)
        hand_out(w, later, work, k, i, 0.0)
    else:
        offer(w, later, work, k)
    grow(w, later, p)


@inner
def returned(w: World, later: Heap, work: Heap, k: int) -> None:
    """Take back a connection, unless its request forgot to give it back."""
    i = int(w.connections[k].request)
    w.now.active -= 1
    finish(w, later, i, SERVED)
    if w.requests[i].leaks > 0:
        w.connections[k].state = LEAKED
        push(
            w,
            later,
            max(w.now.instant, w.requests[i].asked + w.requests[i].wait + w.rules.reclaim_after),
            RECLAIMED,
            k,
            int(w.connections[k].age),
        )
        return
    w.connections[k].state, w.connections[k].request = FRESH, -1
    offer(w, later, work, k)


@inner
def drop_idle(w: World, later: Heap, p: int) -> None:
    """Close what has been idle for too long, oldest first, down to the pool's minimum."""
    now = w.now.instant
    w.pools[p].timer = 0
    while w.pools[p].idle > 0:
        k = int(w.pools[p].idle_first)
        due = w.connections[k].since + w.rules.idle_timeout
        if due > now:
            w.pools[p].timer = 1
            push(w, later, due, IDLE_CHECK, p, 0)
            return
        if w.pools[p].open <= w.rules.min_size or w.pools[p].idle <= w.rules.min_idle:
            w.pools[p].timer = 1
            push(w, later, now + w.rules.idle_timeout, IDLE_CHECK, p, 0)
            return
        close(w, k)
        w.now.closed_idle += 1


@inner
def give_up(w: World, later: Heap, i: int) -> None:
    """End the waiting of a request at its timeout; some ask again."""
    leave_line(w, i)
    w.requests[i].wait = w.rules.acquire_timeout
    # a uniform draw below the share, divided by it, is uniform again: it decides about the next retry, too
    retries = (
        w.rules.retry_share > 0.0
        and w.draws[i] < w.rules.retry_share
        and w.now.next_id < len(w.requests)
        and w.rules.threads == 0
    )
    finish(w, later, i, TIMED_OUT)
    if retries:
        j = int(w.now.next_id)
        w.now.next_id += 1
        w.now.retried += 1
        w.requests[j].asked, w.requests[j].after, w.requests[j].before = math.inf, -1, -1
        w.requests[j].hold, w.requests[j].slot, w.requests[j].leaks, w.draws[j] = (
            w.requests[i].hold,
            w.requests[i].slot,
            w.requests[i].leaks,
            w.draws[i] / w.rules.retry_share,
        )
        push(w, later, w.now.instant + w.rules.retry_after, ARRIVAL, j, 0)


@inner
def break_all(w: World, later: Heap, p: int, everywhere: bool) -> None:
    """Break the connections of a pool, or of all: requests that hold one fail, callers that open one are refused."""
    for k in range(len(w.connections)):
        state = w.connections[k].state
        if state in (BUSY, CONNECTING) and (everywhere or w.connections[k].pool == p):
            i = int(w.connections[k].request)
            close(w, k)
            w.now.closed_broken += 1
            if state == BUSY:
                finish(w, later, i, BROKEN)
            elif i >= 0 and w.requests[i].waits_for == OWN:
                leave_line(w, i)
                w.requests[i].wait = w.now.instant - w.requests[i].asked
                finish(w, later, i, REFUSED)


@inner
def go_down(w: World, later: Heap) -> None:
    """Restart the server: idle connections die unseen; what is in use or being opened breaks at once."""
    break_all(w, later, 0, True)
    w.now.is_down = 1
    # what was opened before the restart is dead, which is found out when it is used: by its epoch, not by a walk
    w.now.epoch += 1
    w.now.server_open = 0
    for p in range(len(w.pools)):
        grow(w, later, p)


@inner
def come_up(w: World) -> None:
    """Let the server take connections again."""
    w.now.is_down = 0
    for slot in range(len(w.slots)):
        # nothing that was being worked on outlives the restart
        w.slots[slot] = w.now.instant


@inner
def launch(w: World, later: Heap) -> None:
    """Start the next new instance of a deploy, beside the old one that it is to replace."""
    slot = int(w.now.deploy_next)
    w.now.deploy_next += 1
    p = int((w.pools[slot].serves + w.rules.instances) % (2 * w.rules.instances))
    w.pools[p].state = BOOTING
    # no two instances boot in the same time: in lockstep they would fill the server's limit together, in each run
    longer = 1.0 + w.rules.boot_jitter * w.dice[w.now.sequence % len(w.dice)].jitter
    push(w, later, w.now.instant + w.rules.boot_time * longer, BOOTED, p, 0)


@inner
def go_on_deploying(w: World, later: Heap) -> None:
    """Put ready instances into service, drain those they replace, and start the next where one has gone."""
    for p in range(2 * w.rules.instances):
        slot = p % w.rules.instances
        old = int(w.pools[slot].serves)
        if w.pools[p].state == STARTING:
            wanted = 0 if w.rules.ready != AT_MINIMUM else w.rules.min_size
            if w.rules.ready == AT_MAXIMUM:
                wanted = w.rules.max_size
            if w.pools[p].idle >= wanted:
                w.pools[slot].serves = p
                w.pools[p].state, w.pools[old].state = RUNNING, DRAINING
                push(w, later, w.now.instant + w.rules.drain_limit, DRAINED, old, 0)
                while w.pools[old].idle > 0:
                    close(w, int(w.pools[old].idle_first))
                    w.now.closed_drain += 1
    for p in range(2 * w.rules.instances):
        if w.pools[p].state == DRAINING and w.pools[p].open == 0 and w.pools[p].in_line == 0:
            w.pools[p].state = GONE
            w.now.deploy_done += 1
            if w.now.deploy_next < w.rules.instances:
                launch(w, later)
    if w.now.deploy_done == w.rules.instances:
        w.now.deploying = 0
        w.now.deployed_at = w.now.instant


@inner
def stop_draining(w: World, later: Heap, p: int) -> None:
    """End what is left of an instance whose time to drain is over."""
    if w.pools[p].state != DRAINING:
        return
    while w.pools[p].in_line > 0:
        i = int(w.pools[p].wait_first)
        leave_line(w, i)
        w.requests[i].wait = w.now.instant - w.requests[i].asked
        finish(w, later, i, REFUSED)
    break_all(w, later, p, False)
    for k in range(len(w.connections)):
        if w.connections[k].state == LEAKED and w.connections[k].pool == p:
            close(w, k)
            w.now.closed_drain += 1


@inner
def happen(w: World, later: Heap, work: Heap, kind: int, subject: int, age: int) -> None:
    """Let one event happen, unless it came too late."""
    if kind == ARRIVAL:
        ask(w, later, work, subject)
    elif kind == CONNECTED:
        if w.connections[subject].age == age:
            connected(w, later, work, subject)
    elif kind == RETIRED:
        if w.connections[subject].age == age and w.connections[subject].state == IDLE:
            p = int(w.connections[subject].pool)
            close(w, subject)
            w.now.closed_lifetime += 1
            grow(w, later, p)
    elif kind == IDLE_CHECK:
        drop_idle(w, later, subject)
    elif kind == RECLAIMED:
        if w.connections[subject].age == age:
            p = int(w.connections[subject].pool)
            close(w, subject)
            w.now.closed_leak += 1
            grow(w, later, p)
    elif kind == RETRY:
        w.pools[subject].blocked = 0
        grow(w, later, subject)
    elif kind == DOWN:
        go_down(w, later)
    elif kind == UP:
        come_up(w)
    elif kind == DEPLOY:
        if w.now.deploying == 0:
            w.now.deploying = 1
            w.now.deploy_next, w.now.deploy_done = 0, 0
            for _ in range(min(w.rules.surge, w.rules.instances)):
                launch(w, later)
    elif kind == BOOTED:
        w.pools[subject].state = STARTING
        w.pools[subject].blocked = 0
        grow(w, later, subject)
    elif kind == DRAINED:
        stop_draining(w, later, subject)


@inner
def record(w: World, point: int) -> None:
    """Write one point of the time-line."""
    in_use, idle, connecting, leaked = 0, 0, 0, 0
    for k in range(len(w.connections)):
        state = w.connections[k].state
        in_use += 1 if state == BUSY else 0
        leaked += 1 if state == LEAKED else 0
        idle += 1 if state == IDLE else 0
        connecting += 1 if state == CONNECTING else 0
    row = w.line[point]
    row[0], row[1], row[2], row[3] = in_use, idle, w.now.waiting, connecting
    row[4], row[5] = w.now.server_open, w.now.refusals
    row[6], row[7], row[8] = w.now.timeouts, w.now.breaks, leaked


@jit
def run(w: World, requests: int) -> None:  # noqa: PLR0915 -- one loop reads best in one piece
    """Simulate until the end of time, or until nothing can happen any more.

    ``requests`` of them arrive by themselves, at ``w.requests``; those of threads, and those that ask again, follow.
    """
    # sentinels: neither heap is ever empty, which saves a test at every event, and tells Numba the types
    later = [(math.inf, 99, 0, 0, 0)]
    work = [(math.inf, 0, 0, 0)]
    for plan in range(len(w.plan)):
        push(w, later, w.plan[plan][0], int(w.plan[plan][1]), plan, 0)
    if w.rules.threads > 0:
        for i in range(requests):
            push(w, later, w.draws[i], ARRIVAL, i, 0)
        arriving = requests
    else:
        arriving = 0
    for p in range(w.rules.instances):
        grow(w, later, p)
    contended = w.rules.alpha > 0.0 or w.rules.beta > 0.0
    points = len(w.line)
    step = w.rules.end / points
    point = 0
    while True:
        now = w.now.instant
        stretch = 1.0
        if contended and w.now.active > 1:
            active = float(w.now.active)
            stretch = 1.0 + w.rules.alpha * (active - 1.0) + w.rules.beta * active * (active - 1.0)
        at, kind = now + max(0.0, work[0][0] - w.now.work) * stretch, RETURNED
        if not contended:
            at = work[0][0]
        if later[0][0] < at or (later[0][0] == at and later[0][1] < kind):
            at, kind = later[0][0], later[0][1]
        while (
            w.now.queue_head < w.now.queue_tail and w.requests[w.requests[w.now.queue_head].queued].waits_for == NOBODY
        ):
            w.now.queue_head += 1
        if w.now.queue_head < w.now.queue_tail:
            due = w.requests[w.requests[w.now.queue_head].queued].asked + w.rules.acquire_timeout
            if due < at or (due == at and kind > DEADLINE):
                at, kind = due, DEADLINE
        first = False
        if arriving < requests and w.requests[arriving].asked < at:
            at, kind, first = w.requests[arriving].asked, ARRIVAL, True
        while point < points and (point + 1) * step <= at:
            record(w, point)
            point += 1
        if at > w.rules.end:
            return
        w.now.instant = at
        w.now.work = w.now.work + (at - now) / stretch if contended else at
        if kind == RETURNED:
            done = heappop(work)
            k = int(done[2])
            if w.connections[k].age == done[3]:
                returned(w, later, work, k)
        elif kind == DEADLINE:
            i = int(w.requests[w.now.queue_head].queued)
            w.now.queue_head += 1
            give_up(w, later, i)
        elif first:
            arriving += 1
            ask(w, later, work, arriving - 1)
        else:
            event = heappop(later)
            happen(w, later, work, event[1], event[3], event[4])
        if w.now.deploying > 0:
            go_on_deploying(w, later)


def run_interpreted(w: World, requests: int) -> None:
    """Do the same without compiled code: on plain objects, which are faster to reach one by one, and copied back."""
    arrays = (w.requests, w.connections, w.pools, w.dice)
    tables = [[SimpleNamespace(**dict(zip(array.dtype.names, row))) for row in array.tolist()] for array in arrays]
    now = SimpleNamespace(**dict(zip(w.now.dtype.names, w.now.item())))
    rules = SimpleNamespace(**dict(zip(w.rules.dtype.names, w.rules.item())))
    line = w.line.tolist()
    requests_, connections, pools, dice = tables
    lists = (w.slots.tolist(), w.plan.tolist(), line)
    run(World(rules, now, requests_, w.draws.tolist(), connections, pools, dice, *lists), requests)
    for array, table in zip(arrays[:1], tables):
        array[:] = [tuple(vars(row).values()) for row in table]
    for name, value in vars(now).items():
        w.now[name] = value
    w.line[:] = line
