"""``cordtally chest``: the project's own encrypted file; each of its commands has a module of its own."""

from __future__ import annotations

import click

from .lazy import LazyGroup

COMMANDS = {
    "create": ("chest_create", "Make a chest, and its first key."),
    "verify": ("chest_verify", "Say what a chest is like, and whether it is whole."),
    "rekey": ("chest_rekey", "Let another key open it, or some no longer."),
    "export": ("chest_export", "Print what is in it."),
}


@click.group("chest", cls=LazyGroup, modules=COMMANDS)
def command() -> None:
    """Keep secrets in Cord Tally's own encrypted file, tally.chest, which may be checked in.

    Entries are put, fetched and listed like those of any store: cordtally secret put chest:tides/production.
    """
