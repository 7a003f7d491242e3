"""``cordtally pool vet``: find contradictions in a pool's settings, and mismatches with the server."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from ..errors import FieldError
from ..model import Duration
from ..pooling.settings import PoolSettings, ServerLimits, read_settings, vet_pool
from ..vetting import Finding
from . import completing
from .connections import take_connection
from .inputs import (
    environment_option,
    fail_on_option,
    fails,
    json_option,
    surroundings,
)
from .layout import Line
from .naming import POOL
from .output import SEVERITY_STYLES, print_json
from .pool_convert import take_settings
from .pool_files import pools_in
from .screen import Screen

_LIMIT = 5.0  # seconds that the server may take to answer


@click.command("vet")
@click.argument("settings", nargs=-1, shell_complete=completing.pool_settings)
@click.option(
    "--pool",
    "library",
    type=POOL,
    metavar="POOL",
    help="The pool library: hikaricp, psycopg-pool; a config file tells.",
)
@click.option("--instances", default=1, show_default=True, help="Processes with such a pool.")
@click.option("--server-limit", type=int, metavar="N", help="Connections that the server allows in all.")
@click.option("--reserve", default=0, show_default=True, metavar="N", help="Of those, how many to keep free.")
@click.option("--server-idle-timeout", metavar="TIME", help="When the server ends an idle session.")
@click.option(
    "--dial",
    metavar="WHAT",
    shell_complete=completing.connections,
    help="Ask the server itself: a connection string, - or @FILE, or a cord.",
)
@environment_option
@fail_on_option
@json_option
def command(
    settings: tuple[str, ...],
    library: str | None,
    instances: int,
    server_limit: int | None,
    reserve: int,
    server_idle_timeout: str | None,
    dial: str | None,
    environment: str | None,
    tally_file: Path | None,
    fail_on: str,
    as_json: bool,
) -> int:
    """Find what is wrong in SETTINGS of a pool: NAME=VALUE …, @FILE, or a config FILE (FILE#NAME) that has a pool.

    What is not set has the library's default.
    """
    if instances < 1:
        raise FieldError("--instances must be at least 1")
    pools = [(None, settings_of(library, settings))] if library is not None else pools_in(settings)
    limits = _limits(dial, environment, tally_file, server_limit, reserve, server_idle_timeout)
    every = list[Finding]()
    for title, read_in in pools:
        found = vet_pool(read_in, instances=instances, server=limits)
        every += [finding if title is None else replace(finding, source=title) for finding in found]
        if not as_json:
            if title is not None:
                Screen().say(title, "bold", whole=True)
            _print(found, read_in.library.title)
    if as_json:
        library = pools[0][1].library.id
        print_json({"schema": "cordtally/pool-vet/1", "pool": library, "findings": [f.to_dict() for f in every]})
    return fails([finding.severity for finding in every], fail_on)


def settings_of(library: str, settings: tuple[str, ...]) -> PoolSettings:
    """The settings of a library, as they were given."""
    return read_settings(library, take_settings(settings, library))


def _limits(
    dial: str | None,
    environment: str | None,
    tally_file: Path | None,
    limit: int | None,
    reserve: int,
    idle: str | None,
) -> ServerLimits:
    """What was given; what was not, the server tells."""
    ends = None if idle is None else Duration.parse(idle).seconds
    if dial is None:
        return ServerLimits(connections=limit, reserve=reserve, idle_timeout=ends)
    from ..servers import Deadline, ask_capacity

    named = take_connection(dial, environment=environment, tally_file=tally_file)
    capacity = ask_capacity(named.cord, Deadline(_LIMIT), surroundings(named.folder))
    return ServerLimits(
        connections=limit if limit is not None else capacity.limit,
        reserve=reserve or capacity.reserve,
        idle_timeout=ends if ends is not None else capacity.idle_timeout,
    )


def _print(findings: tuple[Finding, ...], title: str) -> None:
    screen = Screen()
    if not findings:
        screen.say(f"nothing found in these settings of {title}", "green")
    for finding in findings:
        head = Line(f"{finding.severity.value:<8}", SEVERITY_STYLES[finding.severity])
        screen.say(head.append(finding.rule.value, "bold"))
        screen.say(f"    {finding.message}")
        screen.say(f"    {finding.hint}", "dim")
