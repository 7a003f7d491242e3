"""``cordtally pool size``: find the smallest pool that meets a target."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import click

from ..errors import FieldError, quoted
from ..figures import show_seconds, show_share
from ..model import Duration
from ..pooling import (
    Contention,
    PoolLoad,
    PoolRow,
    PoolSizing,
    hold_from_percentiles,
    parse_rate,
    parse_target,
    size_pool,
)
from .inputs import json_option
from .layout import Line
from .output import print_json
from .screen import Screen

_PERCENTILE = re.compile(r"p(\d{1,2}(?:\.\d{1,6})?)=(.+)", re.ASCII)
_COEFFICIENT = re.compile(r"(alpha|beta)=(\d*\.?\d+(?:[eE]-?\d+)?)", re.ASCII)
_CALLED = {
    "arrivals": "requests",
    "hold": "hold time",
    "hold_cv": "variation of the holds",
    "arrival_cv": "variation of the gaps",
    "contention": "contention",
}
_FIGURES: dict[str, Callable[[PoolRow], str]] = {
    "size": lambda row: str(row.size),
    "total": lambda row: str(row.total),
    "used": lambda row: f"{100 * row.utilisation:.0f} %",
    "waits": lambda row: show_share(row.wait_share),
    "mean": lambda row: show_seconds(row.mean_wait),
    "p50": lambda row: show_seconds(row.p50),
    "p95": lambda row: show_seconds(row.p95),
    "p99": lambda row: show_seconds(row.p99),
    "give up": lambda row: show_share(row.timeout_share),
    "hold": lambda row: show_seconds(row.hold),
}  # with all but one of them a line has 80 columns


@click.command("size")
@click.option("--arrivals", metavar="RATE", help="Requests for a connection in all: 120/s, 2.5k/min.")
@click.option("--peak-factor", type=float, metavar="X", help="Busiest rate over the rate given.  [default: 1]")
@click.option("--arrivals-cv", type=float, metavar="X", help="Variation of the gaps between requests.  [default: 1]")
@click.option("--hold", metavar="TIME", help="Mean time a request holds its connection: 35ms.")
@click.option("--hold-cv", type=float, metavar="X", help="Standard deviation of the hold over its mean.  [default: 1]")
@click.option("--hold-percentiles", metavar="pNN=TIME,…", help="In place of --hold: p50=20ms,p95=120ms.")
@click.option("--hold-samples", type=click.Path(path_type=Path), metavar="FILE", help="In place of --hold: CSV.")
@click.option("--fit", type=click.Path(path_type=Path), metavar="FILE", help="Take the load from a file of `pool fit`.")
@click.option("--instances", type=int, help="Processes with a pool of their own.  [default: 1]")
@click.option("--threads", type=int, metavar="N", help="Threads of each instance, where only they can ask.")
@click.option("--acquire-timeout", metavar="TIME", help="When a waiting request gives up: 250ms.")
@click.option("--contention", metavar="alpha=X,beta=Y", help="How the server slows with the number active.")
@click.option("--server-limit", type=int, metavar="N", help="Connections that the server allows in all.")
@click.option("--reserve", default=0, show_default=True, metavar="N", help="Of those, how many to keep free.")
@click.option("--wait-target", metavar="TIME@pNN", help="How long to wait at most.  [default: 5ms@p99]")
@click.option("--timeout-target", metavar="SHARE", help="Which share may give up at most: 0.1%.")
@click.option(
    "--plot", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Draw waits against size."
)
@json_option
def command(
    server_limit: int | None,
    reserve: int,
    wait_target: str | None,
    timeout_target: str | None,
    hold_samples: Path | None,
    fit: Path | None,
    plot: Path | None,
    as_json: bool,
    **given: Any,  # noqa: ANN401 -- the options that make up the load
) -> int:
    """Find the smallest pool per instance that meets a target, and say why not one smaller.

    The queue that fits the load is picked and named: docs/pool-size.md says which when.
    """
    if wait_target is not None and timeout_target is not None:
        raise click.UsageError("give one target: --wait-target or --timeout-target")
    target = parse_target(timeout_target or wait_target or "5ms@p99")
    load, samples = _load(given, fit, hold_samples)
    if samples is not None:
        from ..pooling.sizing.samples import size_samples

        sizing = size_samples(load, target, *samples, server_limit=server_limit, reserve=reserve)
    else:
        sizing = size_pool(load, target, server_limit=server_limit, reserve=reserve)
    if plot is not None:
        from ..pooling.sizing.plot import save_plot

        save_plot(sizing, plot)
    if as_json:
        print_json(sizing.to_dict())
    else:
        _print(sizing, plot)
    return 0 if sizing.recommended is not None else 1


def _load(given: dict[str, Any], fit: Path | None, samples_file: Path | None) -> tuple[PoolLoad, Any]:
    """Make the load of what was given; options replace what a fit says."""
    fields: dict[str, Any] = {}
    if fit is not None:
        from ..pooling.fitting import read_fit

        fields = read_fit(fit).load_fields()
    holds = [name for name in ("hold", "hold_percentiles") if given[name] is not None]
    if len(holds) + (samples_file is not None) > 1:
        raise click.UsageError("give the hold once: --hold, --hold-percentiles or --hold-samples")
    samples = None
    if given["hold"] is not None:
        fields |= {"hold": _seconds("--hold", given["hold"]), "hold_cv": 1.0}
    elif given["hold_percentiles"] is not None:
        mean, cv = hold_from_percentiles(_percentiles(given["hold_percentiles"]))
        fields |= {"hold": mean, "hold_cv": cv}
    elif samples_file is not None:
        from ..pooling.tables import find_column, read_table, times

        table = read_table(samples_file)
        has_times = find_column(table, ["time"]) is not None
        samples = (times(table, "hold"), times(table, "time") if has_times and given["arrivals"] is None else None)
        fields |= {"hold": max(float(samples[0].mean()), 1e-12)}
        if samples[1] is not None:
            fields["arrivals"] = 1.0
    if given["arrivals"] is not None:
        fields["arrivals"] = parse_rate(given["arrivals"])
    for option, name in (("peak_factor", "peak_factor"), ("arrivals_cv", "arrival_cv"), ("hold_cv", "hold_cv"),
                         ("instances", "instances"), ("threads", "threads")):  # fmt: skip
        if given[option] is not None:
            fields[name] = given[option]
    if given["acquire_timeout"] is not None:
        fields["acquire_timeout"] = _seconds("--acquire-timeout", given["acquire_timeout"])
    if given["contention"] is not None:
        fields["contention"] = _contention(given["contention"])
    missing = [name for name in ("arrivals", "hold") if name not in fields]
    if missing:
        raise click.UsageError(f"--{missing[0]} is missing, or a file of `pool fit` that tells it")
    return PoolLoad(**fields), samples


def _seconds(option: str, text: str) -> float:
    try:
        duration = Duration.parse(text)
    except FieldError as error:
        raise FieldError(f"{option}: {error}") from None
    return math.inf if duration.nanoseconds is None else duration.seconds


def _percentiles(text: str) -> dict[float, float]:
    found = {}
    for part in text.split(","):
        match = _PERCENTILE.fullmatch(part.strip())
        if match is None:
            raise FieldError(f"{quoted(part)} is not a percentile; write p50=20ms,p95=120ms")
        found[float(match[1]) / 100] = _seconds("--hold-percentiles", match[2])
    return found


def _contention(text: str) -> Contention:
    found = {}
    for part in text.split(","):
        match = _COEFFICIENT.fullmatch(part.strip())
        if match is None:
            raise FieldError(f"{quoted(part)} is not a coefficient; write alpha=0.02,beta=0.0003")
        found[match[1]] = float(match[2])
    return Contention(**found)


def _print(sizing: PoolSizing, plot: Path | None) -> None:
    screen = Screen()
    load = sizing.load
    each = " per instance" if load.instances > 1 else ""
    if sizing.recommended is None:
        screen.say("no pool size can do this", "bold red")
    else:
        screen.say(f"pool size {sizing.recommended}{each}", "bold green")
    for reason in sizing.reasons:
        screen.say(f"  {reason}")
    if sizing.headroom:
        screen.say("  " + _bears(sizing))
    screen.say()
    patient = math.isfinite(load.acquire_timeout)
    screen.say(f"target: {sizing.target}")
    left_out = {"give up": not patient, "hold": not load.contention, "mean": patient and bool(load.contention)}
    heads = [head for head in _FIGURES if not left_out.get(head)]
    rows = [_row(row, heads, recommended=row.size == sizing.recommended) for row in sizing.rows]
    screen.table(rows, heads=[*heads, "met"], right=range(len(heads)))
    screen.say()
    screen.say(f"model: {sizing.model}: {sizing.why_model}.", "dim")
    for caution in sizing.cautions:
        screen.say(f"note: {caution}", "yellow")
    if plot is not None:
        screen.say(f"drawn: {plot}")


def _bears(sizing: PoolSizing) -> str:
    told = [
        f"{show_share(headroom.factor - 1)} more {_CALLED[headroom.name]}"
        for headroom in sizing.headroom
        if math.isfinite(headroom.factor)
    ]
    if not told:
        return "it bears 16 times as much and more of any of these"
    return ", ".join([f"it bears {told[0]} (most sensitive)", *told[1:]])


def _row(row: PoolRow, heads: Sequence[str], *, recommended: bool) -> list[str | Line]:
    mark = "yes ←" if recommended else "yes" if row.meets else "no"
    shown = [*(_FIGURES[head](row) for head in heads), mark]
    return [Line(cell, "bold green" if recommended else "") for cell in shown]
