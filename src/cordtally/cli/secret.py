"""``cordtally secret``: secrets in their stores; each of its commands has a module of its own."""

from __future__ import annotations

import click

from .lazy import LazyGroup

COMMANDS = {
    "check": ("secret_check", "Say whether the secrets of the tally are there, and who else may read them."),
    "get": ("secret_get", "Fetch a secret; shown in clear with --unmask alone."),
    "put": ("secret_put", "Keep a secret: typed, from standard input, or drawn."),
    "copy": ("secret_copy", "Put a secret of one store into another."),
    "list": ("secret_list", "List what a store, a folder or a file keeps."),
    "drop": ("secret_drop", "Keep a secret no longer."),
    "rotate": ("secret_rotate", "Give a cord another password, on its server and in its store."),
    "vouch": ("secret_vouch", "Let a command of the tally run that prints a secret."),
    "make": ("secret_make", "Draw a password that needs no escaping anywhere."),
}


@click.group("secret", cls=LazyGroup, modules=COMMANDS)
def command() -> None:
    """Keep secrets in their stores: env:, envfile:, file:, credential:, keychain:, chest:, exec:,
    remote:, broker:, ask:.

    A secret is never an argument. Relative paths start from the folder of the nearest tally, or else from this one.
    """
