"""``cordtally secret rotate``: give a cord another password, on its server and in its store."""

from __future__ import annotations

import time
from pathlib import Path

import click

from ..model import Duration
from ..rotating import Mode, Rotation, finish, plan, rotate
from ..secrets.drawing import USUAL
from ..tally import load
from . import completing
from .connections import environment_of
from .inputs import environment_option, json_option, surroundings
from .output import print_json
from .screen import Screen

_STEPS = (
    "the password in use is proved: it logs in",
    "a new one is drawn, and kept beside it",
    "the server is told",
    "the new one is proved",
    "it becomes the one in use",
    "what the store gives is proved",
)


@click.command("rotate")
@click.argument("cord", shell_complete=completing.cords)
@click.option("--by", metavar="CORD", help="The cord of an administrator who may change the password.")
@click.option("--alternate", is_flag=True, help="Switch to the other one of two users, of [rotations.CORD].")
@click.option("--grace", metavar="TIME", help="Let the old password live beside the new one, for TIME at least.")
@click.option("--finish", "ended", is_flag=True, help="End the old password that a rotation with --grace left.")
@click.option("--wait", is_flag=True, help="With --grace: wait, and end the old password then.")
@click.option("--length", default=USUAL, show_default=True, metavar="N", help="Characters of the new password.")
@click.option("--limit", default="10s", show_default=True, metavar="TIME", help="For each question to the server.")
@environment_option
@click.option("--apply", "write", is_flag=True, help="Do it; it is said what would be done without.")
@json_option
def command(
    cord: str,
    by: str | None,
    alternate: bool,
    grace: str | None,
    ended: bool,
    wait: bool,
    length: int,
    limit: str,
    environment: str | None,
    tally_file: Path | None,
    write: bool,
    as_json: bool,
) -> int:
    """Give CORD another password: drawn, told to the server as a hash, proved, and put into its store.

    At every instant the store has a password that logs in. If it is interrupted, the same command goes on.
    """
    if alternate + (grace is not None) + ended > 1:
        raise click.UsageError("give one of --alternate, --grace and --finish")
    if wait and grace is None:
        raise click.UsageError("--wait goes with --grace TIME")
    tally = load(tally_file)
    name, at, stated = cord.partition("@")
    environment = environment_of(tally, stated if at else environment)
    around = surroundings(tally.folder)
    mode = Mode.ALTERNATE if alternate else Mode.GRACE if grace is not None else Mode.PLAIN
    seconds = None if grace is None else Duration.parse(grace).seconds
    screen = Screen()

    def told(step: str) -> None:
        if not as_json:
            screen.say(f"  {step}")

    if not write and not ended:
        made = plan(tally, name, environment=environment, mode=mode, surroundings=around)
        if as_json:
            print_json(made.to_dict())
        else:
            _print_plan(screen, made)
        return 0
    most = Duration.parse(limit).seconds
    if ended:
        made = finish(tally, name, environment=environment, by=by, limit=most, progress=told, surroundings=around)
    else:
        made = rotate(
            tally, name, environment=environment, mode=mode, by=by, grace=seconds, length=length, limit=most,
            progress=told, surroundings=around,
        )  # fmt: skip
        if wait and seconds is not None:
            if not as_json:
                screen.say(f"waiting {grace} for the old password to end", "dim")
            time.sleep(seconds)
            made = finish(tally, name, environment=environment, by=by, limit=most, progress=told, surroundings=around)
    if as_json:
        print_json(made.to_dict())
    else:
        _print(screen, made)
    return 0


def _print_plan(screen: Screen, made: Rotation) -> None:
    whom = f", from the user {made.user} to {made.to}" if made.to != made.user else ""
    screen.say(f"{made.cord}: another password for {made.to or 'the user'}, kept at {made.kept_at}{whom}", hang=2)
    for step in _STEPS:
        screen.say(f"  {step}", "dim")
    if made.mode is Mode.GRACE:
        screen.say("  the old password lives on, until it is ended", "dim")
    screen.say("nothing is done yet: --apply does it", "dim")


def _print(screen: Screen, made: Rotation) -> None:
    if made.resumed:
        screen.say("(it was begun before, and taken up)", "dim")
    if made.state == "grace":
        after = "" if made.until is None else f" after {time.strftime('%H:%M:%S', time.localtime(made.until))}"
        screen.say(f"{made.cord} has another password; the old one lives on: end it{after} with --finish", "yellow")
    elif made.state == "finished":
        screen.say(f"{made.cord} has one password again", "green")
    else:
        whom = f", as {made.to}" if made.to != made.user else ""
        screen.say(f"{made.cord} has another password{whom}", "green")
