"""``cordtally demo``: the whole job on the shipped sample data."""

from __future__ import annotations

import sys

import click
from rich.rule import Rule
from rich.text import Text

from ..demo import STEPS, Tour
from .output import make_console


@click.command("demo")
@click.option("--keep", is_flag=True, help="Keep the temporary folder, and say where it is.")
def command(keep: bool) -> int:
    """Walk through the whole job in a temporary folder: no server and no network is needed."""
    console = make_console()
    failed = 0
    with Tour(keep=keep) as tour:
        for number, step in enumerate(STEPS, 1):
            console.print(Rule(Text(f"{number} of {len(STEPS)}"), align="left", style="dim"))
            console.print(Text(step.sentence, style="bold cyan"))
            console.print(Text(f"$ cordtally {step.shown}", style="bold"), soft_wrap=True)
            sys.stdout.flush()
            status = tour.run(step)
            if status != step.status:
                failed += 1
                console.print(Text(f"this step ended with status {status}, not {step.status}", style="bold red"))
            console.print()
        console.print(Text("That was the whole path, on made-up data. Start with: cordtally read TEXT"))
        if keep:
            console.print(Text(f"kept: {tour.folder}"))
    return 1 if failed else 0
