"""``cordtally vet``: findings for strings, cords, files and trees."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, NamedTuple

import click

from ..auditing import Vetted, vet_text, vet_tree
from ..auditing.tallies import vet_resolved
from ..errors import FieldError, UnknownName
from ..exchange import Reading
from ..model import Cord
from ..vetting import RULES, Finding, Findings, RuleId, vet_cord
from . import completing
from .connections import CONNECTION_HELP, DATABASE_FILES, Connection, from_env_option, take_connection
from .inputs import driver_option, environment_option, fail_on_option, fails, json_option
from .lines import stream_lines
from .output import count_findings, print_findings, print_json
from .progress import show_count
from .screen import Screen
from .vet_told import print_mended, print_rule, print_rules, print_vetted, rules_document


@click.command("vet", epilog=CONNECTION_HELP + " A file that is named is vetted as a whole, and so is a folder.")
@click.argument("what", nargs=-1, shell_complete=completing.connections)
@from_env_option("Vet the text in this environment variable, too.")
@driver_option
@environment_option
@click.option(
    "--changed",
    "since",
    metavar="REV",
    is_flag=False,
    flag_value="HEAD",
    help="Of a folder, only lines that are new since a revision of git's (HEAD if none is named).",
)
@fail_on_option
@json_option
@click.option("--sarif", "as_sarif", is_flag=True, help="Print SARIF 2.1.0, which code hosts show.")
@click.option("--junit", "as_junit", is_flag=True, help="Print JUnit's XML, which build servers show.")
@click.option("--lines", is_flag=True, help="Read JSON lines from standard input, write JSON lines.")
@click.option("--rules", "list_rules", is_flag=True, help="List all rules.")
@click.option("--explain", metavar="RULE", shell_complete=completing.rules, help="Tell about one rule, with examples.")
@click.option("--mend", is_flag=True, help="Show the edits that are safe to make.")
@click.option("--apply", "write", is_flag=True, help="With --mend: write them into the files.")
@click.option("--workers", metavar="N", type=click.IntRange(min=1), help="Vet a folder with N processes.")
@click.option("--quiet", "-q", is_flag=True, help="Print the messages only, without why and what to do.")
def command(
    what: tuple[str, ...],
    from_env: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    since: str | None,
    fail_on: str,
    as_json: bool,
    as_sarif: bool,
    as_junit: bool,
    lines: bool,
    list_rules: bool,
    explain: str | None,
    mend: bool,
    write: bool,
    workers: int | None,
    quiet: bool,
) -> int:
    """Report what is wrong or risky: each finding with its place, its reason and what to do."""
    if list_rules or explain is not None:
        return _explain(explain, as_json)
    if lines:
        return _vet_lines(fail_on, environment)
    if not what and from_env is None:
        raise click.UsageError("name something to vet: a connection string, a file, a folder, or a cord of the tally")
    if sum((as_json, as_sarif, as_junit)) > 1:
        raise FieldError("--json, --sarif and --junit go one without the others")
    asked = _Asked(driver, environment, tally_file, since, workers)
    if write and not mend:
        raise FieldError("--apply goes with --mend")
    if mend:
        return _mend(what, asked, write=write)
    subjects = [_vet_one(w, asked) for w in what]
    if from_env is not None:
        subjects.append(_vet_connection(take_connection(None, from_env=from_env, driver=driver), environment))
    findings = [found for subject in subjects for found in subject.findings]
    accepted = [found for subject in subjects if subject.vetted is not None for found in subject.vetted.accepted]
    if as_json:
        print_json(_document(subjects))
    elif as_sarif or as_junit:
        _write(subjects, findings, accepted, fail_on, as_sarif=as_sarif)
    else:
        _print(subjects, quiet)
    return fails((f.severity for f in findings), fail_on)


class _Asked(NamedTuple):
    """What is asked of each subject."""

    driver: str | None
    environment: str | None
    tally_file: Path | None
    since: str | None
    workers: int | None


class _Subject(NamedTuple):
    """What was vetted, by the title of a cord or a variable; a text is its own, and the findings of a file name it."""

    title: str
    findings: tuple[Finding, ...]
    reading: Reading | None = None
    vetted: Vetted | None = None


def _mend(what: tuple[str, ...], asked: _Asked, *, write: bool) -> int:
    """Show the edits of texts and files, and write those of files where that is asked for."""
    from ..auditing.mending import MendedFile, mend_file, mend_text

    every = list[MendedFile]()
    for one in what:
        if _is_place(one):
            root = Path(one)
            found = vet_tree(root, driver=asked.driver, environment=asked.environment, changed_since=asked.since)
            names = dict.fromkeys(each.source for each in found.findings if each.source and ": " not in each.source)
            for name in names:
                path = root / name if root.is_dir() else root
                # what is accepted is not mended, and neither is what has not changed
                told = {(each.rule, each.line) for each in found.findings if each.source == name}
                with suppress(FieldError):  # its encoding is written in more than one way, or it is too large
                    made = mend_file(path, driver=asked.driver, environment=asked.environment, only=told)
                    every += [made] if made is not None else []
            continue
        named = take_connection(one, driver=asked.driver, environment=asked.environment, strict=False)
        if write or isinstance(named.given, Cord):
            raise FieldError("edits are written into files: of a text they are shown, and a cord has none")
        mended = mend_text(named.given, driver=named.driver, environment=asked.environment)
        print_mended(Screen(), [] if mended is None else [mended])
    if any(_is_place(one) for one in what):
        print_mended(Screen(), [text for made in every for text in made.texts])
    for made in every if write else ():
        made.apply()
        Screen().say(f"{made.path} is written", "green")
    if every and not write:
        Screen().say("nothing is written yet: --apply writes it", "dim")
    return 0


def _explain(name: str | None, as_json: bool) -> int:
    """List the rules, or tell about one."""
    if name is None:
        rules = list(RULES.values())
    else:
        ids = {rule.value: rule for rule in RuleId}
        if name not in ids:
            from ..catalog import find_nearest

            raise UnknownName("rule", name, nearest=find_nearest(name, ids), hint="cordtally vet --rules lists them")
        rules = [RULES[ids[name]]]
    if as_json:
        print_json({"schema": "cordtally/rules/1", "rules": rules_document(rules)})
    elif name is None:
        print_rules(Screen())
    else:
        print_rule(Screen(), rules[0].id)
    return 0


def _vet_lines(fail_on: str, environment: str | None) -> int:
    """Answer each line; the status is that of the worst one, and a line that cannot be read is an error."""
    status = 0

    def answer(request: Mapping[str, Any]) -> dict[str, object]:
        nonlocal status
        status, before = int(fail_on != "never"), status  # unless it comes to an end
        findings, _ = vet_text(request["text"], driver=request.get("from"), environment=environment)
        status = before | fails((f.severity for f in findings), fail_on)
        return {"schema": "cordtally/findings/1", "findings": [f.to_dict() for f in findings]}

    return stream_lines(answer) or status


def _vet_one(what: str, asked: _Asked) -> _Subject:
    if _is_place(what):
        with show_count("files read") as progress:
            vetted = vet_tree(
                what, driver=asked.driver, environment=asked.environment, changed_since=asked.since,
                workers=asked.workers, progress=progress,
            )  # fmt: skip
        vetted.findings, vetted.accepted = _below(what, vetted.findings), _below(what, vetted.accepted)
        return _Subject("", vetted.findings, vetted=vetted)
    if asked.since is not None:
        raise FieldError("--changed is asked of a folder")
    named = take_connection(
        what, driver=asked.driver, environment=asked.environment, tally_file=asked.tally_file, strict=False
    )
    return _vet_connection(named, asked.environment)


def _below(what: str, found: Findings) -> Findings:
    """Name files from the current folder, as a terminal and a code host look for them."""
    root = Path(what)
    if root == Path() or not root.is_dir():
        return found
    return Findings(one if one.source is None else replace(one, source=str(root / one.source)) for one in found)


def _vet_connection(one: Connection, environment: str | None) -> _Subject:
    if isinstance(one.given, Cord):
        if one.resolved is not None:
            return _Subject(one.title, tuple(vet_resolved(one.resolved)))
        return _Subject(one.title, vet_cord(one.given, folder=one.folder, environment=environment))
    findings, reading = vet_text(one.given, driver=one.driver, folder=one.folder, environment=environment)
    return _Subject(one.title, findings, reading)


def _is_place(what: str) -> bool:
    """Whether it is a file to be vetted as a whole, or a folder."""
    try:
        path = Path(what)
        return bool(what) and (path.is_dir() or path.is_file()) and path.suffix not in DATABASE_FILES
    except (OSError, ValueError):
        return False


def _titled(subjects: Iterable[_Subject]) -> list[Finding]:
    """The findings, each with the name of what it is about."""
    return [
        found if found.source is not None else replace(found, source=subject.title or f"argument {number}")
        for number, subject in enumerate(subjects, 1)
        for found in subject.findings
    ]


def _document(subjects: list[_Subject]) -> dict[str, object]:
    document: dict[str, object] = {
        "schema": "cordtally/findings/1",
        "findings": [found.to_dict() for found in _titled(subjects)],
    }
    vetted = [one.vetted for one in subjects if one.vetted is not None]
    if vetted:
        document["accepted"] = [found.to_dict() for one in vetted for found in one.accepted]
        document["files"] = sum(one.files for one in vetted)
        document["not_read"] = [path.as_posix() for one in vetted for path in (*one.too_large, *one.unreadable)]
    return document


def _write(
    subjects: list[_Subject], findings: list[Finding], accepted: list[Finding], fail_on: str, *, as_sarif: bool
) -> None:
    from ..auditing import writing

    if as_sarif:
        sys.stdout.write(writing.as_sarif(_titled(subjects), accepted))
        return
    read = sum(one.vetted.files for one in subjects if one.vetted is not None)
    sys.stdout.write(
        writing.as_junit(_titled(subjects), lambda one: bool(fails([one.severity], fail_on)), {"files": read})
    )


def _print(subjects: list[_Subject], quiet: bool) -> None:
    screen = Screen()
    for index, subject in enumerate(subjects):
        if index:
            screen.say()
        if subject.vetted is not None:
            print_vetted(screen, subject.vetted, quiet=quiet)
            continue
        title, findings, reading = subject.title, subject.findings, subject.reading
        if title or reading is not None:
            screen.say(title or str(reading.text if reading else ""), "bold", whole=True)
        print_findings(screen, findings, explain=not quiet, reading=reading)
        screen.say(count_findings(findings), "green" if not findings else "dim")
