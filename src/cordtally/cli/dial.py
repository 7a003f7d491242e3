"""``cordtally dial``: try connections rung by rung."""

from __future__ import annotations

import os
from pathlib import Path

import click

from ..dialing import DEFAULT_LIMIT, DialResult, Rung, RungOutcome, dial
from ..errors import CordTallyError
from ..model import Duration
from ..pooling import show_seconds
from . import completing
from .connections import CONNECTION_HELP, Connection, connections_in, from_env_option, take_connection
from .inputs import driver_option, environment_option, json_option, surroundings
from .layout import Line
from .output import print_json
from .screen import Screen, clean

_SIGNS = {
    RungOutcome.HELD: ("✓", "green"),
    RungOutcome.NOT_NEEDED: ("–", "dim"),
    RungOutcome.BROKE: ("✗", "bold red"),
    RungOutcome.NOT_TRIED: ("·", "dim"),
}


@click.command("dial", epilog=CONNECTION_HELP)
@click.argument("what", nargs=-1, shell_complete=completing.connections)
@from_env_option("Dial the text in this environment variable, too.")
@driver_option
@environment_option
@click.option("--limit", default=f"{DEFAULT_LIMIT:g}s", show_default=True, help="How long each rung may wait.")
@json_option
def command(
    what: tuple[str, ...],
    from_env: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    limit: str,
    as_json: bool,
) -> int:
    """Try connections: resolve, reach, secure, log in, database, answer. Nothing is changed.

    A config file stands for all connections that it declares; what it looks up comes from this process's environment.
    """
    if not what and from_env is None:
        raise click.UsageError("name something to dial: a connection string, a cord of the tally, or a config file")
    seconds = Duration.parse(limit).seconds
    each = [found for one in what for found in (connections_in(one) or [one])]
    sources: list[tuple[str | None, str | None]] = [(one, None) for one in each]
    if from_env is not None:
        sources.append((None, from_env))
    # all names first: a slip in the last one is told before anything is dialled
    named = [
        take_connection(
            one, from_env=name, driver=driver, environment=environment, tally_file=tally_file, variables=os.environ
        )
        for one, name in sources
    ]
    screen = Screen()
    results = []
    for number, one in enumerate(named, 1):
        if len(named) > 1 and not as_json:
            screen.say(f"{number} of {len(named)}: {_called(one)}", "bold", whole=True)
        progress = None if as_json else _Printer(screen).rung
        how = surroundings(one.folder)
        result = dial(one.given, driver=driver, limit=seconds, surroundings=how, progress=progress)
        results.append(result)
        if not as_json:
            _print_end(screen, result)
    if as_json:
        documents = [r.to_dict() for r in results]
        print_json(documents[0] if len(documents) == 1 else {"schema": "cordtally/dials/1", "dials": documents})
    return 0 if all(r.held for r in results) else 1


def _called(one: Connection) -> str:
    """How a target is called before it is dialled: by its name, or as its masked text."""
    if one.title:
        return one.title
    try:
        return str(one.reading().text)
    except CordTallyError:
        return "a text that cannot be read"


class _Printer:
    def __init__(self, screen: Screen) -> None:
        self.screen = screen

    def rung(self, rung: Rung) -> None:
        """Print a rung as soon as it has ended."""
        sign, style = ("!", "yellow") if rung.in_clear else _SIGNS[rung.outcome]
        time = "" if rung.seconds is None or rung.outcome is RungOutcome.NOT_NEEDED else show_seconds(rung.seconds)
        line = Line(f"  {sign} ", style).append(f"{rung.name:<9}", style).append(f"{time:>9}  ")
        said = {RungOutcome.NOT_NEEDED: f"not needed: {rung.detail}", RungOutcome.NOT_TRIED: "not tried"}
        detail = clean(said.get(rung.outcome, rung.detail))
        self.screen.say(line.append(detail))


def _print_end(screen: Screen, result: DialResult) -> None:
    if result.diagnosis is None:
        screen.say(f"{clean(result.target)} answers", "bold green")
    else:
        code = f" (the server's code: {result.diagnosis.code})" if result.diagnosis.code else ""
        screen.say(f"broke at {result.broke_at}: {clean(result.diagnosis.cause)}{code}", "bold red")
        screen.say(f"what to do: {result.diagnosis.hint}")
    screen.say()
