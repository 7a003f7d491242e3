"""Adds up what services may open at a server: now, after autoscaling, during deploys, after losing a server."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ...errors import PoolModelError
from ...figures import show_number
from ...results import Result
from .services import Pooler, Server, Service

if TYPE_CHECKING:
    from .allocation import Allocation

STAGES = ("now", "scaled", "deploying", "failover")


@dataclass(frozen=True, slots=True, kw_only=True)
class BudgetRow:
    """Connections at the server by one service, or by one pooler for those behind it; each stage includes the last.

    ``behind`` counts the connections that services open to a pooler at worst; 0 for services that connect directly.
    """

    name: str
    now: int
    scaled: int
    deploying: int
    failover: int
    behind: int = 0


@dataclass(frozen=True, kw_only=True, repr=False)
class Budget(Result):
    """Who may use how much, and whether it fits; ``allocation`` holds the proposed pool sizes, if asked for."""

    _rows = "services"
    server: Server
    rows: tuple[BudgetRow, ...]
    findings: tuple[str, ...]
    allocation: Allocation | None = None

    def total(self, stage: str) -> int:
        """Connections of all services at a stage.

        Parameters
        ----------
        stage : {'now', 'scaled', 'deploying', 'failover'}
            How many instances run, as `BudgetRow` has it.

        Returns
        -------
        int
            Connections at the server.
        """
        return sum(getattr(row, stage) for row in self.rows)

    @property
    def fits(self) -> bool:
        """Whether the worst case stays within what the server leaves."""
        return self.total(STAGES[-1]) <= self.server.left

    def _summary(self) -> str:
        fits = "it fits" if self.fits else "it does not fit"
        return f"{fits}: at most {self.total(STAGES[-1])} connections of {self.server.left}"

    def to_dict(self) -> dict[str, Any]:
        """Give ``cordtally/pool-budget/1``."""
        return {
            "schema": "cordtally/pool-budget/1",
            "limit": self.server.limit,
            "reserve": self.server.reserve,
            "jobs": self.server.jobs,
            "left": self.server.left,
            "totals": {stage: self.total(stage) for stage in STAGES},
            "fits": self.fits,
            "services": [{name: getattr(row, name) for name in BudgetRow.__slots__} for row in self.rows],
            "findings": list(self.findings),
            "allocation": None if self.allocation is None else self.allocation.to_dict(),
        }


def make_budget(
    server: Server, services: Sequence[Service], poolers: Sequence[Pooler] = (), *, allocation: Allocation | None = None
) -> Budget:
    """Add up the connections of services.

    Parameters
    ----------
    server : Server
        Its limit and what is kept from services, in connections.
    services : sequence of Service
        Each with ``pool_size`` in connections per instance.
    poolers : sequence of Pooler
        What services of the same name in ``pooler`` connect through.
    allocation : Allocation, optional
        Kept beside the sum, where sizes were shared out.

    Raises
    ------
    PoolModelError
        When a service has no pool size.
    """
    for service in services:
        if not service.pool_size:
            raise PoolModelError(
                f"{service.name}: pool_size is missing; give it, or ask for an allocation (--allocate)"
            )
    rows = [_row(service, server) for service in services if not service.pooler]
    rows += [_pooled(pooler, services) for pooler in poolers]
    return Budget(
        server=server,
        rows=tuple(rows),
        findings=tuple(_findings(server, rows, services, poolers)),
        allocation=allocation,
    )


def _row(service: Service, server: Server) -> BudgetRow:
    now, scaled, worst = (n * service.pool_size for n in (service.instances, service.most, service.worst))
    return BudgetRow(
        name=service.name, now=now, scaled=scaled, deploying=worst, failover=math.ceil(worst * server.failover - 1e-9)
    )


def _pooled(pooler: Pooler, services: Sequence[Service]) -> BudgetRow:
    """What a pooler opens does not grow with its clients."""
    behind = [service for service in services if service.pooler == pooler.name]
    opened = pooler.server_connections if behind else 0
    now = min(opened, sum(s.instances * s.pool_size for s in behind))
    return BudgetRow(
        name=pooler.name, now=now, scaled=opened, deploying=opened, failover=opened,
        behind=sum(s.worst * s.pool_size for s in behind),
    )  # fmt: skip


def _findings(
    server: Server, rows: Sequence[BudgetRow], services: Sequence[Service], poolers: Sequence[Pooler]
) -> Iterator[str]:
    names = {
        "now": "as they run now", "scaled": "after autoscaling", "deploying": "when all deploy after autoscaling",
        "failover": "after losing a server as well",
    }  # fmt: skip
    for stage, told in names.items():
        total = sum(getattr(row, stage) for row in rows)
        if total > server.left:
            more = total - server.left
            yield f"{told} the services may open {total}, and the server leaves {server.left}: {more} too many"
            break
    else:
        yield f"in the worst case {server.left - sum(row.failover for row in rows)} of {server.left} are left"
    for pooler, row in ((p, r) for p in poolers for r in rows if r.name == p.name):
        if pooler.client_limit and row.behind > pooler.client_limit:
            yield f"{pooler.name}: {row.behind} clients at worst, and it lets {pooler.client_limit} in"
    for service in services:
        loaded = service.arrivals * service.hold / service.instances
        if loaded >= service.pool_size > 0 and math.isinf(service.acquire_timeout):
            yield (
                f"{service.name}: {show_number(loaded)} connections of each instance are in use on average, and its "
                f"pool has {service.pool_size}: the queue grows without end"
            )
