"""``cordtally init``: start a tally from what is there."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from pathlib import Path

import click

from ..errors import is_harmless, quoted
from ..model import MASK
from ..tally.keeping import STORES
from ..tally.starting import (
    Candidate,
    Start,
    candidate_of,
    candidates_below,
    candidates_in,
    candidates_of,
    start_tally,
)
from .connections import file_named, take_connection
from .inputs import json_option
from .layout import Line
from .output import print_json
from .screen import Screen, clean
from .tally_told import apply_option


@click.command("init")
@click.argument("sources", metavar="[SOURCE]...", nargs=-1)
@click.option(
    "--from-env", "variables", multiple=True, metavar="NAME", help="Take the text in this variable; repeatable."
)
@click.option("--keep-in", "store", metavar="STORE", help=f"Where passwords go: {', '.join(STORES)}.")
@click.option(
    "--into",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path(),
    help="The folder of the tally; this one if absent.",
)
@apply_option
@json_option
def command(
    sources: tuple[str, ...],
    variables: tuple[str, ...],
    store: str | None,
    into: Path,
    write: bool,
    as_json: bool,
) -> int:
    """Start a tally of the connections that are found: shown first, written with --apply.

    A SOURCE is a text, a config file, FILE#NAME, a service, alias or option file, or a folder; without one this
    folder's config files and the process's variables are looked at. No password goes into the file.
    """
    found = list(_found(sources, variables, into))
    start = start_tally(into, found, lambda name: store or _asked(name, write))
    if write:
        start.edit.apply()
    if as_json:
        path = str(start.path) if is_harmless(str(start.path)) else MASK
        kept = {name: str(locator) for name, locator in start.kept.items()}
        bring = {name: str(locator) for name, locator in start.to_bring.items()}
        print_json(
            {
                "schema": "cordtally/init/1",
                "path": path,
                "written": write,
                "text": start.text,
                "cords": start.names,
                "kept": kept,
                "to_bring": bring,
                "remarks": start.remarks,
            }
        )
    else:
        _print(start, write)
    return 0


def _found(sources: tuple[str, ...], variables: tuple[str, ...], into: Path) -> Iterator[Candidate]:
    if not sources and not variables:
        yield from candidates_below(into)
        yield from candidates_of(os.environ)
    for given in sources:
        path = Path(given)
        if given != "-" and path.is_dir():
            yield from candidates_below(path)
        elif "#" not in given and (file := file_named(given, must=False)) is not None:
            yield from candidates_in(file)
        else:
            taken = take_connection(given)
            origin = clean(given.partition("#")[0]) if taken.title else "the text"
            called = given.partition("#")[2] if taken.title else ""
            yield Candidate(taken.cord, origin, called, driver=(taken.driver or "").partition("/")[0] or None)
    for name in variables:
        yield candidate_of(take_connection(None, from_env=name).reading(), f"the variable {name}", name)


def _asked(name: str, write: bool) -> str | None:
    """Ask where a password goes, where somebody sits and it would be put there."""
    if not write or not sys.stdin.isatty():
        return None
    answer: str = click.prompt(
        f"Where is the password of {name} kept? {', '.join(STORES)}", default="envfile:.env", err=True
    )
    return answer


def _print(start: Start, written: bool) -> None:
    screen = Screen()
    here = Path().resolve()
    shown = start.path.relative_to(here) if start.path.is_relative_to(here) else start.path
    screen.say(f"{quoted(shown)}:", whole=True)
    screen.say()
    for line in start.text.splitlines():
        screen.say(Line(line, "bold" if line.startswith("[") else "dim" if line.startswith("#") else ""), whole=True)
    screen.say()
    for remark in start.remarks:
        screen.say(clean(remark), "yellow", hang=2)
    for name, locator in start.kept.items():
        screen.say(f"the password of {name} {'is' if written else 'will be'} kept at {locator}", hang=2)
    for name, locator in start.to_bring.items():
        screen.say(
            f"the password of {name} is kept nowhere yet: set {locator.rest}, or say --keep-in STORE", "yellow", hang=2
        )
    for path in start.edit.changed:
        if path != start.path:
            gained = start.edit.texts[path].removeprefix(start.edit.before(path)).split()
            screen.say(f"{path.name} {'has' if written else 'will have'} {', '.join(gained)}", "dim", hang=2)
    if written:
        files = ", ".join(path.name for path in start.edit.changed)
        screen.say(f"written: {files}; next: cordtally show, cordtally secret check", "green", hang=2)
    else:
        screen.say("nothing is written yet: --apply writes it", "dim")
