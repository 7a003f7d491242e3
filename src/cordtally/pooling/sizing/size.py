"""Chooses a pool size per instance: the smallest that meets a target, with its neighbours to compare.

Which queue is computed is left to ``models``, drawing to ``plot``, what samples say to ``samples``.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from ...errors import PoolModelError
from ...figures import show_number, show_seconds, show_share
from ..quantities import Target, TimeoutTarget, parse_target
from ..queues.error_bound import error_bound
from .answer import PoolRow, PoolSizing
from .load import LARGEST_POOL, PoolLoad
from .models import Model, cheaper, choose_model
from .sensitivity import find_headroom
from .simulated import SimulatedPool

QUANTILES = (0.5, 0.95, 0.99)
_NEIGHBOURS = 4
_MOST_TRIED = 4_000


def size_pool(load: PoolLoad, target: Target | str, *, server_limit: int | None = None, reserve: int = 0) -> PoolSizing:
    """Find the smallest pool per instance that meets a target.

    Parameters
    ----------
    load : PoolLoad
        What the pools have to bear together.
    target : WaitTarget, TimeoutTarget or str
        How long requests may wait: ``"5ms@p99"``; or which share may give up: ``"0.1%"``.
    server_limit : int, optional
        Connections that the server allows in all.
    reserve : int
        Connections of that limit to keep free for administrators and jobs; from 0 to below the limit.

    Returns
    -------
    PoolSizing
        ``recommended`` is None where no size meets the target within the server's limit.

    Raises
    ------
    PoolModelError
        When a number cannot be meant; the message names it.

    Notes
    -----
    Which queue is computed depends on the load: docs/pool-size.md lists them.

    Examples
    --------
    >>> import cordtally as ct
    >>> sizing = ct.size_pool(ct.PoolLoad(arrivals=120, hold=0.035, instances=4), "5ms@p99", server_limit=200)
    >>> sizing.recommended
    5
    """
    target = parse_target(target) if isinstance(target, str) else target
    if isinstance(target, TimeoutTarget) and math.isinf(load.acquire_timeout):
        raise PoolModelError("a share of time-outs needs an acquire timeout: without one nobody gives up")
    limit = _shared_limit(server_limit, reserve)
    model = choose_model(load)
    needed = smallest_size(load, target, model)
    cap = None if limit is None else limit // load.instances
    possible = needed is not None and (cap is None or needed <= cap)
    middle = needed if possible and needed is not None else _middle_without_answer(load, cap)
    rows = tuple(make_row(load, size, target, model) for size in _sizes_around(middle, load))
    return PoolSizing(
        load=load,
        target=target,
        recommended=needed if possible else None,
        reasons=tuple(_reasons(load, target, needed, limit, model)),
        rows=rows,
        model=model.name,
        why_model=model.why,
        cautions=tuple(_cautions(load, target, needed, model)),
        limit=limit,
        headroom=find_headroom(load, target, needed, model) if possible and needed is not None else (),
    )


def _middle_without_answer(load: PoolLoad, cap: int | None) -> int:
    return max(1, min(cap or LARGEST_POOL, math.floor(load.erlangs) + 1))


def _shared_limit(server_limit: int | None, reserve: int) -> int | None:
    if reserve < 0:
        raise PoolModelError("the reserve must be 0 or more connections")
    if server_limit is None:
        return None
    if server_limit < 1:
        raise PoolModelError("the server's limit must be at least 1 connection")
    if reserve >= server_limit:
        raise PoolModelError(f"the reserve ({reserve}) leaves nothing of the server's limit ({server_limit})")
    return server_limit - reserve


def smallest_size(load: PoolLoad, target: Target, model: Model | None = None) -> int | None:
    """The smallest size that meets the target; None where none up to 100,000 does.

    Waits shorten as the pool grows, so an interval around a guess is halved; where the server slows with the number
    active they may lengthen again, so every size is tried there, up to 4,000.

    Parameters
    ----------
    load : PoolLoad
        Rates per second, times in seconds.
    target : WaitTarget or TimeoutTarget
        What a size has to meet.
    model : Model
        The queue that computes a size's waits, as `choose_model` gives it.
    """
    queue = model or choose_model(load)

    def meets(size: int) -> bool:
        return target.shortfall(queue.at(size)) <= 1

    if load.contention and _hopeless(load, target):
        return None
    if load.contention:
        return next((size for size in range(1, _most_tried(load) + 1) if meets(size)), None)
    most = LARGEST_POOL if load.threads is None else load.threads
    return _first_size(meets, min(most, _guess(load, target, queue)), most)


def _guess(load: PoolLoad, target: Target, model: Model) -> int:
    """Where to begin: where sizes are costly to try, at the answer of a formula."""
    if model.simulated:
        return smallest_size(cheaper(load), target) or 1
    return math.ceil(load.erlangs + 2 * math.sqrt(load.erlangs))


def _first_size(meets: Callable[[int], bool], guess: int, most: int) -> int | None:
    """The first size that meets, if all beyond do, too: steps from a guess that double, then halves of the interval."""
    step = 1
    if meets(guess):
        low, high = guess - step, guess
        while low >= 1 and meets(low):
            step *= 2
            low, high = low - step, low
        low = max(0, low)
    else:
        low, high = guess, min(most, guess + step)
        while not meets(high):
            if high == most:
                return None
            step *= 2
            low, high = high, min(most, high + step)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if meets(middle) else (middle, high)
    return high


def _hopeless(load: PoolLoad, target: Target) -> bool:
    """Whether the server cannot do so much work with any number active, so that too many would have to give up."""
    law = load.contention
    most = law.capacity(law.peak) if law.peak is not None else 1 / law.alpha
    lost = 1 - most / (load.erlangs * load.instances)
    if lost < 0:
        return False
    if isinstance(target, TimeoutTarget):
        return target.share < lost
    return 1 - target.quantile < lost


def _most_tried(load: PoolLoad) -> int:
    """Beyond four times the size at which the server does most work, more connections only do harm."""
    peak = load.contention.peak
    return _MOST_TRIED if peak is None else min(_MOST_TRIED, 4 * max(peak, math.ceil(load.erlangs)))


def make_row(load: PoolLoad, size: int, target: Target, model: Model | None = None) -> PoolRow:
    """Compute one row.

    Parameters
    ----------
    load : PoolLoad
        Rates per second, times in seconds.
    size : int
        Connections per instance.
    target : WaitTarget or TimeoutTarget
        What is to be met.
    model : Model
        The queue that computes the waits.
    """
    waits = (model or choose_model(load)).at(size)
    p50, p95, p99 = (waits.quantile(q) for q in QUANTILES)
    return PoolRow(
        size=size,
        total=size * load.instances,
        utilisation=waits.utilisation,
        wait_share=waits.wait_share,
        mean_wait=waits.mean,
        p50=p50,
        p95=p95,
        p99=p99,
        timeout_share=waits.timeout_share,
        hold=waits.hold,
        meets=target.shortfall(waits) <= 1,
    )


def _sizes_around(middle: int, load: PoolLoad) -> range:
    first = 1 if math.isfinite(load.acquire_timeout) or load.threads is not None else math.floor(load.erlangs) + 1
    first = max(1, min(middle - 3, first))
    first = max(first, middle - _NEIGHBOURS)
    last = middle + _NEIGHBOURS
    if load.threads is not None:
        last = max(middle, min(last, load.threads))
    return range(first, last + 1)


def _reasons(load: PoolLoad, target: Target, needed: int | None, limit: int | None, model: Model) -> list[str]:
    if needed is None:
        tried = _most_tried(load) if load.contention else LARGEST_POOL
        reasons = [f"no pool of up to {tried:,} connections keeps within {target}"]
        if load.contention:
            peak = load.contention.peak
            reasons.append(
                "the server slows too much: "
                + (f"it does most work with {peak} active" if peak else "more active connections hardly do more work")
            )
        return reasons
    reasons = [f"{show_number(load.erlangs)} connections of each instance are in use on average"]
    if load.peak_factor > 1:
        reasons[0] += f" at {load.peak_factor:.3g} times the mean rate"
    if load.instances == 1:
        reasons[0] = reasons[0].replace("connections of each instance", "connections")
    if needed > 1:
        before = model.at(needed - 1)
        if math.isinf(before.mean):
            reasons.append(f"{needed - 1} would not carry the load: the queue would grow without end")
        else:
            reasons.append(f"with {needed - 1}, {target.told(before)}")
    if load.threads is not None and needed == load.threads:
        reasons.append(f"each of the {load.threads} threads has a connection of its own then: nobody ever waits")
    total = needed * load.instances
    if limit is not None and total > limit:
        reasons.append(
            f"{_total(load, needed)}, and the server leaves {limit}: "
            "shorten the hold, raise the limit, or put a pooler in between"
        )
    elif limit is not None:
        reasons.append(f"{_total(load, needed)} of {limit} that the server leaves")
    return reasons


def _total(load: PoolLoad, size: int) -> str:
    if load.instances == 1:
        return f"{size} connections"
    return f"{load.instances} instances × {size} = {size * load.instances} connections"


def _cautions(load: PoolLoad, target: Target, needed: int | None, model: Model) -> list[str]:
    cautions = list(model.cautions)
    if needed is None:
        return cautions
    waits = model.at(needed)
    if model.two_moments:
        cautions.append(_told_error(load, target, needed))
    if isinstance(waits, SimulatedPool):
        cautions.append(_told_interval(waits, target))
    if load.erlangs > needed:
        cautions.append("more comes in than these connections can serve: the requests beyond give up")
    return cautions


def _told_error(load: PoolLoad, target: Target, size: int) -> str:
    """Say how far the approximation was off near such a load, of what the target asks for."""
    bound = error_bound(
        size, load.erlangs / size, load.arrival_cv**2, load.hold_cv**2, load.acquire_timeout / load.hold
    )
    if bound is None:
        return "the approximation was not tried on such loads: check it with `pool replay`"
    if isinstance(target, TimeoutTarget):
        what, (low, high) = "the share that gives up", bound.timeout_share
    elif target.quantile <= 0.95:
        what, (low, high) = "p95", bound.p95
    else:
        what, (low, high) = "p99", bound.p99
    unit = "points" if isinstance(target, TimeoutTarget) else "%"
    if low >= 0 and high <= 0:
        return f"near such loads {what} came out right in our simulations"
    too_low = f"{-100 * low:.2g} {unit} too low" if low < 0 else "never too low"
    too_high = f"{100 * high:.2g} {unit} too high" if high > 0 else "never too high"
    return f"near such loads {what} came out {too_low} to {too_high} in our simulations"


def _told_interval(waits: SimulatedPool, target: Target) -> str:
    """Say how sure a simulated answer is, of what the target asks for."""
    if isinstance(target, TimeoutTarget):
        what, (low, high) = "the share that gives up", map(show_share, waits.timeout_interval())
    else:
        what, (low, high) = f"p{100 * target.quantile:g}", map(show_seconds, waits.quantile_interval(target.quantile))
    return f"{what} with {waits.connections} is between {low} and {high} (95 % confidence)"
