"""``cordtally pool measure``: put load on a real server, and find its knee."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..figures import show_rate, show_seconds
from ..model import Cord, Duration
from ..pooling import show_coefficient
from .connections import CONNECTION_HELP, take_connection, text_options
from .inputs import (
    driver_option,
    environment_option,
    json_option,
    surroundings,
)
from .output import print_json
from .progress import show_progress
from .screen import Screen, clean

if TYPE_CHECKING:
    from ..pooling.measuring import Measurement, Plan


@click.command("measure", epilog=CONNECTION_HELP)
@text_options
@driver_option
@environment_option
@click.option("--statement", metavar="SQL", help="What each request runs.  [default: one that does nothing]")
@click.option("--most-connections", default=16, show_default=True, metavar="N", help="How far to go up.")
@click.option("--step-time", default="2s", show_default=True, metavar="TIME", help="How long each step takes.")
@click.option("--pool-size", type=int, metavar="N", help="Measure waits with a pool of this size, too.")
@click.option("--utilisation", default=0.7, show_default=True, help="How busy that pool is to be.")
@click.option("--statement-limit", default="5s", show_default=True, metavar="TIME", help="When a statement is ended.")
@click.option("--allow-writes", is_flag=True, help="Let the statement change data.")
@click.option("--yes", is_flag=True, help="Do not ask.")
@click.option("--record", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Write steps as CSV.")
@click.option("--plot", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Draw the steps.")
@json_option
def command(
    text: str | None,
    from_env: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    statement: str | None,
    most_connections: int,
    step_time: str,
    pool_size: int | None,
    utilisation: float,
    statement_limit: str,
    allow_writes: bool,
    yes: bool,
    record: Path | None,
    plot: Path | None,
    as_json: bool,
) -> int:
    """Step concurrency up at a real server, measure throughput and latency, and find the knee.

    Sessions are read-only unless --allow-writes is given, every one is closed at the end, and nothing is left behind.
    PostgreSQL, MySQL, MariaDB, Redis, SQLite.
    """
    from ..pooling.measuring import Plan, measure
    from ..servers import server_for

    named = take_connection(text, from_env=from_env, driver=driver, environment=environment, tally_file=tally_file)
    cord = named.cord
    plan = Plan(
        statement=statement or server_for(cord.engine).STATEMENT,
        most_connections=most_connections,
        seconds=Duration.parse(step_time).seconds,
        pool_size=pool_size,
        utilisation=utilisation,
        statement_limit=Duration.parse(statement_limit).seconds,
        writes=allow_writes,
    )
    _announce(cord, plan)
    if not yes:
        if not sys.stdin.isatty():
            raise click.UsageError("this puts load on a server: give --yes where nobody can be asked")
        click.confirm("go on?", abort=True, err=True)
    with show_progress("measuring") as report:
        measured = measure(cord, plan, surroundings=surroundings(named.folder), progress=report)
    if record is not None:
        measured.to_frame().to_csv(record, index=False)
    if plot is not None:
        from ..pooling.measuring.plot import save_measurement

        save_measurement(measured, plot)
    if as_json:
        print_json(measured.to_dict())
    else:
        _print(measured, [path for path in (record, plot) if path is not None])
    return 0


def _announce(cord: Cord, plan: Plan) -> None:
    place = ", ".join(str(host) for host in cord.hosts) or str(cord.database)
    screen = Screen(err=True)
    how = "may change data" if plan.writes else "read-only"
    screen.say(f"{cord.engine} at {clean(place)}: {clean(plan.statement)}", "bold")
    told = f"  {len(plan.steps)} steps of {show_seconds(plan.seconds)}, 1 to {plan.most_connections} connections, {how}"
    screen.say(f"{told}; about {show_seconds(plan.lasts)} in all")


def _print(found: Measurement, written: list[Path]) -> None:
    screen = Screen()
    rows = [
        [str(s.concurrency), show_rate(s.throughput), show_seconds(s.p50), show_seconds(s.p95), show_seconds(s.p99)]
        for s in found.steps
    ]
    heads = ("active", "throughput", "p50", "p95", "p99 of a statement")
    screen.table(rows, heads=heads, right=range(5))
    screen.say()
    law = found.law
    if law is not None:
        if found.knee is None:
            screen.say(f"no knee up to {found.steps[-1].concurrency} connections", "bold green")
            screen.say("  more of them still do more work than they slow each other down: measure with more")
        else:
            screen.say(f"knee at {found.knee} active over all clients", "bold green")
            screen.say("  beyond it each request takes longer faster than more of them are done")
        peak = f"most work with {found.peak:.0f} active" if found.peak else "no peak seen"
        alpha, beta = show_coefficient(law.alpha, law.alpha_interval), show_coefficient(law.beta, law.beta_interval)
        screen.say(f"  {peak}; alpha {alpha}, beta {beta}")
        screen.say()
    if found.comparisons and found.arrivals is not None:
        told = f"waits with a pool of {found.pool_size}, {show_rate(found.arrivals)} at random instants"
        screen.say(told, "bold")
        waits = [
            [
                c.name,
                show_seconds(c.measured),
                show_seconds(c.predicted),
                f"{show_seconds(c.low)} to {show_seconds(c.high)}",
            ]
            for c in found.comparisons
        ]
        screen.table(waits, heads=("", "measured", "predicted", "9 of 10 such runs"), right=(1, 2, 3))
    for note in found.notes:
        screen.say(f"note: {note}", "yellow")
    for path in written:
        screen.say(f"written: {path}")
