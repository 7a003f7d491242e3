"""``cordtally secret get``: fetch a secret."""

from __future__ import annotations

import click

from ..secrets import fetch
from .inputs import json_option, unmask_option
from .screen import Screen
from .secrets_told import here, located, print_done


@click.command("get")
@click.argument("locator")
@unmask_option
@json_option
def command(locator: str, unmask: bool, as_json: bool) -> int:
    """Fetch the secret at LOCATOR, like env:TIDES_PASSWORD, and say that it is there; with --unmask print it."""
    secret = fetch(located(locator), here())
    if as_json:
        print_done("got", locator, secret, unmask=unmask)
    elif unmask:
        click.echo(secret.unmask())
    else:
        size = len(secret.unmask())
        Screen().say(f"{locator} has a secret of {size} character{'s' * (size != 1)}; --unmask prints it")
    return 0
