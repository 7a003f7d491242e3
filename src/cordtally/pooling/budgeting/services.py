"""The services that share a server, with its limits and the poolers in between; read from TOML and CSV."""

from __future__ import annotations

import math
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import Any

from ...catalog import find_nearest
from ...errors import FieldError, PoolModelError, quoted
from ...model import Duration
from ...pipes import open_text, read_text
from ..quantities import parse_rate, set_quantities


@dataclass(frozen=True, kw_only=True)
class Service:
    """One service: how many instances it has and may have, how large their pools are, and what comes in.

    Parameters
    ----------
    name : str
        What it is called.
    instances, max_instances : int
        Instances now, and as many as autoscaling may start; ``max_instances`` of 0 means as now.
    surge : int
        Instances more during a deploy; those that drain still hold their connections.
    pool_size : int
        Connections that each instance may open; 0 where it is to be found.
    min_size, most_size : int
        What an allocation may give it per instance.
    pooler : str
        Name of the pooler that it goes through; empty where it connects to the server.
    arrivals, hold, acquire_timeout : float or str
        Requests over all instances (per second, or like ``120/s``), mean hold and acquire timeout (seconds, or like
        ``35ms``); 0 and infinite where unknown.
    weight : float
        How much a second of waiting counts here.

    Raises
    ------
    PoolModelError
        When a number cannot be meant; the message names service and field.
    """

    name: str
    instances: int = 1
    max_instances: int = 0
    surge: int = 0
    pool_size: int = 0
    min_size: int = 1
    most_size: int = 10_000
    pooler: str = ""
    arrivals: float = 0.0
    hold: float = 0.0
    acquire_timeout: float = math.inf
    weight: float = 1.0

    def __post_init__(self) -> None:
        """Turn texts into numbers, and refuse what cannot be meant."""
        set_quantities(self, seconds=("hold", "acquire_timeout"), rates=("arrivals",))
        if not self.name:
            raise PoolModelError("a service needs a name")
        if self.instances < 1:
            raise PoolModelError(f"{self.name}: instances must be at least 1")
        if self.max_instances and self.max_instances < self.instances:
            raise PoolModelError(
                f"{self.name}: max_instances ({self.max_instances}) is below instances ({self.instances})"
            )
        if min(self.surge, self.pool_size) < 0 or not 1 <= self.min_size <= self.most_size:
            raise PoolModelError(
                f"{self.name}: surge and pool_size must be 0 or more, and min_size from 1 to most_size"
            )
        if not (math.isfinite(self.arrivals) and math.isfinite(self.hold) and min(self.arrivals, self.hold) >= 0):
            raise PoolModelError(f"{self.name}: arrivals and hold must be finite, 0 or more")
        if not (self.weight > 0 and math.isfinite(self.weight)) or not self.acquire_timeout > 0:
            raise PoolModelError(f"{self.name}: weight and acquire_timeout must be more than 0")

    @property
    def most(self) -> int:
        """Instances after autoscaling."""
        return self.max_instances or self.instances

    @property
    def worst(self) -> int:
        """Instances at worst: after autoscaling, during a deploy."""
        return self.most + self.surge


@dataclass(frozen=True, kw_only=True)
class Pooler:
    """A pooler in between: how many connections it opens at most, and how many clients it lets in (0: no limit)."""

    name: str
    server_connections: int
    client_limit: int = 0


@dataclass(frozen=True, kw_only=True)
class Server:
    """A server: its limit, what is kept for administrators, and for replication and jobs; how many share the load.

    Raises
    ------
    PoolModelError
        When nothing is left of the limit.
    """

    limit: int
    reserve: int = 0
    jobs: int = 0
    servers: int = 1

    def __post_init__(self) -> None:
        """Refuse what cannot be meant."""
        if self.limit < 1 or min(self.reserve, self.jobs) < 0 or self.servers < 1:
            raise PoolModelError("limit and servers must be at least 1, reserve and jobs 0 or more")
        if self.left < 1:
            kept = self.reserve + self.jobs
            raise PoolModelError(f"reserve and jobs ({kept}) leave nothing of the server's limit ({self.limit})")

    @property
    def left(self) -> int:
        """What the services may use."""
        return self.limit - self.reserve - self.jobs

    @property
    def failover(self) -> float:
        """By which factor each server's connections grow when one of them is lost."""
        return self.servers / (self.servers - 1) if self.servers > 1 else 1.0


def _seconds(value: object) -> float:
    duration = Duration.parse(str(value))
    return math.inf if duration.nanoseconds is None else duration.seconds


def _whole(value: object) -> int:
    text = str(value).strip()
    if isinstance(value, bool) or not text.isdecimal() or not text.isascii():
        raise FieldError(f"{quoted(value)} is not a whole number of 0 or more")
    return int(text)


def _weight(value: object) -> float:
    try:
        return float(str(value))
    except ValueError:
        raise FieldError(f"{quoted(value)} is no number") from None


