"""Chooses a pool size per instance: the smallest that meets a waiting target, with its neighbours to compare.

The model is the exact multi-server queue of ``queue``; drawing is left to ``plot``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..errors import PoolModelError
from .quantities import WaitTarget, show_seconds
from .queue import mean_wait, wait_probability, wait_quantile

if TYPE_CHECKING:
    import pandas as pd

QUANTILES = (0.5, 0.95, 0.99)
_NEIGHBOURS = 4
_LARGEST_POOL = 100_000


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolLoad:
    """What a pool has to bear.

    Parameters
    ----------
    arrivals : float
        Requests for a connection per second, over all instances; more than 0.
    hold : float
        Mean time that a request holds its connection, in seconds, from taking it to giving it back; more than 0.
    instances : int
        Processes with a pool of their own, among which the requests spread evenly; at least 1.

    Raises
    ------
    PoolModelError
        When one of them is not a number that can be meant; the message names it.
    """

    arrivals: float
    hold: float
    instances: int = 1

    def __post_init__(self) -> None:
        """Refuse numbers that cannot be meant."""
        for name, value in (("arrivals", self.arrivals), ("hold", self.hold)):
            if not (math.isfinite(value) and value > 0):
                raise PoolModelError(f"{name} must be a finite number, more than 0")
        if not 1 <= self.instances <= _LARGEST_POOL:
            raise PoolModelError(f"instances must be a whole number from 1 to {_LARGEST_POOL:,}")

    @property
    def erlangs(self) -> float:
        """Offered load of one instance: how many of its connections are in use on average."""
        return self.arrivals * self.hold / self.instances


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolRow:
    """One pool size per instance and what it brings; times in seconds, shares from 0 to 1."""

    size: int
    total: int
    utilisation: float
    wait_share: float
    mean_wait: float
    p50: float
    p95: float
    p99: float
    meets: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolSizing:
    """The answer: the recommended size per instance, None where no size is possible, and why; and the rows around it.

    ``model`` names the queue that was computed; ``limit`` is the number of connections that all pools may share.
    """

    load: PoolLoad
    target: WaitTarget
    recommended: int | None
    reasons: tuple[str, ...]
    rows: tuple[PoolRow, ...]
    model: str
    limit: int | None

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/pool-size/1``: times in seconds, None where they have no end."""
        return {
            "schema": "cordtally/pool-size/1",
            "model": self.model,
            "arrivals_per_second": self.load.arrivals,
            "hold_seconds": self.load.hold,
            "instances": self.load.instances,
            "load_erlangs_per_instance": self.load.erlangs,
            "target": {"wait_seconds": self.target.seconds, "quantile": self.target.quantile},
            "connection_limit": self.limit,
            "recommended": self.recommended,
            "reasons": list(self.reasons),
            "sizes": [_plain(row) for row in self.rows],
        }

    def to_frame(self) -> pd.DataFrame:
        """Give the rows as a DataFrame.

        Raises
        ------
        MissingExtra
            When pandas is not installed.
        """
        try:
            import pandas as pd
        except ImportError:
            from ..errors import MissingExtra

            raise MissingExtra("pandas", "pool", "a table of pool sizes") from None
        return pd.DataFrame([_fields(row) for row in self.rows])

    def _repr_html_(self) -> str:
        from html import escape

        heads = list(_fields(self.rows[0])) if self.rows else []
        body = "".join(
            "<tr>" + "".join(f"<td>{escape(str(v))}</td>" for v in _fields(row).values()) + "</tr>" for row in self.rows
        )
        return f"<table><tr>{''.join(f'<th>{h}</th>' for h in heads)}</tr>{body}</table>"


def _fields(row: PoolRow) -> dict[str, object]:
    return {name: getattr(row, name) for name in PoolRow.__slots__}


def _plain(row: PoolRow) -> dict[str, object]:
    return {k: None if isinstance(v, float) and math.isinf(v) else v for k, v in _fields(row).items()}


