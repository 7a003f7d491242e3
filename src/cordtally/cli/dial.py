"""``cordtally dial``: try connections rung by rung."""

from __future__ import annotations

import os
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple

import click

from ..dialing import DEFAULT_LIMIT, DialResult, dial, dial_all
from ..errors import CordTallyError, FieldError
from ..model import Cord, Duration
from . import completing
from .connections import CONNECTION_HELP, Connection, connections_in, from_env_option, take_connection
from .dial_told import RungPrinter, print_end
from .inputs import driver_option, environment_option, json_option, surroundings
from .output import print_json
from .screen import Screen, clean

_MOST_APART = 3
"""So many dials are shown rung by rung, one after the other; more are dialled side by side."""


class _Way(NamedTuple):
    """How dials are made and shown."""

    driver: str | None
    limit: float
    through: str | None
    screen: Screen
    quiet: bool  # another format is written at the end
    by: Cord | None = None


@click.command("dial", epilog=CONNECTION_HELP)
@click.argument("what", nargs=-1, shell_complete=completing.connections)
@from_env_option("Dial the text in this environment variable, too.")
@driver_option
@environment_option
@click.option("--all", "all_cords", is_flag=True, help="Dial all cords of the tally, side by side.")
@click.option("--every-environment", is_flag=True, help="With --all: each cord in every environment.")
@click.option("--limit", default=f"{DEFAULT_LIMIT:g}s", show_default=True, help="How long each rung may wait.")
@click.option("--through", type=click.Choice(["odbc"]), help="Log in through an ODBC driver that is installed here.")
@click.option("--wait", "patience", metavar="TIME", help="Dial again until it answers, for so long at most.")
@click.option("--repeat", "count", metavar="N", type=click.IntRange(min=1), help="Dial N times, and tell the times.")
@click.option("--every", default="1s", show_default=True, metavar="TIME", help="With --repeat: from one to the next.")
@click.option("--plot", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="With --repeat: draw it.")
@click.option("--create", is_flag=True, help="Where the database is missing: make it, after asking, and dial again.")
@click.option(
    "--by",
    metavar="CORD",
    shell_complete=completing.connections,
    help="An administrator's cord: tells who holds the connections of a full server, and makes what --create makes.",
)
@click.option("--yes", is_flag=True, help="With --create: do not ask.")
@json_option
@click.option("--junit", "as_junit", is_flag=True, help="Print JUnit's XML, which build servers show.")
@click.option("--causes", "list_causes", is_flag=True, help="List the causes why a dial breaks.")
@click.option("--explain", metavar="CAUSE", shell_complete=completing.causes, help="Tell about one cause.")
def command(
    what: tuple[str, ...],
    from_env: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    all_cords: bool,
    every_environment: bool,
    limit: str,
    through: str | None,
    patience: str | None,
    count: int | None,
    every: str,
    plot: Path | None,
    create: bool,
    by: str | None,
    yes: bool,
    as_json: bool,
    as_junit: bool,
    list_causes: bool,
    explain: str | None,
) -> int:
    """Try connections: resolve, reach, secure, log in, database, answer. Nothing is changed.

    A config file stands for all connections that it declares; what it looks up comes from this process's environment.
    """
    if list_causes or explain is not None:
        return _explain(explain, as_json)
    _refuse_together(all_cords, every_environment, environment, patience, count, plot, as_json, as_junit)
    administrator = None if by is None else take_connection(by, environment=environment, tally_file=tally_file).cord
    way = _Way(driver, Duration.parse(limit).seconds, through, Screen(), as_json or as_junit, administrator)
    if all_cords:
        named = _of_tally(tally_file, environment, every_environment=every_environment)
    elif not what and from_env is None:
        raise click.UsageError("name something to dial: a connection string, a cord of the tally, or a config file")
    else:
        named = _named(what, from_env, driver, environment, tally_file)
    if (patience is not None or count is not None) and len(named) != 1:
        raise FieldError("--wait and --repeat dial one connection")
    if yes and not create:
        raise FieldError("--yes goes with --create")
    if count is not None:
        results = _repeated(named[0], way, count, Duration.parse(every).seconds, plot)
    elif patience is not None:
        results = _waited(named[0], way, Duration.parse(patience).seconds)
    elif all_cords or len(named) > _MOST_APART:
        results = _side_by_side(named, way)
    else:
        results = _one_by_one(named, way)
    if create:
        results = [_created(one, way, result, yes=yes) for one, result in zip(named, results, strict=False)]
    titles = [_called(named[0])] * len(results) if count is not None else [_called(one) for one in named]
    if as_json:
        documents = [r.to_dict() for r in results]
        print_json(documents[0] if len(documents) == 1 else {"schema": "cordtally/dials/1", "dials": documents})
    elif as_junit:
        from ..dialing.writing import as_junit as write_junit

        click.echo(write_junit(titles, results), nl=False)
    return 0 if all(r.held for r in results) else 1


def _refuse_together(
    all_cords: bool,
    every_environment: bool,
    environment: str | None,
    patience: str | None,
    count: int | None,
    plot: Path | None,
    as_json: bool,
    as_junit: bool,
) -> None:
    if every_environment and not all_cords:
        raise FieldError("--every-environment goes with --all")
    if every_environment and environment is not None:
        raise FieldError("--every-environment and --environment go one without the other")
    if patience is not None and count is not None:
        raise FieldError("--wait and --repeat go one without the other")
    if plot is not None and count is None:
        raise FieldError("--plot goes with --repeat")
    if as_json and as_junit:
        raise FieldError("--json and --junit go one without the other")


