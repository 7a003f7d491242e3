"""``cordtally compose``: build a string from fields, or by asking a person for what is missing."""

from __future__ import annotations

import shlex
import sys
from collections.abc import Mapping
from pathlib import Path

import click

from ..catalog import load_engine, some_engines
from ..composing import compose, fill_in
from ..exchange import write
from ..model import AuthenticationMethod, Cord, Locator, TlsLevel
from ..secrets import with_secret
from . import completing
from .connections import first_target
from .convert import print_writing
from .fields import host_fields, option_fields, shown
from .inputs import json_option, surroundings, target_option, unmask_option
from .naming import ENGINE, LEVEL, LOG_IN, say_note
from .output import print_json

_PLACE = ("host", "hosts", "database", "user", "password")


@click.command("compose")
@click.option(
    "--engine", type=ENGINE, metavar="ENGINE", help="The database system: postgresql, mysql, mariadb, sqlite."
)
@click.option("--host", multiple=True, help="A name, address, name:port, name\\instance or socket's path; repeatable.")
@click.option("--port", metavar="PORT", help="The port, from 1 to 65535.")
@click.option("--database", help="Where to land: a database, or a file.")
@click.option("--user", help="The user to log in as.")
@click.option(
    "--password-from",
    metavar="LOCATOR",
    shell_complete=completing.locators,
    help="Where the password is kept: env:NAME, file:PATH, ask:",
)
@click.option(
    "--login", type=LOG_IN, metavar="METHOD", help=f"How to log in: {', '.join(m.value for m in AuthenticationMethod)}."
)
@click.option("--tls", type=LEVEL, metavar="LEVEL", help=f"{', '.join(level.value for level in TlsLevel)}.")
@click.option("--ca", type=click.Path(), metavar="FILE", help="The certificates of the authorities that are trusted.")
@click.option("--certificate", type=click.Path(), metavar="FILE", help="The client's certificate.")
@click.option("--key", type=click.Path(), metavar="FILE", help="The private key of that certificate.")
@click.option(
    "--option",
    "options",
    multiple=True,
    metavar="NAME=VALUE",
    shell_complete=completing.settings,
    help="An option, like connect_timeout=5s.",
)
@target_option("The driver to write for; the engine's first one if absent.")
@click.option(
    "--questions/--no-questions",
    default=None,
    help="Ask for what is missing, or never.  [default: at a terminal, where no place is given]",
)
@click.option("--as-given", is_flag=True, help="Fill in nothing that the host's service is known to want.")
@json_option
@click.option("--quiet", "-q", is_flag=True, help="Print the text only.")
@unmask_option
def command(
    engine: str | None,
    host: tuple[str, ...],
    port: str | None,
    database: str | None,
    user: str | None,
    password_from: str | None,
    login: str | None,
    tls: str | None,
    ca: str | None,
    certificate: str | None,
    key: str | None,
    options: tuple[str, ...],
    target: str | None,
    questions: bool | None,
    as_given: bool,
    as_json: bool,
    quiet: bool,
    unmask: bool,
) -> int:
    """Build a connection string. A password is never taken as an argument: say where it is kept."""
    fields: dict[str, object] = {
        "engine": engine,
        "port": port,
        "database": database,
        "user": user,
        "password": password_from,
        "login": login,
        "tls": tls,
        "ca": ca,
        "certificate": certificate,
        "key": key,
        "options": option_fields(options),
        **host_fields(host),
    }
    asked = sys.stdin.isatty() and sys.stderr.isatty() and all(fields.get(name) is None for name in _PLACE)
    if asked if questions is None else questions:
        from .asking import ask
        from .screen import Screen

        fields, target = ask(fields, target)
        Screen(err=True).say_exactly(f"\nthe same without questions:\n{_command(fields, target)}\n")
    elif fields["engine"] is None:
        raise click.UsageError(f"name the engine, with --engine: {some_engines()}")
    target = target or first_target(load_engine(str(fields["engine"])).id)
    cord = compose(driver=target, **{k: v for k, v in fields.items() if v is not None})
    filled = None if as_given else fill_in(cord)
    writing = write(_shown(cord if filled is None else filled.cord, unmask), target)
    if as_json:
        document = writing.to_dict(unmask=unmask)
        print_json(document | ({"filled_in": list(filled.lines)} if filled is not None and filled.lines else {}))
    else:
        if filled is not None and filled.lines:
            wanted_by = filled.place or load_engine(cord.engine)
            say_note(f"filled in for {wanted_by.title}: {', '.join(filled.lines)}; --as-given leaves it out")
        print_writing(writing, unmask=unmask, quiet=quiet)
    return 0


def _command(fields: Mapping[str, object], target: str | None) -> str:
    """Give the command line that gives the same."""
    words = ["cordtally", "compose"]
    for name, value in {**fields, "to": target}.items():
        option = {"hosts": "--host", "password": "--password-from", "options": "--option"}.get(name, f"--{name}")
        if isinstance(value, Mapping):
            for key, text in value.items():
                words += [option, f"{key}={text}"]
        elif value is not None:
            words += [option, ",".join(value) if isinstance(value, list) else str(value)]
    return shlex.join(words)


def _shown(cord: Cord, unmask: bool) -> Cord:
    """Fetch the secret only where it will be shown; a stand-in takes its place where it will be masked."""
    return with_secret(cord, surroundings(Path())) if unmask and isinstance(cord.password, Locator) else shown(cord)
