"""How several dials are shown: side by side in a table that fills, one after the other until one answers, or often."""

from __future__ import annotations

import math
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING

from ..dialing import DialResult, dial_repeatedly, dial_until
from ..figures import show_seconds
from .dial_told import in_one_line
from .layout import Line
from .screen import Screen, clean

if TYPE_CHECKING:
    from rich.table import Table

_BARS = " ▁▂▃▄▅▆▇█"
_PLAIN_BARS = " .:-=+*#@"


def print_table(screen: Screen, titles: Sequence[str], results: Sequence[DialResult]) -> None:
    """Print a line for each dial, and what to do about those that broke."""
    screen.table([_row(title, one) for title, one in zip(titles, results, strict=True)], right=(2,), shrink=3)
    broken = [(title, one) for title, one in zip(titles, results, strict=True) if one.diagnosis is not None]
    hints: dict[str, list[str]] = {}
    for title, one in broken:
        assert one.diagnosis is not None
        hints.setdefault(one.diagnosis.hint, []).append(title)
    screen.say()
    for hint, named in hints.items():
        screen.say(Line(f"{', '.join(map(clean, named))}: ", "bold").append(clean(hint)), hang=2)
    held = len(results) - len(broken)
    screen.say(f"{held:,} of {len(results):,} answer", "bold green" if not broken else "bold red")


def _row(title: str, one: DialResult) -> list[str | Line]:
    sign = Line("✓", "green") if one.held else Line("✗", "bold red")
    return [sign, clean(title), show_seconds(one.seconds), clean(in_one_line(one))]


@contextmanager
def live_table(titles: Sequence[str]) -> Iterator[Callable[[int, DialResult], None] | None]:
    """Show a table that fills while dials go on, on a terminal; it is gone when they have ended."""
    if not sys.stdout.isatty():
        yield None
        return
    from rich.console import Console
    from rich.live import Live

    ended: dict[int, DialResult] = {}
    with Live(_drawn(titles, ended), console=Console(), transient=True, refresh_per_second=8) as live:

        def tell(number: int, result: DialResult) -> None:
            ended[number] = result
            live.update(_drawn(titles, ended))

        yield tell


def _drawn(titles: Sequence[str], ended: dict[int, DialResult]) -> Table:
    from rich.table import Table
    from rich.text import Text

    table = Table(box=None, show_header=False, pad_edge=False)
    for number, title in enumerate(titles):
        one = ended.get(number)
        sign = Text("·", "dim") if one is None else Text("✓", "green") if one.held else Text("✗", "bold red")
        told = Text("…", "dim") if one is None else Text(clean(in_one_line(one)))
        told.no_wrap, told.overflow = True, "ellipsis"
        table.add_row(sign, Text(clean(title)), told)
    return table


def wait(screen: Screen, attempt: Callable[[], DialResult], seconds: float, *, quiet: bool) -> DialResult:
    """Dial until it answers, with a line for each try."""

    def tell(number: int, result: DialResult) -> None:
        if not quiet:
            screen.say(f"try {number:>3}  {clean(in_one_line(result))}", hang=9)

    return dial_until(attempt, seconds, tell)


def repeat(
    screen: Screen, attempt: Callable[[], DialResult], count: int, every: float, *, quiet: bool
) -> list[tuple[float, DialResult]]:
    """Dial several times, with a line for each that breaks; give each with the time at which it began (s)."""
    results = []
    for number, (began, result) in enumerate(dial_repeatedly(attempt, count, every), 1):
        results.append((began, result))
        if not quiet and not result.held:
            screen.say(f"try {number:>3}  {clean(in_one_line(result))}", "red", hang=9)
    return results


def print_repeated(screen: Screen, results: Sequence[DialResult]) -> None:
    """Print how long connecting and asking took over several dials, with a time line."""
    held = [one for one in results if one.held]
    rows = []
    for name, times in (("to connect", [one.connecting for one in held]), ("a round trip", _trips(held))):
        if times:
            times.sort()
            shown = [times[0], times[len(times) // 2], times[min(len(times) - 1, int(len(times) * 0.99))], times[-1]]
            rows.append([name, *map(show_seconds, shown)])
    if rows:
        screen.table(rows, heads=["", "least", "median", "p99", "most"], right=range(1, 5))
        screen.say()
    bars = _PLAIN_BARS if screen.fitting(_BARS) != _BARS else _BARS
    times = [one.connecting for one in held]
    least, most = min(times, default=0.0), max(times, default=0.0)
    line = "".join(_bar(one, least, most, bars) for one in results)
    width = max(10, screen.width - 2)
    for start in range(0, len(line), width):
        screen.say(Line("  " + line[start : start + width]), whole=True)
    screen.say(
        f"  each sign is a dial, as high as connecting took, {show_seconds(least)} to {show_seconds(most)}; x broke",
        "dim",
        hang=2,
    )
    broken = len(results) - len(held)
    told = f"{len(held):,} of {len(results):,} dials answered"
    screen.say(told, "bold red" if broken else "bold green")


def _trips(results: Sequence[DialResult]) -> list[float]:
    return [seconds for one in results if one.round_trips is not None for seconds in one.round_trips.seconds]


def _bar(one: DialResult, least: float, most: float, bars: str) -> str:
    """A sign by the logarithm of a time: one slow dial does not make all others look alike."""
    if not one.held:
        return "x"
    share = math.log(one.connecting / least) / math.log(most / least) if 0 < least < most else 0.0
    return bars[1 + min(len(bars) - 2, int((len(bars) - 1) * share))]
