"""``cordtally amend``: edit one part of a connection in a config file, and leave every other byte as it is."""

from __future__ import annotations

from pathlib import Path

import click

from ..config import Declared, amend, declared_as, declared_in
from ..errors import FieldError
from ..secrets import fetch
from . import completing
from .connections import missing_file
from .inputs import surroundings
from .layout import Line
from .screen import Screen

_STYLES = {"+": "green", "-": "red", "@": "cyan"}


@click.command("amend")
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@click.argument("name", required=False)
@click.option("--host", help="The new host, with or without its port.")
@click.option("--port", metavar="PORT", help="The new port.")
@click.option("--database", help="The new database.")
@click.option("--user", help="The new user.")
@click.option(
    "--password-from",
    metavar="LOCATOR",
    shell_complete=completing.locators,
    help="Where the new password is kept: env:NAME, file:PATH, ask:",
)
@click.option("--apply", "write", is_flag=True, help="Write the file; without it the edit is only shown.")
def command(
    file: Path,
    name: str | None,
    host: str | None,
    port: str | None,
    database: str | None,
    user: str | None,
    password_from: str | None,
    write: bool,
) -> int:
    """Edit the connection NAME in FILE, at the place that wins; shown as a diff, written with --apply."""
    given = {"host": host, "port": port, "database": database, "user": user}
    changes = {role: value for role, value in given.items() if value is not None}
    if password_from is not None:
        changes["password"] = fetch(password_from, surroundings(Path())).unmask()
    if not changes:
        raise click.UsageError("say what to change: --host, --port, --database, --user, --password-from")
    if not file.is_file():
        raise FieldError(missing_file(file), path=file)
    made = amend(_chosen(file, name), changes)
    screen = Screen()
    if made.data == made.declared.tree.source.data:
        screen.say("nothing changes: it says so already", "dim")
        return 0
    for line in made.lines:
        screen.say(Line(line, _STYLES.get(line[:1], "")), whole=True)
    if made.secret_line is not None:
        screen.say(f"the password in line {made.secret_line} is replaced, and not shown")
    if write:
        made.apply()
        screen.say(f"\n{file} is written", "green")
    else:
        screen.say("\nnothing is written yet: --apply writes it", "dim")
    return 0


def _chosen(file: Path, name: str | None) -> Declared:
    if name is not None:
        return declared_as(file, name)
    every = declared_in(file)
    if len(every) != 1:
        titles = ", ".join(one.title for one in every)
        told = f"it declares {titles}" if every else "it declares no connection"
        raise FieldError(f"{file}: say which connection is meant: {told}", path=file)
    return every[0]
