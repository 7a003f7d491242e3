"""``cordtally sweep``: find connection strings and credentials in a source tree."""

from __future__ import annotations

from pathlib import Path

import click

from ..errors import FieldError
from ..sweeping import SECRETS, Commit, History, Hit, Inventory, Sweep, sweep, sweep_history, take_inventory
from ..sweeping.writing import check_report, write_report
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
@click.option("--changed", "since", metavar="REV", help="Tell only of lines that are new since a revision of git's.")
@click.option("--history", is_flag=True, help="Search all that git's commits ever brought, and say what came and went.")
@click.option(
    "--range", "revisions", metavar="REVS", multiple=True, help="With --history: these commits, as v1.0..main."
)
@click.option("--resume", metavar="FILE", type=click.Path(path_type=Path), help="With --history: keep what is done.")
@click.option("--inventory", is_flag=True, help="List the connections: who reaches which database, and how.")
@click.option(
    "--write",
    "reports",
    metavar="FILE",
    multiple=True,
    type=click.Path(path_type=Path, dir_okay=False),
    help="Write what is found as .csv, .md, .html, .json or .sarif; an inventory as .svg or .png, too.",
)
@click.option("--workers", metavar="N", type=click.IntRange(min=1), help="Search with N processes. [default: by need]")
@click.option("--skip-large", is_flag=True, help="Files too large to be read do not matter to the exit status.")
@click.option("--quiet", "-q", is_flag=True, help="Print the places only.")
@json_option
def command(
    paths: tuple[Path, ...],
    fail_on: str,
    least: str,
    since: str | None,
    history: bool,
    revisions: tuple[str, ...],
    resume: Path | None,
    inventory: bool,
    reports: tuple[Path, ...],
    workers: int | None,
    skip_large: bool,
    quiet: bool,
    as_json: bool,
) -> int:
    """Search files and trees for connection strings and credentials; .gitignore is honoured."""
    for path in paths:
        if not path.exists():
            raise FieldError(missing_file(path), path=path)
    for report in reports:
        check_report(report, inventory=inventory)
    if sum((history, inventory, since is not None)) > 1:
        raise FieldError("--changed, --history and --inventory go one without the others")
    if history and reports:
        raise FieldError("a history is printed, or given as --json: --write goes without --history")
    if history:
        return _history(paths, revisions, resume, quiet, as_json)
    if revisions or resume is not None:
        raise FieldError("--range and --resume go with --history")
    if inventory:
        return _inventory(paths, reports, workers, quiet, as_json)
    with show_count("files read") as progress:
        result = sweep(*paths, progress=progress, workers=workers, changed_since=since)
    status = fails((hit.severity for hit in result.hits), fail_on)
    result.hits = [hit for hit in result.hits if hit.severity.rank >= Severity(least).rank]
    if as_json:
        print_json(result.to_dict())
    else:
        _print(result, quiet)
    _write(result, reports)
    return 1 if result.too_large and not skip_large else status


def _write(found: Sweep | Inventory, reports: tuple[Path, ...]) -> None:
    for path in reports:
        write_report(found, path)


def _inventory(
    paths: tuple[Path, ...], reports: tuple[Path, ...], workers: int | None, quiet: bool, as_json: bool
) -> int:
    if len(paths) != 1:
        raise FieldError("an inventory is that of one tree: name one folder")
    with show_count("files read") as progress:
        result = take_inventory(paths[0], progress=progress, workers=workers)
    if as_json:
        print_json(result.to_dict())
    else:
        _print_inventory(result, quiet)
    _write(result, reports)
    return 0


_SECRET_IS = {"none": "no secret", "a placeholder": "a placeholder for the secret"}


def _print_inventory(result: Inventory, quiet: bool) -> None:
    screen = Screen()
    service = None
    for row in result.rows:
        if row.service != service:
            service = row.service
            screen.say(clean(service), "bold")
        line = Line(f"  {row.engine or 'some engine':<11} {clean(row.target)}")
        line.append(f" as {clean(row.user)}" if row.user else "")
        screen.say(line.append(f", {row.environment}" if row.environment else "", "dim"), whole=True)
        if quiet:
            continue
        style = {"in the file": "red", "a placeholder": "yellow"}.get(row.secret, "")
        told = Line("              ")
        told.append(_SECRET_IS.get(row.secret, f"secret {clean(row.secret)}"), style)
        told.append(f"; {row.tls}" if row.tls else "").append(f"; pool {clean(row.pool)}" if row.pool else "")
        screen.say(told, hang=14)
        screen.say(f"              {clean(', '.join(row.places))}", "dim", hang=14)
    if result.slips and not quiet:
        screen.say("\nnames that do not meet", "bold")
    for slip in result.slips if not quiet else ():
        screen.say(f"  {clean(str(slip))}", "yellow" if slip.nearest or slip.kind == "not given" else "dim", hang=4)
    if not quiet:
        services = len({row.service for row in result.rows})
        screen.say(f"\n{_count(len(result.rows), 'connection')} of {_count(services, 'service')}", "bold")


def _history(
    paths: tuple[Path, ...], revisions: tuple[str, ...], resume: Path | None, quiet: bool, as_json: bool
) -> int:
    if len(paths) != 1:
        raise FieldError("a history is that of one repository: name one folder of it")
    with show_count("contents searched") as progress:
        result = sweep_history(paths[0], *revisions, resume=resume, progress=progress)
    if as_json:
        print_json(result.to_dict())
    else:
        _print_history(result, quiet)
    return int(bool(result.secrets))


_STANDS = {"here": "still stands here", "elsewhere": "still stands in another branch"}


def _print_history(result: History, quiet: bool) -> None:
    screen = Screen()
    for past in result.secrets:
        hit = past.hit
        screen.say(_named(Line(f"{clean(hit.path.as_posix())}:{hit.line}:{hit.column}  "), hit), whole=True)
        if quiet:
            continue
        screen.say(f"    {clean(hit.masked)}", whole=True)
        screen.say(f"    came with {_commit(past.came)}", whole=True)
        told = f"went with {_commit(past.went)}" if past.went is not None else _STANDS[past.stands]
        screen.say(f"    {told}", whole=True)
        if len(past.paths) > 1:
            screen.say(f"    stood in {_listed([Path(path) for path in past.paths])}", whole=True)
    if quiet:
        return
    told = _count(len(result.secrets), "secret") if result.secrets else "no secret"
    screen.say(f"\n{told} in {_count(result.commits, 'commit')}, {_count(result.contents, 'content')} searched", "bold")
    if result.too_large:
        screen.say(f"{_count(result.too_large, 'content')} too large to be read", "yellow")
    if result.secrets:
        screen.say("every clone has them: change each one at its server, whether it still stands or not", "yellow")


def _commit(commit: Commit) -> str:
    return f"{commit.name[:10]} of {commit.day}, by {clean(commit.author)}"


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
    skipped += f"; {len(result.accepted):,} accepted" if result.accepted else ""
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
    return _named(line.append("  "), hit)


def _named(line: Line, hit: Hit) -> Line:
    line.append(hit.rule.value)
    return line.append("".join(f", {word}" for word in (hit.engine, hit.environment) if word), "dim")


def _aside(hit: Hit) -> str:
    """Why a hit matters less or more than its rule says; a hit of the usual weight needs no words."""
    if hit.rule not in SECRETS or hit.reason == "a secret in the source":
        return ""
    return f"  ({clean(hit.reason)})"
