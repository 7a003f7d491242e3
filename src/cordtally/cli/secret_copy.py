"""``cordtally secret copy``: put a secret of one store into another."""

from __future__ import annotations

import click

from ..secrets import fetch, put
from .inputs import json_option
from .screen import Screen
from .secrets_told import here, located, print_done


@click.command("copy")
@click.argument("source", metavar="LOCATOR")
@click.argument("target", metavar="LOCATOR")
@json_option
def command(source: str, target: str, as_json: bool) -> int:
    """Put the secret at the first LOCATOR to the second one; it stays at the first, too."""
    around = here()
    put(located(target), fetch(located(source), around), around)
    if as_json:
        print_done("copied", target)
    else:
        Screen().say(f"{target} has what {source} has", "green")
    return 0
