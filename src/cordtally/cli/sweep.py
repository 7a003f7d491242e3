"""``cordtally sweep``: find connection strings and credentials in a source tree."""

from __future__ import annotations

from pathlib import Path

import click

from ..errors import FieldError
from ..sweeping import SECRETS, Hit, Sweep, sweep
from ..vetting import Severity
from .connections import missing_file
from .inputs import fail_on_option, fails, json_option
from .layout import Line
from .output import SEVERITY_STYLES, print_json
from .progress import show_count
from .screen import Screen, clean

_FEW = 5


@click.command("sweep")
@click.argument("paths", metavar="PATH…", nargs=-1, required=True, type=click.Path(path_type=Path))
@fail_on_option
@click.option(
    "--at-least",
    "least",
    type=click.Choice([severity.value for severity in Severity]),
    default="note",
    show_default=True,
    help="Print hits from this severity on.",
)
@click.option("--workers", metavar="N", type=click.IntRange(min=1), help="Search with N processes. [default: by need]")
@click.option("--skip-large", is_flag=True, help="Files too large to be read do not matter to the exit status.")
@click.option("--quiet", "-q", is_flag=True, help="Print the places only.")
@json_option
def command(
    paths: tuple[Path, ...],
    fail_on: str,
    least: str,
    workers: int | None,
    skip_large: bool,
    quiet: bool,
    as_json: bool,
) -> int:
    """Search files and trees for connection strings and credentials; .gitignore is honoured."""
    result = _sweep(paths, workers)
    status = fails((hit.severity for hit in result.hits), fail_on)
    result.hits = [hit for hit in result.hits if hit.severity.rank >= Severity(least).rank]
    if as_json:
        print_json(result.to_dict())
    else:
        _print(result, quiet)
    return 1 if result.too_large and not skip_large else status


def _sweep(paths: tuple[Path, ...], workers: int | None) -> Sweep:
    for path in paths:
        if not path.exists():
            raise FieldError(missing_file(path), path=path)
    with show_count("files read") as progress:
        return sweep(*paths, progress=progress, workers=workers)


def _print(result: Sweep, quiet: bool) -> None:
    screen = Screen()
    for hit in result.hits:
        screen.say(_line(hit), whole=True)
        if not quiet:
            screen.say(f"    {clean(hit.masked)}{_aside(hit)}", whole=True)
    if quiet:
        return
    severities = [sum(hit.severity is one for hit in result.hits) for one in reversed(Severity)]
    told = ", ".join(_count(n, one.value) for n, one in zip(severities, reversed(Severity)) if n) or "nothing found"
    skipped = f", {result.binary:,} binary" if result.binary else ""
    screen.say(f"\n{told}; {_count(result.files, 'file')} read{skipped}", "bold")
    for what, paths in (("too large to be read", result.too_large), ("not readable", result.unreadable)):
        if paths:
            screen.say(f"{_count(len(paths), 'place')} {what}: {_listed(paths)}", "yellow")


def _count(number: int, name: str) -> str:
    return f"{number:,} {name}{'' if number == 1 else 's'}"


def _listed(paths: list[Path]) -> str:
    more = f" and {len(paths) - _FEW:,} more" if len(paths) > _FEW else ""
    return ", ".join(clean(path.as_posix()) for path in paths[:_FEW]) + more


def _line(hit: Hit) -> Line:
    line = Line(f"{clean(hit.path.as_posix())}:{hit.line}:{hit.column}  ")
    line.append(hit.severity.value, SEVERITY_STYLES[hit.severity])
    line.append(f"  {hit.rule.value}")
    return line.append("".join(f", {word}" for word in (hit.engine, hit.environment) if word), "dim")


def _aside(hit: Hit) -> str:
    """Why a hit matters less or more than its rule says; a hit of the usual weight needs no words."""
    if hit.rule not in SECRETS or hit.reason == "a secret in the source":
        return ""
    return f"  ({clean(hit.reason)})"
