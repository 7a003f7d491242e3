"""``cordtally chest create``: make a chest."""

from __future__ import annotations

import os
from pathlib import Path

import click

from ..errors import quoted
from ..secrets.chest.keys import FILE_VARIABLE, PASSPHRASE_VARIABLE, VARIABLE
from ..secrets.chest.managing import Key, make_chest
from .chests_told import chest_argument, print_chest, shown_path, typed_passphrase
from .inputs import json_option
from .screen import Screen


@click.command("create")
@chest_argument
@click.option("--passphrase", is_flag=True, help="Lock it with a passphrase, which is asked for.")
@click.option("--key-file", type=click.Path(path_type=Path, dir_okay=False), help="Write the key that is drawn here.")
@json_option
def command(path: Path, passphrase: bool, key_file: Path | None, as_json: bool) -> int:
    """Make the chest tally.chest beside the tally, or PATH, with a key that is drawn and kept for this user.

    With --passphrase it is opened by what somebody knows; more keys can be added: cordtally chest rekey.
    """
    if passphrase and key_file is not None:
        raise click.UsageError("give --passphrase or --key-file")
    key = Key("passphrase", typed_passphrase(path), "passphrase") if passphrase else None
    written = make_chest(path, key, key_file=key_file)
    if as_json:
        print_chest("created", path, key_file=None if written is None else shown_path(written))
        return 0
    screen = Screen()
    screen.say(f"{quoted(path)} is made", "green", whole=True)
    if written is None:
        screen.say(f"the passphrase opens it; where nobody sits, the variable {PASSPHRASE_VARIABLE}", hang=2)
    else:
        screen.say(f"its key is {quoted(written)}: without it nobody opens the chest, so keep a copy", hang=2)
        screen.say(f"elsewhere {VARIABLE} is the key, or {FILE_VARIABLE} a file with it", "dim", hang=2)
    name = os.path.basename(path)
    screen.say(f"check {name} in if you like, and let git ignore {name}.previous and .{name}.lock", "dim", hang=2)
    return 0