_READ: dict[str, Callable[[Any], Any]] = {
    **dict.fromkeys(
        ("instances", "max_instances", "surge", "pool_size", "min_size", "most_size", "limit", "reserve", "jobs",
         "servers", "server_connections", "client_limit"), _whole,
    ),
    **dict.fromkeys(("name", "pooler"), str),
    **dict.fromkeys(("hold", "acquire_timeout"), _seconds),
    "arrivals": lambda value: parse_rate(str(value)),
    "weight": _weight,
}  # fmt: skip


def make_entry(kind: type[Any], where: str, values: Mapping[str, object]) -> Any:  # noqa: ANN401
    """Make a service, pooler or server of named values as they are written.

    Parameters
    ----------
    kind : type
        `Service`, `Pooler` or `Server`.
    where : str
        What the messages call its place.
    values : mapping
        Field names and what was written for them.

    Raises
    ------
    PoolModelError
        For unknown names and values that cannot be meant; the message begins with ``where``.
    """
    known = [field.name for field in fields(kind)]
    read: dict[str, Any] = {}
    for name, value in values.items():
        if name not in known:
            nearest = find_nearest(name, known, most=1)
            hint = f"did you mean {nearest[0]}?" if nearest else "there are " + ", ".join(known)
            raise PoolModelError(f"{where}: there is no field {quoted(name)}; {hint}")
        try:
            read[name] = _READ[name](value)
        except FieldError as error:
            raise PoolModelError(f"{where}: {name}: {error}") from None
    try:
        return kind(**read)
    except TypeError:
        missing = [f.name for f in fields(kind) if f.name not in read and f.default is f.default_factory]
        raise PoolModelError(f"{where}: {', '.join(missing)} is missing") from None
    except PoolModelError as error:
        raise PoolModelError(f"{where}: {error}") from None


def read_services(
    path: str | Path, *, limit: int | None = None, reserve: int | None = None
) -> tuple[Server, list[Service], list[Pooler]]:
    """Read a server and its services from TOML (``[server]``, ``[[services]]``, ``[[poolers]]``), or services from CSV.

    Parameters
    ----------
    path : path-like
        The file.
    limit, reserve : int, optional
        Replace what the file says of the server; a CSV file needs ``limit``.

    Raises
    ------
    PoolModelError
        For anything that cannot be meant; the message names file, entry and field.
    """
    path = Path(path)
    if path.suffix == ".csv":
        rows, server_part, pooler_rows = _csv(path), {}, []
    else:
        try:
            document = tomllib.loads(read_text(path))
        except FieldError:  # a pipe without a writer, which says so itself
            raise
        except (ValueError, RecursionError) as error:  # numbers of too many digits, and nests too deep
            raise PoolModelError(f"{path}: this is no TOML: {error}") from None
        wrong = document.keys() - {"server", "services", "poolers"}
        if wrong:
            raise PoolModelError(
                f"{path}: there is no section {quoted(sorted(wrong)[0])}; there are server, services, poolers"
            )
        rows = list(enumerate(document.get("services", []), 1))
        server_part, pooler_rows = document.get("server", {}), document.get("poolers", [])
    given = {name: value for name, value in (("limit", limit), ("reserve", reserve)) if value is not None}
    if "limit" not in {**server_part, **given}:
        raise PoolModelError(f"{path}: the server's limit is missing: give --server-limit, or limit in [server]")
    server = make_entry(Server, f"{path}: [server]", {**server_part, **given})
    services = [make_entry(Service, f"{path}: service {number}", row) for number, row in rows]
    poolers = [make_entry(Pooler, f"{path}: pooler {number}", row) for number, row in enumerate(pooler_rows, 1)]
    check_services(services, poolers, str(path))
    return server, services, poolers


def check_services(services: list[Service], poolers: list[Pooler], where: str) -> None:
    """Refuse an empty list, a name that stands twice, a pooler that there is not.

    Parameters
    ----------
    services : sequence of Service
        All of them.
    poolers : sequence of Pooler
        What they may name.
    where : str
        What the messages call their place.

    Raises
    ------
    PoolModelError
        For any of them.
    """
    if not services:
        raise PoolModelError(f"{where}: there is no service in it")
    names = [service.name for service in services]
    twice = [name for name in names if names.count(name) > 1]
    if twice:
        raise PoolModelError(f"{where}: {twice[0]} stands there twice")
    known = [pooler.name for pooler in poolers]
    for service in services:
        if service.pooler and service.pooler not in known:
            nearest = find_nearest(service.pooler, known, most=1)
            hint = f"; did you mean {nearest[0]}?" if nearest else ""
            through = f"{service.name} goes through {quoted(service.pooler)}, which is no pooler"
            raise PoolModelError(f"{where}: {through}{hint}")


def _csv(path: Path) -> list[tuple[int, dict[str, object]]]:
    import csv

    with open_text(path, encoding="utf-8-sig", newline="") as stream:
        rows = list(csv.DictReader(stream, skipinitialspace=True))
    return [
        (number, {str(key).strip(): value for key, value in row.items() if key and value not in (None, "")})
        for number, row in enumerate(rows, 1)
    ]


def resized(service: Service, size: int) -> Service:
    """Give a service with another pool size.

    Parameters
    ----------
    service : Service
        What is changed.
    size : int
        Connections per instance.
    """
    return replace(service, pool_size=size)
