"""``cordtally show``: a cord of the tally, each field with the layer it came from."""

from __future__ import annotations

from pathlib import Path

import click

from ..exchange import write
from ..model import Cord
from ..tally import FILE_NAME, Resolved, load
from . import completing
from .connections import environment_of, file_named, first_target
from .inputs import environment_option, json_option, target_option
from .layout import Line
from .naming import Called
from .output import print_json
from .screen import Screen
from .show_files import FORMATS, show_files

FORMAT = Called("format", lambda: FORMATS)


@click.command("show")
@click.argument("what", nargs=-1, shell_complete=completing.connections)
@environment_option
@click.option(
    "--variables",
    type=click.Path(path_type=Path, exists=True, dir_okay=False, allow_dash=True),
    metavar="FILE",
    help="With files: the variables that the program will have, NAME=VALUE a line; - is standard input.",
)
@click.option("--read-as", "reader", type=FORMAT, metavar="FORMAT", help=f"With a file: {', '.join(FORMATS)}.")
@click.option("--all", "everything", is_flag=True, help="Show every cord of the tally in every environment.")
@target_option("Show it as written for this driver; the cord's own if absent.")
@json_option
def command(
    what: tuple[str, ...],
    environment: str | None,
    tally_file: Path | None,
    variables: Path | None,
    reader: str | None,
    everything: bool,
    target: str | None,
    as_json: bool,
) -> int:
    """Show a cord: each field, and its layer; without a name all cords; of files the connections that they declare."""
    paths = [path for one in what if (path := _path(one)) is not None]
    if [path.name for path in paths] == [FILE_NAME]:
        tally_file, what = paths[0], ()
    elif paths and len(paths) == len(what):
        return show_files(paths, environment, variables, reader, as_json)
    if variables is not None or reader is not None:
        raise click.UsageError("--variables and --read-as go with files")
    if len(what) > 1:
        raise click.UsageError("name one cord, or files alone")
    if everything and (what or environment is not None):
        raise click.UsageError("--all shows every cord in every environment: name none")
    tally = load(tally_file)
    if what:
        name, at, stated = what[0].partition("@")
        return _show_cord(tally.resolve(name, environment=environment_of(tally, stated if at else environment)),
                          tally.path.name, target, as_json)  # fmt: skip
    environment = environment_of(tally, environment)
    within = (None, *tally.environments) if everything else (environment,)
    resolved = [
        tally.resolve(name, environment=one)
        for name in tally.names()
        for one in within
        if one is None or not everything or name in tally.environments[one]
    ]
    _show_cords(resolved, everything, as_json)
    return 0


def _show_cords(every: list[Resolved], with_environments: bool, as_json: bool) -> None:
    if as_json:
        print_json({"schema": "cordtally/tally/1", "cords": [_document(one) for one in every]})
        return
    screen = Screen()
    if with_environments:
        told: list[tuple[str | Line, ...]] = [
            (one.title, _place(one.cord), *_cells(one.cord, "tls", "password")) for one in every
        ]
        screen.table(told, heads=("cord", "place", "TLS", "password"), shrink=1)
    else:
        plain = [(one.name, *_cells(one.cord, "engine", "place", "database", "password")) for one in every]
        screen.table(plain, heads=("cord", "engine", "place", "database", "password"), shrink=2)


def _document(resolved: Resolved) -> dict[str, str | None]:
    """One cord of ``cordtally/tally/1``."""
    keys = ("engine", "place", "database", "user", "tls", "password")
    cells = [None if cell == "–" else cell for cell in _cells(resolved.cord, *keys)]
    return {"cord": resolved.name, "environment": resolved.environment, **dict(zip(keys, cells))}


def _cells(cord: Cord, *keys: str) -> tuple[str, ...]:
    known = {
        "engine": cord.engine,
        "place": ", ".join(map(str, cord.hosts)),
        "database": cord.database,
        "user": cord.user,
        "tls": None if cord.tls.level is None else cord.tls.level.value,
        "password": cord.password,
    }
    return tuple("–" if known[key] in {None, ""} else str(known[key]) for key in keys)


def _place(cord: Cord) -> Line:
    """The servers, a line each, and the database behind the last."""
    hosts = "\n".join(map(str, cord.hosts))
    return Line(f"{hosts}/{cord.database}" if hosts and cord.database else hosts or str(cord.database or "–"))


def _show_cord(resolved: Resolved, file: str, target: str | None, as_json: bool) -> int:
    written = write(resolved.cord, target or resolved.driver or first_target(resolved.cord.engine))
    if as_json:
        fields = [
            {"field": o.field, "value": o.value, "layer": o.layer, "lost": [lost._asdict() for lost in o.lost]}
            for o in resolved.origins
        ]
        head = {"schema": "cordtally/cord/1", "cord": resolved.name, "environment": resolved.environment}
        surprises = list(resolved.surprises)
        print_json(
            {**head, "fields": fields, "surprises": surprises, "target": written.target, "text": str(written.text)}
        )
        return 0
    screen = Screen()
    where = f" in {resolved.environment}" if resolved.environment else ""
    screen.say(f"{resolved.name}{where}, from {file}", "bold")
    screen.say()
    rows = list[tuple[str | Line, str | Line, str | Line]]()
    for origin in resolved.origins:
        rows.append((origin.field, Line(origin.value.replace(", ", "\n")), origin.layer))
        for lost in origin.lost:
            value = f"({lost.value})".replace(", ", "\n")
            rows.append((Line(lost.field, "dim"), Line(value, "dim"), Line(lost.layer, "dim")))
    screen.table(rows, heads=("field", "value", "layer"), shrink=1)
    screen.say()
    if any(origin.lost for origin in resolved.origins):
        screen.say("(in brackets: what a higher layer replaces)", "dim")
    for surprise in resolved.surprises:
        screen.say(surprise, "yellow", hang=2)
    without = " (without its password)" if resolved.cord.password is not None else ""
    screen.say(f"for {written.target}{without}:", "dim")
    screen.say_exactly(str(written.text))
    return 0


def _path(one: str) -> Path | None:
    return Path(one) if Path(one).is_dir() else file_named(one)
