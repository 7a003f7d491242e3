"""``cordtally pool watch``: show who holds a server's connections, live, and record it."""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path
from time import monotonic, sleep
from typing import TYPE_CHECKING

import click

from ..errors import FieldError
from ..figures import show_rate, show_seconds
from ..model import Cord, Duration
from .connections import CONNECTION_HELP, take_connection, text_options
from .inputs import (
    driver_option,
    environment_option,
    surroundings,
)
from .layout import Line
from .screen import Screen

if TYPE_CHECKING:
    from rich.text import Text

    from ..pooling.watching import Sample, Watch

_BARS = "▁▂▃▄▅▆▇"
_SHOWN = 60
_MOST_HOLDERS = 8


@click.command("watch", epilog=CONNECTION_HELP)
@text_options
@driver_option
@environment_option
@click.option("--every", default="1s", show_default=True, metavar="TIME", help="How often to look.")
@click.option("--for", "lasts", metavar="TIME", help="When to stop.  [default: on Ctrl-C]")
@click.option(
    "--record", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="A new .csv or .parquet."
)
def command(
    text: str | None,
    from_env: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    every: str,
    lasts: str | None,
    record: Path | None,
) -> int:
    """Show who holds a server's connections: active, idle, idle in a transaction, waiting, how near the limit.

    One read-only session looks at the server's own activity view; what that costs is shown. In a pipe one line is
    printed for each look. `cordtally pool fit FILE` reads what is recorded.
    """
    from ..pooling.watching import Watch
    from ..pooling.watching.record import Recorder

    interval = Duration.parse(every).seconds
    if interval < 0.1:
        raise FieldError("--every must be at least 100 ms: looking costs the server something, too")
    end = None if lasts is None else monotonic() + Duration.parse(lasts).seconds
    named = take_connection(text, from_env=from_env, driver=driver, environment=environment, tally_file=tally_file)
    cord = named.cord
    screen = Screen()
    with ExitStack() as stack:
        recorder = None if record is None else stack.enter_context(Recorder(record))
        watch = stack.enter_context(Watch(cord, surroundings=surroundings(named.folder)))
        live = None
        if screen.is_terminal:
            from rich.live import Live

            live = stack.enter_context(Live(auto_refresh=False))
        else:
            screen.say(_HEAD, whole=True)
        try:
            while True:
                begun = monotonic()
                sample = watch.look()
                if recorder is not None:
                    recorder.write(sample)
                if live is not None:
                    live.update(_drawn(screen, _page(screen, cord, watch, interval)), refresh=True)
                else:
                    screen.say(_line(sample), whole=True)
                if end is not None and begun + interval > end:
                    break
                sleep(max(0.0, begun + interval - monotonic()))
        except KeyboardInterrupt:
            pass
    if recorder is not None and record is not None:
        screen.say(f"recorded: {recorder.count} looks in {record}")
    return 0


_HEAD = f"{'open':>6}{'active':>8}{'idle':>6}{'in tx':>7}{'waiting':>9}{'oldest':>10}{'done':>12}{'cost':>10}"


def _line(sample: Sample) -> str:
    seen = sample.activity
    done = "" if sample.rate is None else show_rate(sample.rate)
    return (
        f"{seen.open:>6}{seen.active:>8}{seen.idle:>6}{seen.idle_in_transaction:>7}{seen.waiting:>9}"
        f"{show_seconds(seen.oldest):>10}{done:>12}{show_seconds(sample.cost):>10}"
    )


def _drawn(screen: Screen, lines: list[Line]) -> Text:
    """Give a page in the form that rich shows again and again in one place."""
    from rich.text import Text

    return Text.from_ansi("\n".join(map(screen.drawn, lines)))


def _page(screen: Screen, cord: Cord, watch: Watch, interval: float) -> list[Line]:
    from ..pooling.watching.watch import warnings_of

    sample = watch.history[-1]
    seen = sample.activity
    place = ", ".join(str(host) for host in cord.hosts) or cord.engine
    limit = "no limit" if seen.limit is None else f"of {seen.limit} ({100 * (seen.open + 1) / seen.limit:.0f} %)"
    done = "–" if sample.rate is None else show_rate(sample.rate)
    rows = [
        ["open", f"{seen.open + 1} {limit}", _curve(watch, "open")],
        ["active", str(seen.active), _curve(watch, "active")],
        ["idle", str(seen.idle), _curve(watch, "idle")],
        ["idle in transaction", str(seen.idle_in_transaction), _curve(watch, "idle_in_transaction")],
        ["waiting", str(seen.waiting), _curve(watch, "waiting")],
        ["oldest", show_seconds(seen.oldest), ""],
        ["done", done, ""],
    ]
    holders = [[name or "unnamed", str(count)] for name, count in seen.holders[:_MOST_HOLDERS]]
    if len(seen.holders) > _MOST_HOLDERS:
        holders.append(["others", str(sum(count for _, count in seen.holders[_MOST_HOLDERS:]))])
    share = 100 * sample.cost / interval
    told = f"looking costs {show_seconds(sample.cost)} each {show_seconds(interval)} ({share:.2g} %); Ctrl-C ends"
    return [
        *screen.lines(f"{cord.engine} at {place}", "bold"), Line(),
        *screen.table_lines(rows, heads=("", "now", f"the last {_SHOWN} looks"), right=(1,)), Line(),
        *screen.table_lines(holders, heads=("who", "connections"), right=(1,), shrink=0),
        *(part for warning in warnings_of(sample) for part in screen.lines(f"warning: {warning}", "yellow")), Line(),
        *screen.lines(told, "dim"),
    ]  # fmt: skip


def _curve(watch: Watch, name: str) -> str:
    """Draw the last looks as bars, from 0 to the largest."""
    values = [getattr(sample.activity, name) for sample in list(watch.history)[-_SHOWN:]]
    top = max(values, default=0)
    return "".join(_BARS[round(value / top * (len(_BARS) - 1))] if top else _BARS[0] for value in values)
