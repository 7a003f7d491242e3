"""``cordtally demo``: the whole job on the shipped sample data."""

from __future__ import annotations

import sys

import click

from ..demo import STEPS, Tour
from .screen import Screen


@click.command("demo")
@click.option("--keep", is_flag=True, help="Keep the temporary folder, and say where it is.")
def command(keep: bool) -> int:
    """Walk through the whole job in a temporary folder: no server and no network is needed."""
    screen = Screen()
    failed = 0
    with Tour(keep=keep) as tour:
        for number, step in enumerate(STEPS, 1):
            screen.say(f"{number} of {len(STEPS)} ".ljust(screen.width, "─"), "dim")
            screen.say(step.sentence, "bold cyan")
            screen.say(f"$ cordtally {step.shown}", "bold", whole=True)
            sys.stdout.flush()
            status = tour.run(step)
            if status != step.status:
                failed += 1
                screen.say(f"this step ended with status {status}, not {step.status}", "bold red")
            screen.say()
        screen.say("That was the whole path, on made-up data. Start with: cordtally read TEXT")
        if keep:
            screen.say(f"kept: {tour.folder}")
    return 1 if failed else 0
