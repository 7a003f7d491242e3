"""``cordtally tally rename``: give a cord another name."""

from __future__ import annotations

from pathlib import Path

import click

from ..tally import load
from ..tally.editing import rename_cord
from . import completing
from .inputs import json_option
from .tally_told import apply_option, finish, tally_option


@click.command("rename")
@click.argument("name", shell_complete=completing.cords)
@click.argument("new")
@tally_option
@apply_option
@json_option
def command(name: str, new: str, tally_file: Path | None, write: bool, as_json: bool) -> int:
    """Give the cord NAME the name NEW: in its own table, in all environments, and for the services that use it."""
    return finish(rename_cord(load(tally_file), name, new), write=write, as_json=as_json)
