"""``cordtally chest verify``: say what a chest is like."""

from __future__ import annotations

from pathlib import Path

import click

from ..errors import quoted
from ..secrets.chest.managing import verify_chest
from .chests_told import chest_argument, here, print_chest
from .inputs import json_option
from .screen import Screen


@click.command("verify")
@chest_argument
@click.option("--take-older", "older", is_flag=True, help="It is a backup that was restored: take it as it is.")
@json_option
def command(path: Path, older: bool, as_json: bool) -> int:
    """Open a chest with the key at hand, and say of which generation it is, which keys open it, and what it has."""
    found = verify_chest(path, here(), older=older)
    if as_json:
        print_chest("verified", path, **found.to_dict())
        return 0
    screen = Screen()
    screen.say(f"{quoted(path)} is whole", "green", whole=True)
    before = "" if found.previous is None else f"; generation {found.previous} lies beside it"
    screen.say(
        f"generation {found.generation}, {found.entries} entr{'y' if found.entries == 1 else 'ies'}{before}", hang=2
    )
    screen.table([[name, kind] for name, kind in found.locks], heads=("lock", "opened by a"))
    return 0
