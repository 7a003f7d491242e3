"""``cordtally emit``: the block that a framework wants for a cord, with its secret by that platform's own reference."""

from __future__ import annotations

from pathlib import Path

import click

from ..config import emit, emitted_layouts
from . import completing
from .connections import CONNECTION_HELP, take_connection
from .inputs import environment_option, json_option
from .naming import Aliased, Called
from .output import print_json
from .screen import Screen

LAYOUT = Called("layout", emitted_layouts)


@click.command("emit", epilog=CONNECTION_HELP)
@click.argument("text", metavar="CORD", shell_complete=completing.connections)
@click.option(
    "--to",
    "layout",
    cls=Aliased,
    also=["--for"],
    type=LAYOUT,
    required=True,
    metavar="LAYOUT",
    help=f"What it is for: {', '.join(emitted_layouts())}.",
)
@click.option("--name", help="What the connection is called there; the cord's name if absent.")
@environment_option
@json_option
def command(
    text: str, layout: str, name: str | None, environment: str | None, tally_file: Path | None, as_json: bool
) -> int:
    """Write the config block of a framework for a cord. Its secret is named, and never written."""
    source = take_connection(text, environment=environment, tally_file=tally_file)
    head, _, behind = source.title.partition(" in ")
    made = emit(
        source.cord, layout, name=name or (head if head.isidentifier() else "tides"), environment=behind or None
    )
    if as_json:
        print_json(made.to_dict())
        return 0
    Screen().say_exactly(made.text.rstrip("\n"))
    beside = Screen(err=True)
    beside.say(f"\n{made.layout.title}: this goes into {made.file}", "bold")
    if made.packages:
        beside.say(f"it needs {'; '.join(made.packages)}")
    if made.secret is not None:
        beside.say(f"the secret is put into {made.secret}")
    for line in made.ledger.losses:
        beside.say(f"not in it: {line.part.removeprefix('options.')} {line.source}: {line.reason}", "yellow", hang=2)
    return 0
