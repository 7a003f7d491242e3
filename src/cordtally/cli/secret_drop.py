"""``cordtally secret drop``: keep a secret no longer."""

from __future__ import annotations

import click

from ..secrets import drop
from .inputs import json_option
from .screen import Screen
from .secrets_told import here, located, print_done


@click.command("drop")
@click.argument("locator")
@json_option
def command(locator: str, as_json: bool) -> int:
    """Keep the secret at LOCATOR no longer: its file or line is deleted. Nothing undoes it."""
    drop(located(locator), here())
    if as_json:
        print_done("dropped", locator)
    else:
        Screen().say(f"{locator} is dropped", "green")
    return 0
