"""``cordtally secret put``: keep a secret."""

from __future__ import annotations

import sys

import click

from ..errors import FieldError
from ..model import Secret
from ..secrets import put, refuse_unwritable
from ..secrets.drawing import USUAL, draw
from .inputs import json_option
from .screen import Screen
from .secrets_told import here, located, print_done


@click.command("put")
@click.argument("locator")
@click.option("--make", is_flag=True, help=f"Draw one of {USUAL} characters; it is not shown.")
@json_option
def command(locator: str, make: bool, as_json: bool) -> int:
    """Keep a secret at LOCATOR, like file:secrets/tides, in place of one that is there.

    It is asked for twice at a terminal, and read from standard input otherwise: one line end is none of it.
    """
    place = located(locator)
    refuse_unwritable(place)
    secret = draw() if make else _given()
    put(place, secret, here())
    if as_json:
        print_done("put", locator)
    else:
        Screen().say(f"{locator} is kept", "green")
    return 0


def _given() -> Secret:
    if sys.stdin.isatty():
        return Secret(click.prompt("Secret", hide_input=True, confirmation_prompt="Once more", err=True))
    text = sys.stdin.read().removesuffix("\n").removesuffix("\r")
    if not text:
        raise FieldError("standard input has no secret: pipe it in, or draw one with --make")
    return Secret(text)
