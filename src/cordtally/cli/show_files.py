"""Shows the connections that files declare, each with its places: what ``cordtally show FILE`` prints."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..catalog import nearest_names
from ..errors import UnknownName
from .output import print_json
from .screen import Screen

if TYPE_CHECKING:
    from ..config import Declared

_ROLES = {"text": "the text", "engine_in": "the engine"}
_LOOKERS = frozenset(["xml", "java", "csharp", "kotlin", "scala"])
FORMATS = ("symfony-variables", "systemd-variables", "container-variables", "r-variables", "bash", "ini")


def show_files(
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
