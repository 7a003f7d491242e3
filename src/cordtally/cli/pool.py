"""``cordtally pool``: size connection pools."""

from __future__ import annotations

from pathlib import Path

import click
from rich.text import Text

from ..model import Duration
from ..pooling import PoolLoad, PoolRow, PoolSizing, WaitTarget, parse_rate, show_seconds, size_pool
from .inputs import json_option
from .output import make_console, make_table, print_json


@click.group("pool")
def command() -> None:
    """Size connection pools."""


@command.command("size")
@click.option("--arrivals", required=True, metavar="RATE", help="Requests for a connection in all: 120/s, 2.5k/min.")
@click.option("--hold", required=True, metavar="TIME", help="Mean time a request holds its connection: 35ms.")
@click.option("--instances", default=1, show_default=True, help="Processes with a pool of their own.")
@click.option("--server-limit", type=int, metavar="N", help="Connections that the server allows in all.")
@click.option("--reserve", default=0, show_default=True, metavar="N", help="Of those, how many to keep free.")
@click.option(
    "--wait-target", default="5ms@p99", show_default=True, metavar="TIME@pNN", help="How long to wait at most."
)
@click.option(
    "--plot", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Draw waits against size."
)
@json_option
def size(
    arrivals: str,
    hold: str,
    instances: int,
    server_limit: int | None,
    reserve: int,
    wait_target: str,
    plot: Path | None,
    as_json: bool,
) -> int:
    """Find the smallest pool per instance that keeps waits within the target, and say why not one smaller."""
    load = PoolLoad(arrivals=parse_rate(arrivals), hold=Duration.parse(hold).seconds, instances=instances)
    sizing = size_pool(load, WaitTarget.parse(wait_target), server_limit=server_limit, reserve=reserve)
    if plot is not None:
        from ..pooling.plot import save_plot

        save_plot(sizing, plot)
    if as_json:
        print_json(sizing.to_dict())
    else:
        _print(sizing, plot)
    return 0 if sizing.recommended is not None else 1


def _print(sizing: PoolSizing, plot: Path | None) -> None:
    console = make_console()
    load = sizing.load
    if sizing.recommended is None:
        console.print(Text("no pool size can do this", style="bold red"))
    else:
        each = " per instance" if load.instances > 1 else ""
        console.print(Text(f"pool size {sizing.recommended}{each}", style="bold green"))
    for reason in sizing.reasons:
        console.print(Text(f"  {reason}"))
    console.print()
    heads = ("size", "in all", "used", "must wait", "mean", "p50", "p95", "p99", str(sizing.target))
    rows = [_row(row, recommended=row.size == sizing.recommended) for row in sizing.rows]
    console.print(make_table(rows, heads=heads, right=range(8)))
    console.print()
    told = "Requests arrive at random, one by one, and wait their turn; bursts and very unequal holds wait longer."
    console.print(Text(f"model: {sizing.model}. {told}", style="dim"))
    if plot is not None:
        console.print(Text(f"drawn: {plot}"))


def _row(row: PoolRow, *, recommended: bool) -> list[str | Text]:
    shown = [str(row.size), str(row.total), f"{100 * row.utilisation:.0f} %", f"{100 * row.wait_share:.2g} %"]
    shown += [show_seconds(t) for t in (row.mean_wait, row.p50, row.p95, row.p99)]
    mark = "met  ←" if recommended else "met" if row.meets else "not met"
    return [Text(cell, style="bold green" if recommended else "") for cell in [*shown, mark]]
