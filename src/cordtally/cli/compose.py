"""``cordtally compose``: build a string from fields, or by asking a person for what is missing."""

from __future__ import annotations

import sys

import click

from ..catalog import engine_ids, load_engine
from ..composing import compose
from ..errors import CordTallyError, FieldError, quoted
from ..exchange import write
from ..model import MASK, AuthenticationMethod, Cord, Locator, Secret, TlsLevel
from ..secrets import with_secret
from . import completing
from .connections import first_target
from .convert import print_writing
from .inputs import json_option, surroundings, target_option, unmask_option
from .naming import ENGINE, LEVEL, LOG_IN
from .output import print_json
from .screen import Screen, clean

_ASKED = ("host", "port", "database", "user", "password", "tls")


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
@click.option("--no-questions", is_flag=True, help="Never ask, not even at a terminal.")
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
    no_questions: bool,
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
        "options": _options(options),
        **_hosts(host),
    }
    if sys.stdin.isatty() and sys.stderr.isatty() and not no_questions:
        fields = _ask(fields, target)
    elif fields["engine"] is None:
        raise click.UsageError(f"name the engine: --engine {', '.join(engine_ids())}")
    cord = compose(driver=target, **{k: v for k, v in fields.items() if v is not None})
    target = target or first_target(cord.engine)
    writing = write(_shown(cord, unmask), target)
    if as_json:
        print_json(writing.to_dict(unmask=unmask))
    else:
        print_writing(writing, unmask=unmask, quiet=quiet)
    return 0


def _options(given: tuple[str, ...]) -> dict[str, str] | None:
    made = {}
    for text in given:
        name, equals, value = text.partition("=")
        if not equals:
            raise FieldError(f"--option wants NAME=VALUE, like connect_timeout=5s; {quoted(name)} has no =")
        made[name] = value
    return made or None


def _hosts(given: tuple[str, ...]) -> dict[str, object]:
    hosts = [host for text in given for host in text.split(",")]
    return {"hosts": hosts} if len(hosts) > 1 else {"host": hosts[0] if hosts else None}


def _shown(cord: Cord, unmask: bool) -> Cord:
    """Fetch the secret only where it will be shown; a stand-in takes its place where it will be masked."""
    if not isinstance(cord.password, Locator):
        return cord
    from pathlib import Path

    return with_secret(cord, surroundings(Path())) if unmask else cord.copy_with(password=Secret(MASK))


def _ask(fields: dict[str, object], target: str | None) -> dict[str, object]:
    """Ask for each missing field, offering the engine's default, and show the string as it grows."""
    asked = dict(fields)
    if asked["engine"] is None:
        asked["engine"] = click.prompt("Engine", type=click.Choice(engine_ids()), default="postgresql", err=True)
    engine = load_engine(str(asked["engine"]))
    if engine.embedded:
        wanted, defaults = ["database"], {"database": ":memory:"}
    else:
        asks_host = asked.get("host") is None and asked.get("hosts") is None
        skipped = set() if asks_host else {"host", "port"}
        wanted = [name for name in _ASKED if asked.get(name) is None and name not in skipped]
        defaults = {
            "host": engine.default_host or "",
            "port": str(engine.default_port or ""),
            "password": "ask:",
            "tls": TlsLevel.VERIFY_IDENTITY.value,
        }
    for name in wanted:
        if asked.get(name) is None:
            asked[name] = _ask_field(name, defaults.get(name, ""), asked, target)
    return asked


def _ask_field(name: str, default: str, asked: dict[str, object], target: str | None) -> str | None:
    prompts = {"password": "Password from (env:NAME, file:PATH, ask:, empty for none)", "tls": "TLS level"}
    screen = Screen(err=True)
    while True:
        answer = str(click.prompt(prompts.get(name, name.capitalize()), default=default, err=True))
        trial = {k: v for k, v in {**asked, name: answer or None}.items() if v is not None}
        try:
            cord = compose(driver=target, **trial)
        except CordTallyError as error:
            screen.say(f"  {error}", "red")
            continue
        grown = write(_shown(cord, unmask=False), target or first_target(cord.engine)).text
        screen.say(f"  {clean(str(grown))}", "dim", whole=True)
        return answer or None
