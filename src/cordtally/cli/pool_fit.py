"""``cordtally pool fit``: take rates, holds and contention from a record."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..errors import FieldError, quoted
from ..figures import show_number, show_rate, show_seconds, show_share
from ..pooling import show_coefficient
from .inputs import json_option
from .output import print_json
from .screen import Screen

if TYPE_CHECKING:
    from ..pooling.fitting.arrivals import ArrivalFit
    from ..pooling.fitting.fit import PoolFit
    from ..pooling.fitting.holds import HoldFit
    from ..pooling.fitting.scalability import ScalabilityFit


@click.command("fit")
@click.argument("record", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--columns", metavar="NAME=COLUMN,…", help="What columns are called here: time=ts,hold_ms=took.")
@click.option("--pattern", metavar="REGEX", help="For lines of text: (?P<time>…) and (?P<hold_ms>…) as named groups.")
@click.option("--plot", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Draw what was fitted.")
@json_option
def command(record: Path, columns: str | None, pattern: str | None, plot: Path | None, as_json: bool) -> int:
    """Say what RECORD tells of arrivals, holds and contention, and what it hides.

    RECORD is a trace or request log with columns time and hold (and wait, outcome); or a series with concurrency and
    throughput; or what `pool watch` recorded. CSV, Parquet, or JSON lines. `--json` writes
    what `pool size --fit` reads.
    """
    from ..pooling.fitting import fit_pool

    fit = fit_pool(record, pattern=pattern, columns=_columns(columns))
    if plot is not None:
        from ..pooling.fitting.plot import save_fit

        save_fit(fit, plot)
    if as_json:
        print_json(fit.to_dict())
    else:
        _print(fit, plot)
    return 0


def _columns(text: str | None) -> dict[str, str]:
    pairs = [part.partition("=") for part in text.split(",")] if text else []
    for name, mark, column in pairs:
        if not (name and mark and column):
            raise FieldError(f"{quoted(text)} names no columns; write --columns time=ts,hold_ms=took")
    return {name.strip(): column.strip() for name, _, column in pairs}


def _print(fit: PoolFit, plot: Path | None) -> None:
    screen = Screen()
    if fit.arrivals is not None:
        _print_arrivals(screen, fit.arrivals)
    if fit.holds is not None:
        _print_holds(screen, fit.holds)
    if fit.in_use is not None:
        screen.say(f"in use  {show_number(fit.in_use)} connections on average (Little's law)")
    if fit.scalability is not None:
        _print_law(screen, fit.scalability)
    screen.say()
    for warning in fit.warnings:
        screen.say(f"warning: {warning}", "yellow")
    if plot is not None:
        screen.say(f"drawn: {plot}")


def _print_arrivals(screen: Screen, arrivals: ArrivalFit) -> None:
    screen.say("arrivals", "bold")
    peak = f"{arrivals.peak_factor:.2f} times that" if arrivals.peak_factor > 1 else "no more than chance makes"
    hang = abs(arrivals.autocorrelation) > arrivals.autocorrelation_bound
    beyond = "beyond" if hang else "within"
    rows = [
        ["rate", f"{show_rate(arrivals.rate)} on average"],
        ["peak", f"{peak}, in windows of {show_seconds(arrivals.window)}"],
        ["gaps", f"cv {arrivals.cv:.3g} (1 where many independent clients ask)"],
        ["counts", f"vary {show_number(arrivals.dispersion[0])} times as much as at random; "
                   f"{show_number(arrivals.dispersion[1])} times over {show_seconds(10 * arrivals.window)}"],
        ["autocorrelation", f"{arrivals.autocorrelation:+.2f} between neighbouring windows, {beyond} "
                            f"±{arrivals.autocorrelation_bound:.2f} of chance"],
    ]  # fmt: skip
    if len(arrivals.by_slot) > 1:
        start, rate = max(arrivals.by_slot, key=lambda slot: slot[1])
        slot = show_seconds(arrivals.slot)
        rows.append(["busiest", f"{show_rate(rate)} in the {slot} that begin {show_seconds(start)} after the first"])
    screen.table([["  " + name, text] for name, text in rows])


def _print_holds(screen: Screen, holds: HoldFit) -> None:
    screen.say("holds", "bold")
    low, high = holds.mean_interval
    rows = [
        ["mean", f"{show_seconds(holds.mean)} ({show_seconds(low)} to {show_seconds(high)})"],
        ["cv", f"{holds.cv:.3g} ({holds.cv_interval[0]:.2g} to {holds.cv_interval[1]:.2g})"],
        ["percentiles", ", ".join(f"{name} {show_seconds(time)}" for name, time in holds.percentiles.items())],
        ["tail", f"index {holds.tail_index:.2g} (below 2 the variance means nothing); the longest 1 % make "
                 f"{show_share(holds.top_share)} of the sum of squares"],
    ]  # fmt: skip
    if holds.families:
        best = holds.families[0]
        others = ", ".join(f"{f.name} {f.distance:.3f}" for f in holds.families[1:])
        rows.append(["nearest", f"{best.name}, at most {best.distance:.3f} off its distribution ({others})"])
    screen.table([["  " + name, text] for name, text in rows])


def _print_law(screen: Screen, law: ScalabilityFit) -> None:
    screen.say("server (Universal Scalability Law)", "bold")

    rows = [
        [
            "gamma",
            f"{show_rate(law.gamma)} with one active ({' to '.join(map(show_number, law.gamma_interval))})",
        ],
        ["alpha", f"{show_coefficient(law.alpha, law.alpha_interval)}: the share that is done one at a time"],
        ["beta", f"{show_coefficient(law.beta, law.beta_interval)}: the cost of agreeing with each other"],
        [
            "peak",
            f"most work with {law.peak:.0f} active" if law.peak else f"none seen up to {law.most_measured:g} active",
        ],
        ["fit", f"{law.count} points, typically {show_share(law.error)} off"],
    ]
    screen.table([["  " + name, text] for name, text in rows])
