"""``cordtally show``: a cord of the tally, each field with the layer it came from."""

from __future__ import annotations

from pathlib import Path

import click

from ..exchange import write
from ..tally import Resolved, load
from . import completing
from .connections import environment_of, first_target
from .inputs import environment_option, json_option, target_option
from .layout import Line
from .output import print_json
from .screen import Screen


@click.command("show")
@click.argument("cord", required=False, shell_complete=completing.cords)
@environment_option
@target_option("Show it as written for this driver; the cord's own if absent.")
@json_option
def command(
    cord: str | None, environment: str | None, tally_file: Path | None, target: str | None, as_json: bool
) -> int:
    """Show a resolved cord: each field, and the layer that it came from. Without a name: all cords."""
    tally = load(tally_file)
    environment = environment_of(tally, environment)
    if cord is None:
        rows = [_summary(tally.resolve(name, environment=environment)) for name in tally.names()]
        if as_json:
            keys = ("cord", "engine", "place", "database", "password")
            print_json({"schema": "cordtally/tally/1", "cords": [dict(zip(keys, row)) for row in rows]})
        else:
            Screen().table(rows, heads=("cord", "engine", "place", "database", "password"), shrink=2)
        return 0
    resolved = tally.resolve(cord, environment=environment)
    written = write(resolved.cord, target or resolved.driver or first_target(resolved.cord.engine))
    if as_json:
        fields = [{"field": o.field, "value": o.value, "layer": o.layer} for o in resolved.origins]
        head = {"schema": "cordtally/cord/1", "cord": cord, "environment": environment}
        print_json({**head, "fields": fields, "target": written.target, "text": str(written.text)})
        return 0
    screen = Screen()
    where = f" in {environment}" if environment else ""
    origins = [(o.field, Line(o.value.replace(", ", "\n")), o.layer) for o in resolved.origins]
    screen.say(f"{cord}{where}, from {tally.path.name}", "bold")
    screen.say()
    screen.table(origins, heads=("field", "value", "layer"), shrink=1)
    screen.say()
    without = " (without its password)" if resolved.cord.password is not None else ""
    screen.say(f"for {written.target}{without}:", "dim")
    screen.say_exactly(str(written.text))
    return 0


def _summary(resolved: Resolved) -> tuple[str, str, str, str, str]:
    cord = resolved.cord
    place = ", ".join(str(h) for h in cord.hosts) or "–"
    return (
        resolved.name,
        cord.engine,
        place,
        str(cord.database or "–"),
        "–" if cord.password is None else str(cord.password),
    )
