"""``cordtally pool replay``: simulate a scenario."""

from __future__ import annotations

import math
import os
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..errors import FieldError, quoted
from ..pooling import show_seconds
from .inputs import json_option
from .output import print_json
from .progress import show_progress
from .screen import Screen

if TYPE_CHECKING:
    from ..pooling.simulation.replay import Estimate, Replay

_SHARES = {
    "served_share": "served",
    "timed_out_share": "timed out",
    "refused_share": "refused",
    "broken_share": "broken",
    "unfinished_share": "still waiting at the end",
    "wait_share": "had to wait",
}
_TIMES = {
    "mean_wait": "mean wait",
    "p50": "p50 of the wait",
    "p95": "p95 of the wait",
    "p99": "p99 of the wait",
    "longest_wait": "longest wait",
}
_ALWAYS = {"served_share", "timed_out_share", "wait_share", "mean_wait", "p50", "p95", "p99", "longest_wait"}


@click.command("replay")
@click.argument("scenario", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--what-if", metavar="KEY=V,V,…", help="Compare values of one key side by side: max_size=8,12,16.")
@click.option("--replications", default=10, show_default=True, metavar="N", help="Independent runs of each case.")
@click.option("--seed", default=1, show_default=True, metavar="N", help="Where all chances come from.")
@click.option("--workers", type=int, metavar="N", help="Processes to run on.  [default: one a core]")
@click.option("--plot-line", type=click.Path(path_type=Path), metavar="FILE", help="Draw one run against time.")
@click.option("--plot-waits", type=click.Path(path_type=Path), metavar="FILE", help="Draw how long requests wait.")
@json_option
def command(
    scenario: Path, what_if: str | None, replications: int, seed: int, workers: int | None, plot_line: Path | None,
    plot_waits: Path | None, as_json: bool,
) -> int:  # fmt: skip
    """Simulate the pools of SCENARIO, a TOML file, several times, and say what comes out, with 95 % intervals.

    docs/pool-rules.md lists the keys of a scenario, and says what each rule means.
    """
    from ..pooling.simulation.replay import replay
    from ..pooling.simulation.scenario_file import read_scenario

    read = read_scenario(scenario)
    variants = _variants(what_if)
    runs = replications * max(1, sum(map(len, variants.values())))
    cores = workers or min(os.cpu_count() or 1, runs)
    with ExitStack() as stack:
        executor = None
        if cores > 1 and read.requests * runs > 400_000:
            from concurrent.futures import ProcessPoolExecutor

            executor = stack.enter_context(ProcessPoolExecutor(cores))
        report = stack.enter_context(show_progress("simulating"))
        found = replay(read, replications=replications, seed=seed, what_if=variants, executor=executor, progress=report)
    drawn = _draw(found, plot_line, plot_waits)
    if as_json:
        print_json(found.to_dict())
    else:
        _print(found, drawn)
    return 0


def _variants(text: str | None) -> dict[str, list[str]]:
    if text is None:
        return {}
    key, mark, values = text.partition("=")
    listed = [value.strip() for value in values.split(",") if value.strip()]
    if not mark or not listed:
        raise FieldError(f"{quoted(text)} compares nothing; write --what-if max_size=8,12,16")
    return {key.strip(): listed}


def _draw(found: Replay, line: Path | None, waits: Path | None) -> list[Path]:
    drawn: list[Path] = []
    if line is None and waits is None:
        return drawn
    from ..pooling.simulation.plot import save_line, save_waits

    if line is not None:
        drawn.append(save_line(found.cases[0], line))
    if waits is not None:
        drawn.append(save_waits(found, waits))
    return drawn


def _print(found: Replay, drawn: list[Path]) -> None:
    from ..pooling.simulation.rules import COUNTED

    screen = Screen()
    first = found.cases[0]
    requests = first.figures["requests"].mean
    runs = f"{found.replications} run{'' if found.replications == 1 else 's'}"
    told = f"{runs} of {show_seconds(first.scenario.duration)}, {requests:,.0f} requests each"
    screen.say(told, "bold")
    screen.say()
    rows: list[list[str]] = []
    wanted = {**_SHARES, **_TIMES, "in_use": "connections in use", "waiting": "requests waiting", **COUNTED}
    for name, called in wanted.items():
        estimates = [case.figures[name] for case in found.cases]
        if name in _ALWAYS or any(e.mean > 0 for e in estimates):
            rows.append([called, *(_shown(name, e) for e in estimates)])
    heads = ["", *(case.name for case in found.cases)]
    screen.table(rows, heads=heads, right=range(1, len(heads)), shrink=0)
    screen.say()
    for note in found.notes:
        screen.say(f"note: {note}", "yellow")
    between = " ± half the width of their 95 % intervals;" if found.replications > 1 else ""
    screen.say(f"means of {runs}{between} seed {found.seed}", "dim")
    for path in drawn:
        screen.say(f"drawn: {path}")


def _shown(name: str, estimate: Estimate) -> str:
    """Write a mean and half the width of its interval in one unit."""
    mean, half = estimate.mean, (estimate.high - estimate.low) / 2
    unit, size = "", 1.0
    if name in _SHARES:
        unit, size = " %", 0.01
    elif name in _TIMES:
        unit, size = next(
            ((f" {u}", s) for u, s in (("s", 1.0), ("ms", 1e-3), ("µs", 1e-6)) if mean >= s), (" ms", 1e-3)
        )
    if half <= 0:
        return f"{mean / size:,.4g}{unit}"
    places = max(0, 1 - math.floor(math.log10(half / size)))
    return f"{mean / size:,.{places}f} ±{half / size:.{places}f}{unit}"
