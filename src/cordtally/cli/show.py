"""``cordtally show``: a cord of the tally, each field with the layer it came from."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..exchange import write
from ..tally import FILE_NAME, Resolved, load
from . import completing
from .connections import environment_of, file_named, first_target
from .inputs import environment_option, json_option, target_option
from .layout import Line
from .output import print_json
from .screen import Screen

if TYPE_CHECKING:
    from ..config import Declared


@click.command("show")
@click.argument("what", nargs=-1, shell_complete=completing.connections)
@environment_option
@target_option("Show it as written for this driver; the cord's own if absent.")
@json_option
def command(
    what: tuple[str, ...], environment: str | None, tally_file: Path | None, target: str | None, as_json: bool
) -> int:
    """Show a cord: each field, and its layer; without a name all cords; of files the connections that they declare."""
    paths = [path for one in what if (path := _path(one)) is not None]
    if [path.name for path in paths] == [FILE_NAME]:
        tally_file, what = paths[0], ()
    elif paths and len(paths) == len(what):
        return _show_files(paths, environment, as_json)
    if len(what) > 1:
        raise click.UsageError("name one cord, or files alone")
    cord = what[0] if what else None
    tally = load(tally_file)
    environment = environment_of(tally, environment)
    if cord is None:
        rows = [_summary(tally.resolve(name, environment=environment)) for name in tally.names()]
        if as_json:
            keys = ("cord", "engine", "place", "database", "password")
            print_json({"schema": "cordtally/tally/1", "cords": [dict(zip(keys, row)) for row in rows]})
        else:
            Screen().table(rows, heads=("cord", "engine", "place", "database", "password"), shrink=2)
        return 0
    resolved = tally.resolve(cord, environment=environment)
    written = write(resolved.cord, target or resolved.driver or first_target(resolved.cord.engine))
    if as_json:
        fields = [{"field": o.field, "value": o.value, "layer": o.layer} for o in resolved.origins]
        head = {"schema": "cordtally/cord/1", "cord": cord, "environment": environment}
        print_json({**head, "fields": fields, "target": written.target, "text": str(written.text)})
        return 0
    screen = Screen()
    where = f" in {environment}" if environment else ""
    origins = [(o.field, Line(o.value.replace(", ", "\n")), o.layer) for o in resolved.origins]
    screen.say(f"{cord}{where}, from {tally.path.name}", "bold")
    screen.say()
    screen.table(origins, heads=("field", "value", "layer"), shrink=1)
    screen.say()
    without = " (without its password)" if resolved.cord.password is not None else ""
    screen.say(f"for {written.target}{without}:", "dim")
    screen.say_exactly(str(written.text))
    return 0


def _summary(resolved: Resolved) -> tuple[str, str, str, str, str]:
    cord = resolved.cord
    place = ", ".join(str(h) for h in cord.hosts) or "–"
    return (
        resolved.name,
        cord.engine,
        place,
        str(cord.database or "–"),
        "–" if cord.password is None else str(cord.password),
    )


def _path(one: str) -> Path | None:
    return Path(one) if Path(one).is_dir() else file_named(one)


def _show_files(paths: list[Path], environment: str | None, as_json: bool) -> int:
    """Show the connections that files declare, each with its places."""
    from ..config import declared_below, declared_in

    files = [
        pair for path in paths for pair in (declared_below(path) if path.is_dir() else [(path, declared_in(path))])
    ]
    found = [(file, [one for one in every if environment in {None, one.environment}]) for file, every in files]
    if as_json:
        documents = [one.to_dict() for _, every in found for one in every]
        print_json({"schema": "cordtally/declared/1", "connections": documents})
        return 0
    screen = Screen()
    if not found:
        screen.say("no file there declares a connection", "dim")
    for index, (file, every) in enumerate(found):
        if index:
            screen.say()
        title = every[0].layout.title if every else "no connection"
        screen.say(f"{file}: {title}", "bold", whole=True)
        screen.table([_row(one) for one in every], heads=("name", "engine", "place", "user", "password", "line"))
        for one in every:
            if one.problem:
                screen.say(f"{one.title}: {one.problem}", "yellow", hang=2)
    return 0


def _row(one: Declared) -> tuple[str, ...]:
    from ..config import secret_state

    cord, lines = one.cord, sorted((one.place_of(role) or (0, 0))[0] for role in one.slots)
    shown = str(lines[0]) if len(set(lines)) == 1 else f"{lines[0]}-{lines[-1]}"
    if cord is None:
        return one.title, "–", "–", "–", secret_state(one), shown
    hosts = ", ".join(map(str, cord.hosts))
    place = f"{hosts}/{cord.database}" if hosts and cord.database else hosts or str(cord.database or "–")
    return one.title, cord.engine, place, str(cord.user or "–"), secret_state(one), shown
