"""``cordtally secret make``: draw a password that needs no escaping anywhere."""

from __future__ import annotations

import click

from ..secrets.drawing import USUAL, draw, entropy
from .inputs import json_option
from .screen import Screen
from .secrets_told import print_done


@click.command("make")
@click.option("--length", default=USUAL, show_default=True, metavar="N", help="Characters: 8 to 512.")
@json_option
def command(length: int, as_json: bool) -> int:
    """Draw a password of letters and digits, the first a letter, and print it.

    It needs no escaping in any notation, config format or shell. To keep it without its being shown: cordtally secret
    put LOCATOR --make.
    """
    secret = draw(length)
    if as_json:
        print_done("made", None, secret, unmask=True, bits=round(entropy(length), 1))
        return 0
    click.echo(secret.unmask())
    Screen(err=True).say(f"{entropy(length):.0f} bits", "dim")
    return 0
