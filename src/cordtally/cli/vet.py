"""``cordtally vet``: findings for strings, files and cords."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, NamedTuple

import click

from ..auditing import vet
from ..exchange import Reading, read
from ..model import Cord
from ..vetting import Finding, vet_cord, vet_reading
from . import completing
from .connections import CONNECTION_HELP, DATABASE_FILES, Connection, from_env_option, take_connection
from .inputs import driver_option, environment_option, fail_on_option, fails, json_option
from .lines import stream_lines
from .output import count_findings, print_findings, print_json
from .screen import Screen


@click.command("vet", epilog=CONNECTION_HELP + " A file that is named is vetted as a whole.")
@click.argument("what", nargs=-1, shell_complete=completing.connections)
@from_env_option("Vet the text in this environment variable, too.")
@driver_option
@environment_option
@fail_on_option
@json_option
@click.option("--lines", is_flag=True, help="Read JSON lines from standard input, write JSON lines.")
@click.option("--quiet", "-q", is_flag=True, help="Print the messages only, without why and what to do.")
def command(
    what: tuple[str, ...],
    from_env: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    fail_on: str,
    as_json: bool,
    lines: bool,
    quiet: bool,
) -> int:
    """Report what is wrong or risky: each finding with its place, its reason and what to do."""
    if lines:
        return _vet_lines(fail_on)
    if not what and from_env is None:
        raise click.UsageError("name something to vet: a connection string, a file, or a cord of the tally")
    subjects = [_vet_one(w, driver, environment, tally_file) for w in what]
    if from_env is not None:
        subjects.append(_vet_connection(take_connection(None, from_env=from_env, driver=driver)))
    findings = [found for subject in subjects for found in subject.findings]
    if as_json:
        documents = [
            {"source": subject.title or f"argument {number}"} | found.to_dict()
            for number, subject in enumerate(subjects, 1)
            for found in subject.findings
        ]
        print_json({"schema": "cordtally/findings/1", "findings": documents})
    else:
        _print(subjects, quiet)
    return fails((f.severity for f in findings), fail_on)


def _vet_lines(fail_on: str) -> int:
    """Answer each line; the status is that of the worst one, and a line that cannot be read is an error."""
    status = 0

    def answer(request: Mapping[str, Any]) -> dict[str, object]:
        nonlocal status
        status, before = int(fail_on != "never"), status  # unless it comes to an end
        findings = vet_reading(read(request["text"], driver=request.get("from")))
        status = before | fails((f.severity for f in findings), fail_on)
        return {"schema": "cordtally/findings/1", "findings": [f.to_dict() for f in findings]}

    return stream_lines(answer) or status


class _Subject(NamedTuple):
    """What was vetted, by the title of a cord or a variable; a text is its own, and the findings of a file name it."""

    title: str
    findings: tuple[Finding, ...]
    reading: Reading | None = None


def _vet_one(what: str, driver: str | None, environment: str | None, tally_file: Path | None) -> _Subject:
    if _is_file(what):
        return _Subject("", vet(Path(what), driver=driver))
    return _vet_connection(take_connection(what, driver=driver, environment=environment, tally_file=tally_file))


def _vet_connection(one: Connection) -> _Subject:
    if isinstance(one.given, Cord):
        return _Subject(one.title, vet_cord(one.given, folder=one.folder))
    reading = one.reading()
    return _Subject(one.title, vet_reading(reading), reading)


def _is_file(what: str) -> bool:
    try:
        return Path(what).is_file() and Path(what).suffix not in DATABASE_FILES
    except (OSError, ValueError):
        return False


def _print(subjects: list[_Subject], quiet: bool) -> None:
    screen = Screen()
    for index, (title, findings, reading) in enumerate(subjects):
        if index:
            screen.say()
        if title or reading is not None:
            screen.say(title or str(reading.text if reading else ""), "bold", whole=True)
        print_findings(screen, findings, explain=not quiet, reading=reading)
        style = "green" if not findings else "dim"
        screen.say(count_findings(findings), style)
