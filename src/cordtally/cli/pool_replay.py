"""``cordtally pool replay``: simulate a scenario."""

from __future__ import annotations

import math
import os
import sys
from contextlib import ExitStack, contextmanager
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..errors import FieldError, quoted
from ..figures import show_number, show_seconds, show_share
from .inputs import json_option
from .output import print_json
from .progress import show_progress
from .screen import Screen

if TYPE_CHECKING:
    from collections.abc import Iterator
    from concurrent.futures import Executor

    from ..pooling.simulation.replay import Estimate, Replay
    from ..pooling.simulation.scenario import Scenario

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
    with ExitStack() as stack:
        cold = stack.enter_context(_uncompiled())
        from ..pooling.simulation.replay import replay
        from ..pooling.simulation.scenario_file import read_scenario

        read = read_scenario(scenario)
        variants = _variants(what_if)
        runs = replications * max(1, sum(map(len, variants.values())))
        cores = workers or min(os.cpu_count() or 1, runs)
        executor: Executor | None = None
        compiling = cold and read.requests * runs > _QUICK_UNCOMPILED
        if compiling or (not cold and cores > 1 and read.requests * runs > 400_000):
            from concurrent.futures import ProcessPoolExecutor
            from multiprocessing import get_context

            # a process that begins anew where this one is left uncompiled
            context = get_context("spawn") if compiling else None
            executor = stack.enter_context(ProcessPoolExecutor(cores, context))
        report = stack.enter_context(show_progress("simulating"))
        if compiling and executor is not None:
            _compile_once(executor, read, seed)
        found = replay(read, replications=replications, seed=seed, what_if=variants, executor=executor, progress=report)
    drawn = _draw(found, plot_line, plot_waits)
    if as_json:
        print_json(found.to_dict())
    else:
        _print(found, drawn)
    return 0


_QUICK_UNCOMPILED = 600_000
"""Requests that are simulated in less time than compiling takes: some 75,000 a second, as they stand."""
_SIMULATION = "cordtally.pooling.simulation.accelerating"


@contextmanager
def _uncompiled() -> Iterator[bool]:
    """Leave the simulation as it stands in this process, where it was never compiled; gives whether that is so."""
    name = "NUMBA_DISABLE_JIT"
    cold = name not in os.environ and _SIMULATION not in sys.modules and find_spec("numba") is not None
    if not (cold and not _is_compiled()):
        yield False
        return
    os.environ[name] = "1"
    try:
        yield True
    finally:
        os.environ.pop(name, None)


def _is_compiled() -> bool:
    """Whether an earlier run left machine code on disk, beside the source or where Numba was told to."""
    from ..pooling import simulation

    folders = [Path(simulation.__file__ or "").parent / "__pycache__"]
    if told := os.environ.get("NUMBA_CACHE_DIR"):
        folders.append(Path(told))
    return any(next(folder.rglob("*.nbc"), None) is not None for folder in folders if folder.is_dir())


def _compile_once(executor: Executor, scenario: Scenario, seed: int) -> None:
    """Let one worker compile, before there are others, each of which would do it for itself; and run once meanwhile."""
    import numpy as np

    from ..pooling.simulation.replay import run_once

    os.environ.pop("NUMBA_DISABLE_JIT", None)
    screen = Screen(err=True)
    screen.say("compiling the simulation, once: some 20 s; later runs begin at once", "dim")
    compiled = executor.submit(run_once, scenario, np.random.SeedSequence(0))
    if scenario.requests <= _QUICK_UNCOMPILED:
        figures = run_once(scenario, np.random.SeedSequence(seed).spawn(1)[0]).figures
        lost = show_share(figures["timed_out_share"])
        screen.say(f"a first run: p95 of the wait {show_seconds(figures['p95'])}, {lost} timed out", "dim")
    compiled.result()


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
        return f"{show_number(mean / size, 4)}{unit}"
    places = max(0, 1 - math.floor(math.log10(half / size)))
    return f"{mean / size:,.{places}f} ±{half / size:.{places}f}{unit}"
