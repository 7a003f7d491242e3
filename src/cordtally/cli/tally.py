"""``cordtally tally``: edit the tally; each of its commands has a module of its own."""

from __future__ import annotations

import click

from .lazy import LazyGroup

COMMANDS = {
    "add": ("tally_add", "Add a cord, from a text or fields."),
    "set": ("tally_set", "Set fields of a cord."),
    "rename": ("tally_rename", "Give a cord another name, wherever the tally has it."),
    "drop": ("tally_drop", "Drop a cord, or what an environment says of it."),
}


@click.group("tally", cls=LazyGroup, modules=COMMANDS)
def command() -> None:
    """Edit the tally: shown as a diff, written with --apply; every other byte stays as it is."""
