"""``cordtally sweep``: find connection strings and credentials in a source tree."""

from __future__ import annotations

from pathlib import Path

import click

from ..errors import FieldError
from ..sweeping import Hit, Sweep, sweep
from ..vetting import RULES, Subject
from .connections import missing_file
from .inputs import fail_on_option, fails, json_option
from .layout import Line
from .output import SEVERITY_STYLES, print_json
from .progress import show_count
from .screen import Screen, clean


@click.command("sweep")
@click.argument("paths", metavar="PATH…", nargs=-1, required=True, type=click.Path(path_type=Path))
@fail_on_option
@click.option("--quiet", "-q", is_flag=True, help="Print the places only.")
@json_option
def command(paths: tuple[Path, ...], fail_on: str, quiet: bool, as_json: bool) -> int:
    """Search files and trees for connection strings and credentials; .gitignore is honoured."""
    result = _sweep(paths)
    if as_json:
        print_json(result.to_dict())
    else:
        _print(result, quiet)
    return fails((hit.severity for hit in result.hits), fail_on)


def _sweep(paths: tuple[Path, ...]) -> Sweep:
    for path in paths:
        if not path.exists():
            raise FieldError(missing_file(path), path=path)
    with show_count("files read") as progress:
        return sweep(*paths, progress=progress)


def _print(result: Sweep, quiet: bool) -> None:
    screen = Screen()
    for hit in result.hits:
        screen.say(_line(hit), whole=True)
        if not quiet:
            screen.say(f"    {clean(hit.masked)}", whole=True)
    if quiet:
        return
    rules = [rule.id for rule in RULES.values() if rule.subject is Subject.TREE]
    counts = [f"{sum(h.rule is rule for h in result.hits)} {rule.value}" for rule in rules]
    told = ", ".join(c for c in counts if not c.startswith("0 ")) or "nothing found"
    passed = [(result.binary, "binary"), (result.too_large, "too large"), (result.unreadable, "unreadable")]
    skipped = ", ".join(f"{n} {name}" for n, name in passed if n)
    files = f"{result.files:,} file{'' if result.files == 1 else 's'} read"
    screen.say(f"\n{told}; {files}{f', passed over: {skipped}' if skipped else ''}", "bold")


def _line(hit: Hit) -> Line:
    line = Line(f"{clean(hit.path.as_posix())}:{hit.line}:{hit.column}")
    line.append(f"  {hit.rule.value}", SEVERITY_STYLES[hit.severity])
    return line.append(f"  {hit.engine}" if hit.engine else "", "dim")
