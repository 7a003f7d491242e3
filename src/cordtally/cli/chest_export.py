"""``cordtally chest export``: print what is in a chest."""

from __future__ import annotations

from pathlib import Path

import click

from ..model import MASK
from ..secrets.chest.keeping import open_chest
from .chests_told import chest_argument, here, print_chest
from .inputs import json_option, unmask_option
from .screen import Screen


@click.command("export")
@chest_argument
@unmask_option
@json_option
def command(path: Path, unmask: bool, as_json: bool) -> int:
    """Print the entries of a chest, masked; with --unmask in clear, and with --json for programs."""
    entries = open_chest(path, here()).entries
    shown = {name: entry.secret if unmask else MASK for name, entry in entries.items()}
    if as_json:
        print_chest("exported", path, secrets=shown)
        return 0
    screen = Screen()
    if not shown:
        screen.say("it has no entry", "dim")
    elif unmask:
        for name, secret in shown.items():
            screen.say_exactly(f"{name}\t{secret}")
    else:
        screen.table(list(shown.items()), heads=("entry", "secret"))
    return 0
