"""``cordtally amend``: edit one part of a connection in a config file, and leave every other byte as it is."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from ..config import Amendment, Declared, amend, amend_all, declared_as, declared_below, declared_in
from ..errors import FieldError, quoted
from ..model import clear
from ..secrets import fetch
from . import completing
from .connections import missing_file
from .fields import option_fields
from .inputs import surroundings
from .layout import Line
from .naming import LEVEL, LOG_IN
from .output import DIFF_STYLES
from .screen import Screen


@click.command("amend")
@click.argument("file", type=click.Path(path_type=Path))
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
@click.option("--tls", type=LEVEL, metavar="LEVEL", help="The new TLS level, where a text holds it.")
@click.option("--ca", metavar="FILE", help="The new certificate authority, where a text holds it.")
@click.option("--login", type=LOG_IN, metavar="METHOD", help="The new way to log in, where a text holds it.")
@click.option(
    "--option",
    "options",
    multiple=True,
    metavar="NAME=VALUE",
    shell_complete=completing.options,
    help="An option, where a text holds it: connect_timeout=5s.",
)
@click.option(
    "--pool",
    "pool",
    multiple=True,
    metavar="NAME=VALUE",
    help="A setting of the pool, by its name there; may be repeated.",
)
@click.option("--keep-old", is_flag=True, help="Keep the old lines as comments, where the format has comments.")
@click.option(
    "--all-matching", "matching", metavar="PART=OLD", help="In FILE or below a folder: all connections with this part."
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
    tls: str | None,
    ca: str | None,
    login: str | None,
    options: tuple[str, ...],
    pool: tuple[str, ...],
    keep_old: bool,
    matching: str | None,
    write: bool,
) -> int:
    """Edit the connection NAME in FILE, at the place that wins; shown as a diff, written with --apply.

    With --all-matching host=OLD all that lead to a host are edited, in a file or below a folder: a server has moved.
    """
    given = {"host": host, "port": port, "database": database, "user": user, "tls": tls, "ca": ca, "login": login}
    changes: dict[str, Any] = {role: value for role, value in given.items() if value is not None}
    if options:
        changes["options"] = option_fields(options)
    if pool:
        changes["pool"] = option_fields(pool)
    if password_from is not None:
        changes["password"] = fetch(password_from, surroundings(Path())).unmask()
    if not changes:
        raise click.UsageError(
            "say what to change: --host, --port, --database, --user, --password-from, --tls, --ca, --login, --option,"
            " --pool"
        )
    if not file.exists():
        raise FieldError(missing_file(file), path=file)
    if matching is not None:
        if name is not None:
            raise click.UsageError("--all-matching goes without a NAME")
        return _amend_matching(file, matching, changes, write, keep_old)
    if file.is_dir():
        raise click.UsageError("a folder goes with --all-matching host=OLD")
    return _finish([amend(_chosen(file, name), changes, keep_old=keep_old)], write)


def _amend_matching(root: Path, matching: str, changes: dict[str, Any], write: bool, keep_old: bool) -> int:
    """Edit every connection that has a part; those that cannot be edited are told, and make the status 1."""
    role, mark, old = matching.partition("=")
    if not mark or role not in {"host", "database", "user"}:
        raise click.UsageError("--all-matching wants host=OLD, database=OLD or user=OLD")
    files = [(root, declared_in(root))] if root.is_file() else declared_below(root)
    made, refused = [], 0
    for path, every in files:
        chosen = [one for one in every if old in _parts_of(one, role)]
        try:
            if chosen:
                made.append(amend_all(chosen, changes, keep_old=keep_old))
        except FieldError as error:
            refused += 1
            Screen(err=True).say(f"{path}: {error}")
    if not made and not refused:
        raise FieldError(f"no connection there has the {role} {quoted(old)}")
    return _finish(made, write) or int(refused > 0)


def _parts_of(one: Declared, role: str) -> set[str]:
    cord = one.cord
    if cord is None:
        return set()
    if role == "host":
        return {clear(host.address) for host in cord.hosts}
    value = getattr(cord, role)
    return set() if value is None else {clear(value)}


def _finish(every: list[Amendment], write: bool) -> int:
    screen = Screen()
    changed = [made for made in every if made.data != made.declared.tree.source.data]
    if every and not changed:
        screen.say("nothing changes: it says so already", "dim")
        return 0
    for made in changed:
        for line in made.lines:
            screen.say(Line(line, DIFF_STYLES.get(line[:1], "")), whole=True)
        if made.secret_line is not None:
            screen.say(f"the password in line {made.secret_line} is replaced, and not shown")
    screen.say()
    for made in changed if write else ():
        made.apply()
        path = made.declared.tree.source.path
        behind = f", which is a link to {path.resolve()}" if path.is_symlink() else ""
        screen.say(f"{path} is written{behind}", "green")
    if not write and changed:
        count = "nothing is written yet" if len(changed) == 1 else f"{len(changed)} files, and nothing is written yet"
        screen.say(f"{count}: --apply writes it", "dim")
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
