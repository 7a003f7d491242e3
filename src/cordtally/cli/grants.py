"""``cordtally grants``: the statements that make a user who may do what a cord needs, and nothing else."""

from __future__ import annotations

from pathlib import Path

import click

from ..catalog import load_engine
from ..errors import FieldError
from ..granting import ENGINES, Grants, apply_grants, grants_for
from ..granting.statements import Access
from . import completing
from .connections import CONNECTION_HELP, take_connection
from .inputs import driver_option, environment_option, json_option, surroundings
from .output import print_json
from .screen import Screen


@click.command("grants", epilog=CONNECTION_HELP)
@click.argument("what", metavar="CORD", shell_complete=completing.connections)
@driver_option
@environment_option
@click.option("--read-only", "access", flag_value="read-only", help="It reads.")
@click.option("--read-write", "access", flag_value="read-write", help="It reads and writes rows.")
@click.option("--owner", "access", flag_value="owner", help="It may change the tables, too.")
@click.option("--user", metavar="NAME", help="Another user than the cord's.")
@click.option("--schema", "schemas", multiple=True, metavar="NAME", help="A schema that it may use; may be repeated.")
@click.option("--from-host", "host", default="%", show_default=True, metavar="HOST", help="MySQL: where it comes from.")
@click.option("--apply", "write", is_flag=True, help="Run them, through the cord of --by, after asking.")
@click.option("--by", metavar="CORD", shell_complete=completing.connections, help="The administrator's cord.")
@click.option("--yes", is_flag=True, help="Do not ask.")
@json_option
def command(
    what: str,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    access: Access | None,
    user: str | None,
    schemas: tuple[str, ...],
    host: str,
    write: bool,
    by: str | None,
    yes: bool,
    as_json: bool,
) -> int:
    """Print the statements that make a cord's user with no more rights than are needed, or run them.

    Nothing that is printed holds a password: --apply sets it from the cord's secret, so that no log of the server's
    has it.
    """
    if access is None:
        raise click.UsageError("say what it may do: --read-only, --read-write or --owner")
    if (by is None) == write:
        raise FieldError("--apply and --by CORD go together")
    one = take_connection(what, driver=driver, environment=environment, tally_file=tally_file)
    grants = grants_for(one.cord, access, user=user, schemas=schemas, host=host)
    screen = Screen()
    if as_json:
        print_json(grants.to_dict())
    else:
        _print(screen, grants)
    if not write or by is None:
        return 0
    administrator = take_connection(by, environment=environment, tally_file=tally_file, strict=False)
    if not yes and not click.confirm(f"run them as {administrator.cord.user or 'the administrator'}?", err=True):
        return 1
    how = surroundings(one.folder)
    apply_grants(grants, one.cord, administrator.cord, surroundings=how)
    if not as_json:
        screen.say(f"{grants.user} is made, with the cord's password", "bold green")
    return 0


def _print(screen: Screen, grants: Grants) -> None:
    way = ENGINES[grants.engine]
    mark, end = way.comment, way.end
    title = load_engine(grants.engine).title
    screen.say_exactly(f"{mark} {title}: {grants.user}, {grants.access}; for {way.client}")
    inside = False
    for one in grants.statements:
        if one.inside and not inside and way.connects:
            screen.say_exactly(f"{mark} connected to {grants.database}:")
        inside = one.inside
        screen.say_exactly(one.text + end)
    if way.applied:
        screen.say_exactly(f"{mark} it has no password yet: --apply sets the cord's, or set one by hand")
