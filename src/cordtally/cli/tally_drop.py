"""``cordtally tally drop``: drop a cord."""

from __future__ import annotations

from pathlib import Path

import click

from ..tally import load
from ..tally.editing import drop_cord
from . import completing
from .connections import environment_of
from .inputs import environment_option, json_option
from .tally_told import apply_option, finish


@click.command("drop")
@click.argument("name", shell_complete=completing.cords)
@environment_option
@apply_option
@json_option
def command(name: str, environment: str | None, tally_file: Path | None, write: bool, as_json: bool) -> int:
    """Drop the cord NAME from the tally; with --environment only what is laid over it there.

    Its secret stays where it is.
    """
    tally = load(tally_file)
    name, at, stated = name.partition("@")
    edit = drop_cord(tally, name, environment=environment_of(tally, stated if at else environment))
    return finish(edit, write=write, as_json=as_json)