def size_pool(
    load: PoolLoad, target: WaitTarget | str, *, server_limit: int | None = None, reserve: int = 0
) -> PoolSizing:
    """Find the smallest pool per instance that meets a waiting target.

    Parameters
    ----------
    load : PoolLoad
        What the pools have to bear together.
    target : WaitTarget or str
        How long requests may wait: ``"5ms@p99"``.
    server_limit : int, optional
        Connections that the server allows in all.
    reserve : int
        Connections of that limit to keep free for administrators and jobs; from 0 to below the limit.

    Returns
    -------
    PoolSizing
        ``recommended`` is None where the server's limit leaves too few connections.

    Raises
    ------
    PoolModelError
        When a number cannot be meant; the message names it.

    Notes
    -----
    Requests of many independent clients are taken to arrive as a Poisson stream, holds to be exponential, and nobody
    to give up waiting. Waits shorten as the pool grows, so the search halves its interval. With bursts or long-tailed
    holds waits are longer than this model says.

    Examples
    --------
    >>> import cordtally as ct
    >>> sizing = ct.size_pool(ct.PoolLoad(arrivals=120, hold=0.035, instances=4), "5ms@p99", server_limit=200)
    >>> sizing.recommended
    5
    """
    target = WaitTarget.parse(target) if isinstance(target, str) else target
    limit = _shared_limit(server_limit, reserve)
    needed = smallest_size(load, target)
    cap = None if limit is None else limit // load.instances
    possible = needed is not None and (cap is None or needed <= cap)
    reasons = tuple(_reasons(load, target, needed, limit))
    middle = (
        needed if possible and needed is not None else max(1, min(cap or _LARGEST_POOL, math.floor(load.erlangs) + 1))
    )
    rows = tuple(make_row(load, size, target) for size in _sizes_around(middle, load.erlangs))
    return PoolSizing(
        load=load,
        target=target,
        recommended=needed if possible else None,
        reasons=reasons,
        rows=rows,
        model="M/M/c, exact (Erlang C)",
        limit=limit,
    )


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


def smallest_size(load: PoolLoad, target: WaitTarget) -> int | None:
    """The smallest size whose quantile is within the target; None where none up to 100,000 is."""

    def meets(size: int) -> bool:
        return wait_quantile(size, load.erlangs, load.hold, target.quantile) <= target.seconds

    low = math.floor(load.erlangs) + 1
    high = math.ceil(load.erlangs + 10 * math.sqrt(load.erlangs) + 20)
    while not meets(high):
        if high > _LARGEST_POOL:
            return None
        high *= 2
    while low < high:
        middle = (low + high) // 2
        if meets(middle):
            high = middle
        else:
            low = middle + 1
    return low


def make_row(load: PoolLoad, size: int, target: WaitTarget) -> PoolRow:
    """Compute one row."""
    erlangs = load.erlangs
    p50, p95, p99 = (wait_quantile(size, erlangs, load.hold, q) for q in QUANTILES)
    return PoolRow(
        size=size,
        total=size * load.instances,
        utilisation=min(1.0, erlangs / size),
        wait_share=wait_probability(size, erlangs),
        mean_wait=mean_wait(size, erlangs, load.hold),
        p50=p50,
        p95=p95,
        p99=p99,
        meets=wait_quantile(size, erlangs, load.hold, target.quantile) <= target.seconds,
    )


def _sizes_around(middle: int, erlangs: float) -> range:
    first = max(1, min(middle - 3, math.floor(erlangs) + 1))
    first = max(first, middle - _NEIGHBOURS)
    return range(first, middle + _NEIGHBOURS + 1)


def _reasons(load: PoolLoad, target: WaitTarget, needed: int | None, limit: int | None) -> list[str]:
    if needed is None:
        return [f"no pool of up to {_LARGEST_POOL:,} connections keeps waits within {target}"]
    reasons = [f"{load.erlangs:.3g} connections of each instance are in use on average"]
    if needed > 1:
        before = wait_quantile(needed - 1, load.erlangs, load.hold, target.quantile)
        called = f"p{100 * target.quantile:g}"
        if math.isinf(before):
            reasons.append(f"{needed - 1} would not carry the load: the queue would grow without end")
        else:
            reasons.append(f"with {needed - 1}, {called} of the wait would be {show_seconds(before)}")
    total = needed * load.instances
    if limit is not None and total > limit:
        reasons.append(
            f"{load.instances} instances × {needed} = {total} connections, and the server leaves {limit}: "
            "shorten the hold, raise the limit, or put a pooler in between"
        )
    elif limit is not None:
        reasons.append(f"{load.instances} instances × {needed} = {total} connections of {limit} that the server leaves")
    growth = (needed / load.erlangs - 1) * 100
    reasons.append(f"it bears up to {growth:.0f} % more load before the queue grows without end")
    return reasons
