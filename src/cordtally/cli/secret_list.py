"""``cordtally secret list``: what a store, a folder or a file keeps."""

from __future__ import annotations

import click

from ..secrets import list_kept
from .inputs import json_option
from .output import print_json
from .screen import Screen
from .secrets_told import here, located


@click.command("list")
@click.argument("place", metavar="STORE")
@json_option
def command(place: str, as_json: bool) -> int:
    """List the locators of what STORE keeps: env:, file:secrets, envfile:.env, credential:. No secret is read."""
    found = list_kept(located(place), here())
    if as_json:
        unknown = dict.fromkeys(("where", "changed", "expires", "others_may_read", "problem"))
        rows: list[dict[str, object]] = [{"locator": one, "cords": [], "known": True, **unknown} for one in found]
        print_json({"schema": "cordtally/secrets/1", "secrets": rows})
        return 0
    screen = Screen()
    for one in found:
        screen.say(one, whole=True)
    if not found:
        screen.say("it keeps nothing", "dim")
    return 0
