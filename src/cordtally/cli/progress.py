"""Progress of long work on standard error, where somebody looks at it."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def show_progress(what: str) -> Iterator[Callable[[int, int], None]]:
    """Show a bar while the work goes on; gives a function that is told how much is done, and of how much."""
    if not sys.stderr.isatty():
        yield lambda _done, _total: None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn(what), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)


@contextmanager
def show_count(what: str) -> Iterator[Callable[[int], None] | None]:
    """Show how much is done of what nobody knows the end of; gives a function that is told, None where nobody looks."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import Progress, SpinnerColumn, TextColumn

    columns = (SpinnerColumn(), TextColumn(f"{{task.completed:,}} {what}"))
    with Progress(*columns, console=Console(stderr=True), transient=True) as shown:
        task = shown.add_task(what, total=None)
        yield lambda count: shown.update(task, completed=count)
