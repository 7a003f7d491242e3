"""Finds pool sizes that share a server's connections so that weighted waiting is least; exact for whole numbers.

The waiting of a service is convex in its pool size, but a step of a service with many instances costs as many
connections, so the greedy choice is not exact: a dynamic programme over the connections is. Source: B. Fox, Management
Science 13 (1966), for the convex case with equal steps, against which the tests compare it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ...errors import MissingExtra, PoolModelError
from ...results import Result
from ..queues import OpenPool, patient_pool
from .services import Server, Service, resized

if TYPE_CHECKING:
    pass

_ENOUGH = 1e-9  # below this share of a hold, waiting counts as none


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """What one service gets: pool size per instance, connections at worst, its mean wait and p99 (s), who gives up."""

    name: str
    pool_size: int
    connections: int
    mean_wait: float
    p99: float
    timeout_share: float


@dataclass(frozen=True, kw_only=True, repr=False)
class Allocation(Result):
    """Pool sizes that make the sum of weight × arrivals × mean wait least.

    ``waiting`` is that sum, in requests waiting on average; ``used`` connections of ``left`` are given away.
    """

    _rows = "services"
    shares: tuple[Share, ...]
    waiting: float
    used: int
    left: int

    def _summary(self) -> str:
        return f"{self.used} of {self.left} connections for {len(self.shares)} services"

    def to_dict(self) -> dict[str, Any]:
        """Give the fields; times in seconds."""
        return {
            "waiting": self.waiting,
            "used": self.used,
            "left": self.left,
            "services": [{name: getattr(share, name) for name in Share.__slots__} for share in self.shares],
        }

    def applied(self, services: Sequence[Service]) -> list[Service]:
        """Give the services with these pool sizes.

        Parameters
        ----------
        services : sequence of Service
            Those that were shared among; one without a share keeps its size.

        Returns
        -------
        list of Service
            In the same order, ``pool_size`` in connections per instance.
        """
        sizes = {share.name: share.pool_size for share in self.shares}
        return [resized(service, sizes.get(service.name, service.pool_size)) for service in services]


def allocate(server: Server, services: Sequence[Service], *, taken: int = 0) -> Allocation:
    """Share what a server leaves among services that connect to it directly.

    Parameters
    ----------
    server : Server
        Its limits; after losing a server the survivors have to fit as well.
    services : sequence of Service
        With arrivals and hold; each instance counts at worst, autoscaled and deploying.
    taken : int
        Connections that others have (poolers).

    Raises
    ------
    PoolModelError
        When a service has no arrivals or hold; when the limit cannot carry the load and one has no acquire timeout.
    MissingExtra
        When NumPy is not installed.
    """
    try:
        import numpy as np
    except ImportError:
        raise MissingExtra("NumPy", "pool", "sharing connections") from None
    for service in services:
        if service.arrivals <= 0 or service.hold <= 0:
            raise PoolModelError(f"{service.name}: arrivals and hold are needed to share connections by waiting")
    room = math.floor((server.left - taken) / server.failover + 1e-9)
    options = [_options(service, room) for service in services]
    least = sum(service.worst * choice[0][0] for service, choice in zip(services, options) if choice)
    if any(not choice for choice in options) or least > room:
        raise PoolModelError(_too_little(services, room))
    best = np.zeros(room + 1)
    chosen = []
    for service, choice in zip(services, options):
        totals = np.full((len(choice), room + 1), math.inf)
        for row, (size, cost) in enumerate(choice):
            step = size * service.worst
            if step <= room:
                totals[row, step:] = best[: room + 1 - step] + cost
        pick = totals.argmin(axis=0)
        best = totals[pick, np.arange(room + 1)]
        chosen.append(pick)
    at = int(np.argmin(best))
    sizes = []
    for service, choice, pick in zip(reversed(services), reversed(options), reversed(chosen)):
        size = choice[int(pick[at])][0]
        sizes.append(size)
        at -= size * service.worst
    shares = tuple(_share(service, size) for service, size in zip(services, reversed(sizes)))
    return Allocation(
        shares=shares, waiting=float(best.min()), used=sum(s.connections for s in shares), left=room,
    )  # fmt: skip


def _pool(service: Service, size: int) -> OpenPool:
    return patient_pool(size, service.arrivals / service.instances, service.hold, service.acquire_timeout)


def _options(service: Service, room: int) -> list[tuple[int, float]]:
    """Sizes that can be meant, with what their waiting costs; up to where more would bring nothing."""
    found = []
    for size in range(service.min_size, min(service.most_size, room // service.worst) + 1):
        pool = _pool(service, size)
        if math.isfinite(pool.mean):
            found.append((size, service.weight * service.arrivals * pool.mean))
            if pool.mean < _ENOUGH * service.hold:
                break
    return found


def _too_little(services: Sequence[Service], room: int) -> str:
    needed = sum(s.worst * max(s.min_size, math.floor(s.arrivals * s.hold / s.instances) + 1) for s in services)
    endless = [s.name for s in services if math.isinf(s.acquire_timeout)]
    told = f"the server leaves {room} connections, and {needed} are needed to carry the load at all"
    if endless:
        return told + f": give {', '.join(endless)} an acquire_timeout to share what there is, or raise the limit"
    return told + ": raise the limit, run fewer instances, or put a pooler in between"


def _share(service: Service, size: int) -> Share:
    pool = _pool(service, size)
    return Share(
        name=service.name, pool_size=size, connections=size * service.worst, mean_wait=pool.mean,
        p99=pool.quantile(0.99), timeout_share=pool.timeout_share,
    )  # fmt: skip
