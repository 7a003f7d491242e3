"""``cordtally convert``: write a string for another driver, with the ledger under it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from ..composing import change_wallet
from ..exchange import Ledger, LedgerLine, Outcome, Reading, Writing, convert, write
from ..exchange.planning import Planner
from ..model import Cord, Duration
from ..secrets import with_secret
from .connections import CONNECTION_HELP, Connection, take_connection, text_options
from .inputs import driver_option, environment_option, json_option, surroundings, target_option, unmask_option
from .layout import Line
from .lines import stream_lines
from .naming import say_note
from .output import print_json
from .screen import Screen

STYLES = {
    Outcome.DROPPED: "bold red",
    Outcome.APPROXIMATED: "yellow",
    Outcome.ADDED: "cyan",
    Outcome.IMPLIED: "cyan",
    Outcome.KEPT: "dim",
}


_DEFAULT = ".default"
_MOST_DEFAULTS = 3


@click.command("convert", epilog=CONNECTION_HELP)
@text_options
@target_option("The driver to write for: npgsql, psycopg/arguments.")
@driver_option
@environment_option
@json_option
@click.option("--lines", is_flag=True, help="Read JSON lines from standard input, write JSON lines.")
@click.option("--defaults", is_flag=True, help="List the defaults that differ, each with its own line.")
@click.option("--pin", is_flag=True, help="Write the source driver's defaults out where the target's differ.")
@click.option("--limit", default="5s", show_default=True, help="With --resolve: how long a name server may take.")
@click.option("--resolve", "follow", is_flag=True, help="Follow service records, aliases and data sources first.")
@click.option(
    "--mutual-tls", type=click.Path(), metavar="FOLDER", help="Oracle: log in to TLS with the wallet in this folder."
)
@click.option("--one-way-tls", is_flag=True, help="Oracle: TLS without a wallet.")
@click.option("--tls-port", type=click.IntRange(1, 65535), help="The port for the other kind of TLS.")
@click.option("--strict", is_flag=True, help="Exit with status 1 if anything was dropped or approximated.")
@click.option("--quiet", "-q", is_flag=True, help="Print the text only.")
@unmask_option
def command(
    text: str | None,
    from_env: str | None,
    target: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    as_json: bool,
    lines: bool,
    defaults: bool,
    pin: bool,
    limit: str,
    follow: bool,
    mutual_tls: str | None,
    one_way_tls: bool,
    tls_port: int | None,
    strict: bool,
    quiet: bool,
    unmask: bool,
) -> int:
    """Write a connection string for another driver; the ledger accounts for every part."""
    if lines:
        planner = None if unmask else Planner(pin=pin)
        return stream_lines(lambda request: _convert_request(request, target, planner, pin))
    if target is None:
        raise click.UsageError("say which driver to write for: --to TARGET (cordtally drivers lists them)")
    if mutual_tls is not None and one_way_tls:
        raise click.UsageError("--mutual-tls and --one-way-tls cannot both be meant")
    if tls_port is not None and mutual_tls is None and not one_way_tls:
        raise click.UsageError("--tls-port goes with --mutual-tls or --one-way-tls")
    source = take_connection(text, from_env=from_env, driver=driver, environment=environment, tally_file=tally_file)
    if follow:
        writing = _followed(source.reading(), target, limit)
    elif mutual_tls is not None or one_way_tls:
        writing = _with_wallet(source.cord, target, mutual_tls, tls_port)
    else:
        writing = _convert(source, target, unmask, pin)
    if as_json:
        print_json(writing.to_dict(unmask=unmask))
    else:
        print_writing(writing, unmask=unmask, quiet=quiet, defaults=defaults)
        if not quiet:
            _point_to_pools(writing, source)
    return 1 if strict and writing.ledger.losses else 0


def _followed(reading: Reading, to: str, limit: str) -> Writing:
    from ..lookups import resolve

    resolution = resolve(reading, limit=Duration.parse(limit).seconds)
    writing = write(resolution.cord, to)
    steps = (LedgerLine("discovery", None, step, Outcome.ADDED, "looked up") for step in resolution.steps)
    return replace(writing, ledger=Ledger((*steps, *writing.ledger)))


def _with_wallet(given: Cord, to: str, wallet: str | None, port: int | None) -> Writing:
    cord, changes = change_wallet(given, wallet, port=port)
    writing = write(cord, to)
    changed = {line.part for line in changes}
    kept = [line for line in writing.ledger if line.part not in changed or line.outcome.is_loss]
    return replace(writing, ledger=Ledger((*changes, *kept)))


def _convert_request(
    request: Mapping[str, Any], to: str | None, planner: Planner | None, pin: bool
) -> dict[str, object] | str:
    target = request.get("to") or to
    if target is None:
        raise click.UsageError('each line needs a "to", or the command --to')
    if planner is not None:
        return planner.answer(request["text"], target, request.get("from"))
    return convert(request["text"], to=target, driver=request.get("from"), pin=pin).to_dict(unmask=True)


def _convert(source: Connection, to: str, unmask: bool, pin: bool) -> Writing:
    if isinstance(source.given, Cord):
        return write(with_secret(source.given, surroundings(source.folder)) if unmask else source.given, to)
    return convert(source.given, to=to, driver=source.driver, pin=pin)


def _point_to_pools(writing: Writing, source: Connection) -> None:
    """Say where settings of a pool are converted, as another driver's text has no place for them."""
    lost = [line for line in writing.ledger.losses if line.part.startswith("options.pool")]
    if lost:
        from ..catalog.pool_libraries import list_pools, load_pool

        driver = source.reading().driver
        pool = next((name for name in list_pools() if driver in load_pool(name).in_text_of), "POOL")
        setting = (lost[0].source or "NAME=VALUE").partition(" → ")[0]
        Screen().say(f"pools are converted apart: cordtally pool convert --from {pool} --to POOL '{setting}'", "dim")


