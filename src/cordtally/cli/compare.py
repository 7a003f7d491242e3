"""``cordtally compare``: do two connection strings lead to the same place?"""

from __future__ import annotations

from pathlib import Path

import click

from ..comparing import Comparison, compare
from ..exchange import Reading, read
from ..model import Cord
from .inputs import TEXT_HELP, environment_option, json_option, take_cord_or_text, take_text
from .output import print_json
from .screen import Screen

_ASKED = {"server": "same server", "database": "same database", "user": "same user", "security": "same security"}


@click.command("compare", epilog=TEXT_HELP + " A bare name is a cord of the tally.")
@click.argument("left")
@click.argument("right")
@click.option("--from-left", metavar="DRIVER", help="The driver that the first text is for, where it does not tell.")
@click.option("--from-right", metavar="DRIVER", help="The driver that the second text is for, where it does not tell.")
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
    given = take_text(text, None)
    if driver is not None:
        return read(given, driver=driver)
    cord_or_text, _ = take_cord_or_text(given, environment, tally_file, strict=False)
    return cord_or_text if isinstance(cord_or_text, Cord) else read(cord_or_text)


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
