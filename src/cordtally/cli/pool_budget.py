"""``cordtally pool budget``: share one server's connections among many services."""

from __future__ import annotations

from pathlib import Path

import click

from ..errors import PoolModelError
from ..figures import show_number, show_seconds, show_share
from ..model import Cord
from ..pooling.budgeting import Budget, Pooler, Server, Service, allocate, make_budget, read_services
from ..pooling.budgeting.services import check_services, make_entry
from .inputs import environment_option, json_option
from .output import print_json
from .pool_files import pools_in
from .screen import Screen

_TELLING_LOSS = 0.01
"""From this share of requests that give up on, fitting is not all there is to say."""


@click.command("budget")
@click.argument("files", nargs=-1, metavar="[FILE]...")
@click.option(
    "--instances",
    multiple=True,
    metavar="[NAME=]N",
    help="With config files: processes with such a pool, of all or of one; may be repeated.",
)
@click.option("--server-limit", type=int, metavar="N", help="Connections that the server allows in all.")
@click.option("--reserve", type=int, metavar="N", help="Of those, how many are for administrators.")
@click.option("--server", "host", metavar="HOST", help="With a tally: only services whose cord leads to this host.")
@click.option("--allocate", "allocating", is_flag=True, help="Find the pool sizes that make weighted waiting least.")
@click.option("--plot", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Draw a stacked bar.")
@environment_option
@json_option
def command(
    files: tuple[str, ...],
    instances: tuple[str, ...],
    server_limit: int | None,
    reserve: int | None,
    host: str | None,
    allocating: bool,
    plot: Path | None,
    environment: str | None,
    tally_file: Path | None,
    as_json: bool,
) -> int:
    """Add up what services may open at one server, at worst, and say whether it fits.

    FILE is a TOML file ([server], [[services]], [[poolers]]) or a CSV file with a row for each service, or they are
    config files (FILE, FILE#NAME) that have pools; without any the services of the tally are taken.
    docs/pool-budget.md lists the fields. Exit status 1: it does not fit.
    """
    if files and not (len(files) == 1 and Path(files[0]).suffix in {".toml", ".csv"} and not instances):
        server, listed, poolers = _from_files(files, instances, server_limit, reserve)
    elif files:
        server, listed, poolers = read_services(Path(files[0]), limit=server_limit, reserve=reserve)
    else:
        server, listed, poolers = _from_tally(tally_file, environment, host, server_limit, reserve)
    allocation = None
    if allocating:
        direct = [service for service in listed if not service.pooler]
        taken = sum(pooler.server_connections for pooler in poolers)
        allocation = allocate(server, direct, taken=taken)
        listed = allocation.applied(listed)
    budget = make_budget(server, listed, poolers, allocation=allocation)
    if plot is not None:
        from ..pooling.budgeting.plot import save_budget

        save_budget(budget, plot)
    if as_json:
        print_json(budget.to_dict())
    else:
        _print(budget, plot)
    return 0 if budget.fits else 1


def _from_files(
    files: tuple[str, ...], instances: tuple[str, ...], limit: int | None, reserve: int | None
) -> tuple[Server, list[Service], list[Pooler]]:
    """Take the pools that config files declare: a service each."""
    if limit is None:
        raise click.UsageError("a config file does not know the server's limit: give --server-limit")
    counts = {}
    for one in instances:
        name, _, number = one.rpartition("=")
        if not (number.isdigit() and int(number)):
            raise click.UsageError(f"--instances wants a number from 1, or NAME=N: {one}")
        counts[name] = int(number)
    services = []
    for title, settings in pools_in(files):
        file, _, name = title.partition("#")
        count = counts.get(title) or counts.get(name) or counts.get(Path(file).name) or counts.get("", 1)
        size = settings.count("max_size")
        if size is None:
            raise PoolModelError(f"{title}: {settings.library.title} opens as many connections as are asked for")
        services.append(Service(name=title, instances=count, pool_size=size))
    return Server(limit=limit, reserve=reserve or 0), services, []


def _from_tally(
    tally_file: Path | None, environment: str | None, host: str | None, limit: int | None, reserve: int | None
) -> tuple[Server, list[Service], list[Pooler]]:
    """Take the services that the tally lists; the pool size may stand among a cord's options as pool_maximum."""
    from ..tally import load

    tally = load(tally_file)
    if limit is None:
        raise click.UsageError("a tally does not know the server's limit: give --server-limit")
    services, hosts = [], {}
    for name, entry in tally.services.items():
        values = dict(entry)
        cord = tally.cord(str(values.pop("cord", name)), environment=environment)
        address = str(cord.hosts[0].address if cord.hosts else cord.database)
        if host is not None and address != host:
            continue
        values.setdefault("pool_size", _pool_size(cord))
        hosts[name] = f"{cord.engine} at {address}"
        services.append(make_entry(Service, f"{tally.path}: services.{name}", {"name": name, **values}))
    if not services:
        listed = ", ".join(tally.services) or "none"
        told = (
            f"no service there leads to {host}; there are {listed}"
            if host and tally.services
            else ("there is no service in it; write [services.NAME] with cord, instances, pool_size …")
        )
        raise PoolModelError(f"{tally.path}: {told}")
    if len(set(hosts.values())) > 1:
        told = ", ".join(sorted(set(hosts.values())))
        raise PoolModelError(
            f"these services lead to several servers ({told}): choose one with --server or --environment"
        )
    check_services(services, [], str(tally.path))
    return Server(limit=limit, reserve=reserve or 0), services, []


def _pool_size(cord: Cord) -> int:
    found = dict(cord.options).get("pool_maximum", 0)
    return found if isinstance(found, int) else 0


def _print(budget: Budget, plot: Path | None) -> None:
    screen = Screen()
    server = budget.server
    screen.say("it fits" if budget.fits else "it does not fit", "bold green" if budget.fits else "bold red")
    for finding in budget.findings:
        screen.say(f"  {finding}")
    sharers = budget.allocation.shares if budget.allocation is not None else ()
    losing = [share for share in sharers if share.timeout_share >= _TELLING_LOSS]
    for share in losing:
        screen.say(f"  but {show_share(share.timeout_share)} of the requests of {share.name} give up", "yellow")
    screen.say()
    behind = any(row.behind for row in budget.rows)
    several = server.servers > 1
    stages = ["now", "scaled", "deploying", *(["failover"] if several else [])]
    rows = [
        [row.name, *(str(getattr(row, stage)) for stage in stages), *([str(row.behind or "")] if behind else [])]
        for row in budget.rows
    ]
    rows.append(["services", *(str(budget.total(stage)) for stage in stages), *([""] if behind else [])])
    kept = f"{server.left} of {server.limit}"
    rows.append(["server leaves", *([kept] * len(stages)), *([""] if behind else [])])
    heads = ["connections", "now", "autoscaled", "all deploying", *(["a server lost"] if several else [])]
    heads += ["clients behind it"] if behind else []
    screen.table(rows, heads=heads, right=range(1, len(heads)), shrink=0)
    if budget.allocation is not None:
        allocation = budget.allocation
        screen.say()
        screen.say(f"shared so that {show_number(allocation.waiting)} requests (weighted) wait on average", "bold")
        shares = [
            [s.name, str(s.pool_size), str(s.connections), show_seconds(s.mean_wait), show_seconds(s.p99),
             show_share(s.timeout_share)]
            for s in allocation.shares
        ]  # fmt: skip
        heads = ["service", "pool size", "at worst", "mean wait", "p99", "give up"]
        screen.table(shares, heads=heads, right=range(1, 6), shrink=0)
    if plot is not None:
        screen.say(f"drawn: {plot}")
