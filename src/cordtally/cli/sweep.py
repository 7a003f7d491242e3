"""``cordtally sweep``: find connection strings and credentials in a source tree."""

from __future__ import annotations

import sys
from pathlib import Path

import click
from rich.progress import Progress, SpinnerColumn, TextColumn
from rich.text import Text

from ..sweeping import Hit, Sweep, sweep
from ..vetting import RULES, Subject
from .inputs import fail_on_option, fails, json_option
from .output import SEVERITY_STYLES, clean, make_console, print_json


@click.command("sweep")
@click.argument("path", type=click.Path(path_type=Path))
@fail_on_option
@click.option("--quiet", "-q", is_flag=True, help="Print the places only.")
@json_option
def command(path: Path, fail_on: str, quiet: bool, as_json: bool) -> int:
    """Search a file or a tree for connection strings and credentials; .gitignore is honoured."""
    result = _sweep(path)
    if as_json:
        print_json(result.to_dict())
    else:
        _print(result, quiet)
    return fails((hit.severity for hit in result.hits), fail_on)


def _sweep(path: Path) -> Sweep:
    try:
        if not sys.stderr.isatty():
            return sweep(path)
        columns = (SpinnerColumn(), TextColumn("{task.completed:,} files read"))
        with Progress(*columns, console=make_console(err=True), transient=True) as progress:
            task = progress.add_task("sweep", total=None)
            return sweep(path, progress=lambda count: progress.update(task, completed=count))
    except FileNotFoundError as error:
        raise click.UsageError(str(error)) from None


def _print(result: Sweep, quiet: bool) -> None:
    console = make_console()
    for hit in result.hits:
        console.print(_line(hit), soft_wrap=True)
        if not quiet:
            console.print(Text(f"    {clean(hit.masked)}"), soft_wrap=True)
    if quiet:
        return
    rules = [rule.id for rule in RULES.values() if rule.subject is Subject.TREE]
    counts = [f"{sum(h.rule is rule for h in result.hits)} {rule.value}" for rule in rules]
    told = ", ".join(c for c in counts if not c.startswith("0 ")) or "nothing found"
    passed = [(result.binary, "binary"), (result.too_large, "too large"), (result.unreadable, "unreadable")]
    skipped = ", ".join(f"{n} {name}" for n, name in passed if n)
    files = f"{result.files:,} file{'' if result.files == 1 else 's'} read"
    console.print(Text(f"\n{told}; {files}{f', passed over: {skipped}' if skipped else ''}", style="bold"))


def _line(hit: Hit) -> Text:
    line = Text(f"{clean(hit.path.as_posix())}:{hit.line}:{hit.column}")
    line.append(f"  {hit.rule.value}", style=SEVERITY_STYLES[hit.severity])
    return line.append(f"  {hit.engine}" if hit.engine else "", style="dim")
