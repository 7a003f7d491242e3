"""``cordtally demo``: the whole job on the shipped sample data."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from ..demo import STEPS, Tour
from ..errors import is_harmless, quoted
from .screen import Screen, clean


@click.command("demo")
@click.option(
    "--keep",
    metavar="FOLDER",
    type=click.Path(file_okay=False, path_type=Path),
    help="Lay the sample data out in this folder, which must be new or empty, and keep it.",
)
def command(keep: Path | None) -> int:
    """Walk through the whole job on sample data, in a temporary folder: no server and no network is needed."""
    if keep is not None and not is_harmless(str(keep)):
        raise click.UsageError(f"--keep takes the name of a folder, and not {quoted(keep)}")
    if keep is not None and keep.is_dir() and any(keep.iterdir()):
        raise click.UsageError(f"{clean(str(keep))} is not empty: name a new folder")
    screen = Screen()
    failed = 0
    with Tour(keep) as tour:
        for number, step in enumerate(STEPS, 1):
            screen.say(f"{number} of {len(STEPS)} ".ljust(screen.width, "─"), "dim")
            screen.say(step.sentence, "bold cyan")
            screen.say(f"$ cordtally {step.shown}", "bold", whole=True)
            sys.stdout.flush()
            if step.lacks:
                screen.say("(left out: it needs pip install 'cordtally[secrets,redis]')", "dim")
                screen.say()
                continue
            status = tour.run(step)
            if status != step.status:
                failed += 1
                screen.say(f"this step ended with status {status}, not {step.status}", "bold red")
            screen.say()
        screen.say("That was the whole path, on made-up data. Start with: cordtally read TEXT")
        if keep is not None:
            screen.say(f"The sample data is yours to try things on: cd {clean(str(tour.folder))}")
    return 1 if failed else 0
