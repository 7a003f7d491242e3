"""``cordtally compare``: do two connection strings lead to the same place?"""

from __future__ import annotations

from pathlib import Path

import click

from ..comparing import Comparison, compare
from ..exchange import Reading
from ..model import Cord
from . import completing
from .connections import CONNECTION_HELP, take_connection
from .inputs import environment_option, json_option
from .naming import DRIVER
from .output import print_json
from .screen import Screen

_ASKED = {"server": "same server", "database": "same database", "user": "same user", "security": "same security"}


@click.command("compare", epilog=CONNECTION_HELP)
@click.argument("left", shell_complete=completing.connections)
@click.argument("right", shell_complete=completing.connections)
@click.option(
    "--from-left", type=DRIVER, metavar="DRIVER", help="The driver that the first text is for, where it does not tell."
)
@click.option(
    "--from-right",
    type=DRIVER,
    metavar="DRIVER",
    help="The driver that the second text is for, where it does not tell.",
)
@environment_option
@json_option
def command(
    left: str,
    right: str,
    from_left: str | None,
    from_right: str | None,
    environment: str | None,
    tally_file: Path | None,
    as_json: bool,
) -> int:
    """Compare two connection strings, in whatever notation; status 1 when they lead to different places."""
    sides = [_side(text, driver, environment, tally_file) for text, driver in ((left, from_left), (right, from_right))]
    found = compare(*sides)
    if as_json:
        print_json(found.to_dict())
    else:
        _print(found)
    return 0 if found.same_place else 1


def _side(text: str, driver: str | None, environment: str | None, tally_file: Path | None) -> Reading | Cord:
    side = take_connection(text, driver=driver, environment=environment, tally_file=tally_file, strict=False)
    return side.given if isinstance(side.given, Cord) else side.reading()


def _print(found: Comparison) -> None:
    screen = Screen()
    head = "they lead to the same place" if found.same_place else "they lead to different places"
    screen.say(head, "bold green" if found.same_place else "bold red")
    for question, asked in _ASKED.items():
        same = found.same(question)
        screen.say(f"  {asked:<14} {'yes' if same else 'no'}", "green" if same else "yellow")
    if found.differences:
        screen.say()
        rows = [(d.part, d.left, d.right, d.remark) for d in found.differences]
        screen.table(rows, heads=("differs", "first", "second", ""))
