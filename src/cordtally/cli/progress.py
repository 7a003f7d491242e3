"""Progress of long work on standard error, where somebody looks at it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from .output import make_console


@contextmanager
def show_progress(what: str) -> Iterator[Callable[[int, int], None]]:
    """Show a bar while the work goes on; gives a function that is told how much is done, and of how much."""
    console = make_console(err=True)
    if not console.is_terminal:
        yield lambda _done, _total: None
        return
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn(what), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console, transient=True) as bar:
        task = bar.add_task(what, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)