def _named(
    what: tuple[str, ...], from_env: str | None, driver: str | None, environment: str | None, tally_file: Path | None
) -> list[Connection]:
    """All that was named, before anything is dialled: a slip in the last one is told first."""
    each = [found for one in what for found in (connections_in(one) or [one])]
    sources: list[tuple[str | None, str | None]] = [(one, None) for one in each]
    if from_env is not None:
        sources.append((None, from_env))
    return [
        take_connection(
            one, from_env=name, driver=driver, environment=environment, tally_file=tally_file, variables=os.environ
        )
        for one, name in sources
    ]


def _of_tally(tally_file: Path | None, environment: str | None, *, every_environment: bool) -> list[Connection]:
    """All cords of the tally, in one environment or in each that says anything of them."""
    from ..tally import load

    tally = load(tally_file)
    asked: list[tuple[str, str | None]] = []
    for name in tally.names():
        if not every_environment:
            asked.append((name, environment))
            continue
        layered = [one for one in tally.environments if name in tally.environments[one]]
        asked += [(name, one) for one in layered] or [(name, None)]
    if not asked:
        raise FieldError(f"{tally.path}: there is no cord in it; add one: cordtally tally add")
    made = []
    for name, one in asked:
        resolved = tally.resolve(name, environment=one)
        title = f"{name}@{resolved.environment}" if resolved.environment else name
        made.append(Connection(resolved.cord, title, resolved.folder, resolved.driver, resolved))
    return made


def _attempt(one: Connection, way: _Way, printer: RungPrinter | None = None) -> DialResult:
    how = surroundings(one.folder)
    progress = None if printer is None else printer.rung
    of_cord = one.driver if isinstance(one.given, Cord) else None  # a text tells its driver itself
    return dial(
        one.given,
        driver=way.driver or of_cord,
        limit=way.limit,
        surroundings=how,
        through=way.through,
        administrator=way.by,
        progress=progress,
    )


def _one_by_one(named: list[Connection], way: _Way) -> list[DialResult]:
    results = []
    for number, one in enumerate(named, 1):
        if len(named) > 1 and not way.quiet:
            if number > 1:
                way.screen.say()
            way.screen.say(f"{number} of {len(named)}: {_called(one)}", "bold", whole=True)
        results.append(_attempt(one, way, None if way.quiet else RungPrinter(way.screen)))
        if not way.quiet:
            print_end(way.screen, results[-1])
    return results


def _side_by_side(named: list[Connection], way: _Way) -> list[DialResult]:
    from .dial_many import live_table, print_table

    titles = [_called(one) for one in named]
    attempts: list[Callable[[], DialResult]] = [partial(_attempt, one, way) for one in named]
    if way.quiet:
        return dial_all(attempts)
    with live_table(titles) as told:
        results = dial_all(attempts, told)
    print_table(way.screen, titles, results)
    return results


def _waited(one: Connection, way: _Way, seconds: float) -> list[DialResult]:
    from .dial_many import wait

    result = wait(way.screen, partial(_attempt, one, way), seconds, quiet=way.quiet)
    if not way.quiet:
        way.screen.say()
        print_end(way.screen, result)
    return [result]


def _repeated(one: Connection, way: _Way, count: int, every: float, plot: Path | None) -> list[DialResult]:
    from .dial_many import print_repeated, repeat

    timed = repeat(way.screen, partial(_attempt, one, way), count, every, quiet=way.quiet)
    results = [result for _, result in timed]
    if not way.quiet:
        print_repeated(way.screen, results)
    if plot is not None:
        from .dial_plot import save_repeated

        save_repeated(timed, plot)
        if not way.quiet:
            way.screen.say(f"drawn: {plot}", "dim")
    return results


def _created(one: Connection, way: _Way, result: DialResult, *, yes: bool) -> DialResult:
    """Make a database that is missing, after asking, and dial again; or give the result as it was."""
    if result.diagnosis is None or result.diagnosis.id != "no-such-database":
        return result
    from ..granting import create_database, creation_of

    statement = creation_of(one.cord)
    whom = "" if way.by is None else f" as {clean(way.by.user_name or 'the administrator')}"
    if not yes and not click.confirm(f"{clean(statement)} on {clean(result.target)}{whom}?", err=True):
        return result
    create_database(one.cord, administrator=way.by, surroundings=surroundings(one.folder))
    return _one_by_one([one], way)[0]


def _explain(name: str | None, as_json: bool) -> int:
    """List the causes, or tell about one."""
    from ..catalog.causes import load_cause, load_causes
    from .dial_told import causes_document, print_cause, print_causes

    causes = list(load_causes().values()) if name is None else [load_cause(name)]
    if as_json:
        print_json({"schema": "cordtally/causes/1", "causes": causes_document(causes)})
    elif name is None:
        print_causes(Screen())
    else:
        print_cause(Screen(), name)
    return 0


def _called(one: Connection) -> str:
    """How a target is called before it is dialled: by its name, or as its masked text."""
    if one.title:
        return one.title
    try:
        return str(one.reading().text)
    except CordTallyError:
        return "a text that cannot be read"