def print_writing(writing: Writing, *, unmask: bool, quiet: bool, defaults: bool = False) -> None:
    """Print the text, and the ledger under it: first its own parts; the defaults that differ are summed up."""
    screen = Screen()
    text = writing.text.unmask() if unmask else str(writing.text)
    screen.say_exactly(text)
    losses = writing.ledger.losses
    if quiet:
        if losses:  # what is lost is never lost in silence
            parts = ", ".join(line.part.removeprefix("options.") for line in losses)
            say_note(f"dropped or approximated: {parts}; without --quiet the ledger says why")
        return
    screen.say()
    rows = []
    differing = [line for line in writing.ledger if line.part.endswith(_DEFAULT)]
    own = [line for line in writing.ledger if not line.part.endswith(_DEFAULT)]
    for line in own + differing * defaults:
        change = Line(line.source or "")
        if line.target != line.source:
            change.append(" → " if line.source else "→ ", "dim").append(line.target or "∅")
        if line.reason:
            change.append(f"\n{line.reason}", "italic")
        style = STYLES.get(line.outcome, "green")
        rows.append((Line(line.outcome.value, style), line.part.removeprefix("options."), change))
    screen.table(rows, heads=("outcome", "part", f"ledger: to {writing.target}"))
    if differing and not defaults:
        screen.say()
        screen.say(_sum_up(differing), STYLES[Outcome.IMPLIED])
    if losses:
        told = f"{len(losses)} part{'' if len(losses) == 1 else 's'} dropped or approximated"
        screen.say(f"\n{told}; the rest means the same", "yellow")
    else:
        screen.say("\nnothing lost", "green")


def _sum_up(differing: list[LedgerLine]) -> str:
    """Say in one line which defaults differ: what protects the connection first."""
    ordered = sorted(differing, key=lambda line: not line.part.startswith("tls."))
    shown = [f"{line.part.removesuffix(_DEFAULT)} {line.source} → {line.target}" for line in ordered[:_MOST_DEFAULTS]]
    more = f" and {len(ordered) - len(shown)} more" if len(ordered) > len(shown) else ""
    count = "1 default differs" if len(ordered) == 1 else f"{len(ordered)} defaults differ"
    return f"{count}: {', '.join(shown)}{more} (see --defaults, --pin)"
