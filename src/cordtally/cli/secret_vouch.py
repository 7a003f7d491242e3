"""``cordtally secret vouch``: let a command of the tally run."""

from __future__ import annotations

import shlex
import sys
from pathlib import Path

import click

from ..secrets.declarations import Command
from ..secrets.vouching import program_of, vouch, withdraw
from ..tally import load
from .inputs import json_option
from .screen import Screen
from .secrets_told import print_done


@click.command("vouch")
@click.argument("name")
@click.option("--withdraw", "ended", is_flag=True, help="Let it run no longer.")
@click.option("--yes", is_flag=True, help="Do not ask.")
@click.option(
    "--tally", "tally_file", type=click.Path(path_type=Path), help="The tally file; the nearest tally.toml if absent."
)
@json_option
def command(name: str, ended: bool, yes: bool, tally_file: Path | None, as_json: bool) -> int:
    """Let the command NAME of the tally run, which exec:NAME names: exactly this command line, in this folder.

    It is asked for at a terminal. If the line changes, or a file of the project that it names, it runs no longer.
    """
    locator = load(tally_file).locator(f"exec:{name}")
    declared = locator.declared
    assert isinstance(declared, Command)
    screen = Screen()
    if ended:
        had = withdraw(declared)
        if as_json:
            print_done("withdrawn", str(locator))
        else:
            screen.say(f"{name} runs no longer" if had else f"{name} was not let run", "green" if had else "dim")
        return 0
    if not as_json:
        screen.say(f"{name} runs:  {shlex.join([program_of(declared), *declared.run[1:]])}", hang=4, whole=True)
        screen.say(f"in the folder {declared.folder}", "dim", hang=4, whole=True)
    if not yes:
        if not sys.stdin.isatty():
            raise click.UsageError("nobody can be asked here: --yes says that you have looked at what it runs")
        if not click.confirm("May it run?", err=True):
            return 1
    vouch(declared)
    if as_json:
        print_done("vouched", str(locator))
    else:
        screen.say(f"{name} may run, as it is now", "green")
    return 0
