"""``cordtally tally set``: set fields of a cord."""

from __future__ import annotations

from pathlib import Path

import click

from ..tally import load
from ..tally.editing import set_fields
from . import completing
from .connections import environment_of
from .inputs import environment_option, json_option
from .tally_told import apply_option, finish, read_fields


@click.command("set")
@click.argument("name", shell_complete=completing.cords)
@click.argument("fields", metavar="FIELD=VALUE...", nargs=-1)
@click.option("--unset", multiple=True, metavar="FIELD", help="Take a field out, like options.connect_timeout.")
@environment_option
@apply_option
@json_option
def command(
    name: str,
    fields: tuple[str, ...],
    unset: tuple[str, ...],
    environment: str | None,
    tally_file: Path | None,
    write: bool,
    as_json: bool,
) -> int:
    """Set fields of the cord NAME: host=gauge.greywick.example, options.connect_timeout=5s; hosts=A,B.

    With --environment what is laid over the cord there is set.
    """
    if not fields and not unset:
        raise click.UsageError("say what to set: FIELD=VALUE, or --unset FIELD")
    tally = load(tally_file)
    name, at, stated = name.partition("@")
    environment = environment_of(tally, stated if at else environment)
    edit = set_fields(tally, name, read_fields(fields), unset=unset, environment=environment)
    return finish(edit, write=write, as_json=as_json)
