"""``cordtally show``: a cord of the tally, each field with the layer it came from."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..catalog import nearest_names
from ..errors import UnknownName
from ..exchange import write
from ..tally import FILE_NAME, Resolved, load
from . import completing
from .connections import environment_of, file_named, first_target
from .inputs import environment_option, json_option, target_option
from .layout import Line
from .naming import Called
from .output import print_json
from .screen import Screen

if TYPE_CHECKING:
    from ..config import Declared

_ROLES = {"text": "the text", "engine_in": "the engine"}
_LOOKERS = frozenset(["xml", "java", "csharp", "kotlin", "scala"])
FORMATS = ("symfony-variables", "systemd-variables", "container-variables", "r-variables", "bash", "ini")
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
@target_option("Show it as written for this driver; the cord's own if absent.")
@json_option
def command(
    what: tuple[str, ...],
    environment: str | None,
    tally_file: Path | None,
    variables: Path | None,
    reader: str | None,
    target: str | None,
    as_json: bool,
) -> int:
    """Show a cord: each field, and its layer; without a name all cords; of files the connections that they declare."""
    paths = [path for one in what if (path := _path(one)) is not None]
    if [path.name for path in paths] == [FILE_NAME]:
        tally_file, what = paths[0], ()
    elif paths and len(paths) == len(what):
        return _show_files(paths, environment, variables, reader, as_json)
    if variables is not None or reader is not None:
        raise click.UsageError("--variables and --read-as go with files")
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


def _show_files(
    paths: list[Path], environment: str | None, given: Path | None, reader: str | None, as_json: bool
) -> int:
    """Show the connections that files declare, each with its places."""
    from ..config import declared_below, declared_in, find_uses, read_variables

    if reader is not None and reader not in FORMATS:
        hint = f"one of {', '.join(FORMATS)}"
        raise UnknownName("format", reader, nearest=nearest_names("format", reader, FORMATS), hint=hint)
    variables = None if given is None else read_variables(given)
    files = [
        pair
        for path in paths
        for pair in (
            declared_below(path, variables=variables)
            if path.is_dir()
            else [(path, declared_in(path, variables=variables, file_format=reader))]
        )
    ]
    found = [(file, [one for one in every if environment in {None, one.environment}]) for file, every in files]
    uses = find_uses(_lookers(paths), [one for _, every in found for one in every], variables)
    if as_json:
        documents = [one.to_dict() for _, every in found for one in every]
        missing = [{**use._asdict(), "path": str(use.path)} for use in uses]
        print_json({"schema": "cordtally/declared/1", "connections": documents, "missing": missing})
        return 0
    screen = Screen()
    if not found:
        screen.say("no file there declares a connection", "dim")
    for index, (file, every) in enumerate(found):
        if index:
            screen.say()
        titles = dict.fromkeys(one.layout.title for one in every)
        screen.say(f"{file}: {', '.join(titles) or 'no connection'}", "bold", whole=True)
        screen.table([_row(one) for one in every], heads=("name", "engine", "place", "user", "password", "line"))
        for one in every:
            _remarks(screen, one)
    for use in uses:
        meant = f"; did you mean {use.nearest}?" if use.nearest else ""
        screen.say(f"{use.path}:{use.line}: nothing gives the {use.kind} {use.name}{meant}", "yellow", hang=2)
    return 0


def _lookers(paths: list[Path]) -> list[Path]:
    """The files that may look names up: those that are named, and those below folders."""
    from ..syntax import format_of, walk

    return [one for path in paths for one in (walk(path) if path.is_dir() else [path]) if format_of(one) in _LOOKERS]


def _remarks(screen: Screen, one: Declared) -> None:
    """What a table has no room for: what is wrong, what does not count, and the pool."""
    if one.problem:
        screen.say(f"{one.title}: {one.problem}", "yellow", hang=2)
    level = None if one.cord is None else one.cord.tls.level
    told = [f"read as {one.reading.driver}"] if one.reading is not None else []
    told += [f"TLS {level.value}"] if level is not None else []
    if told:
        screen.say(f"{one.title}: {', '.join(told)}", "dim", hang=2)
    computed = [role for role, slot in one.slots.items() if slot.node.value is None and slot.node.variable is None]
    for role in computed:
        line = (one.place_of(role) or (0, 0))[0]
        screen.say(f"{one.title}: {_ROLES.get(role, role)} in line {line} is computed: not known here", "dim", hang=2)
    for role, variable in one.overridden.items():
        screen.say(f"{one.title}: {_ROLES.get(role, role)} comes from {variable}, which wins over the file", hang=2)
    for loser in one.losing:
        if loser.role in one.overridden:
            continue
        line = one.tree.source.place(loser.slot.node.start)[0]
        role = _ROLES.get(loser.role, loser.role)
        screen.say(f"{one.title}: {role} in line {line} does not count: {loser.winner} does", "yellow", hang=2)
    if one.pool is not None:
        library, settings = one.pool
        listed = ", ".join(f"{name} {value}" for name, value in settings.items())
        screen.say(f"{one.title}: pool {library}: {listed}", "dim", hang=2)


def _row(one: Declared) -> tuple[str, ...]:
    from ..config import secret_state

    cord, lines = one.cord, sorted((one.place_of(role) or (0, 0))[0] for role in one.slots)
    shown = str(lines[0]) if len(set(lines)) == 1 else f"{lines[0]}-{lines[-1]}"
    if cord is None:
        return one.title, "–", "–", "–", secret_state(one), shown
    hosts = ", ".join(map(str, cord.hosts))
    place = f"{hosts}/{cord.database}" if hosts and cord.database else hosts or str(cord.database or "–")
    return one.title, cord.engine, place, str(cord.user or "–"), secret_state(one), shown
