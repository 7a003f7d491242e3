"""``cordtally pool convert``: write the settings of one pool library for another."""

from __future__ import annotations

from pathlib import Path

import click

from ..catalog.pool_libraries import list_pools, load_pool
from ..errors import FieldError, quoted
from ..exchange import Outcome
from ..pooling.settings import PoolConversion, convert_pool, read_settings
from ..pooling.settings.reading import own_settings, read_settings_file
from . import completing
from .inputs import json_option
from .layout import Line
from .naming import POOL
from .output import print_json
from .screen import Screen

_STYLES = {Outcome.DROPPED: "bold red", Outcome.APPROXIMATED: "yellow", Outcome.IMPLIED: "cyan", Outcome.ADDED: "cyan"}


def take_settings(given: tuple[str, ...], library: str) -> dict[str, str]:
    """Read ``NAME=VALUE`` arguments, and ``@FILE`` as a framework or a pooler has it: its other keys are passed over.

    Raises
    ------
    FieldError
        For anything else.
    """
    found: dict[str, str] = {}
    for text in given:
        if text.startswith("@") and len(text) > 1:
            try:
                found |= _of_file(Path(text[1:]), library)
            except FieldError as error:
                raise FieldError(f"{text[1:]}: {error}") from None
            continue
        name, mark, value = text.partition("=")
        if not (mark and name.strip()):
            raise FieldError(f"{quoted(text)} is no setting; write NAME=VALUE, or @FILE with one a line")
        found[name.strip()] = value.strip()
    return found


def _of_file(path: Path, library: str) -> dict[str, str]:
    kept, others = own_settings(library, read_settings_file(path))
    if others:
        more = "1 other key" if len(others) == 1 else f"{len(others)} other keys"
        Screen(err=True).say(f"({path.name}: {more} passed over, like {others[0]})", "dim")
    return kept


@click.command("convert")
@click.argument("settings", nargs=-1, shell_complete=completing.pool_settings)
@click.option(
    "--from", "source", type=POOL, metavar="POOL", help="The pool library that the settings are for: hikaricp."
)
@click.option("--to", "target", type=POOL, metavar="POOL", help="The pool library to write for: psycopg-pool.")
@click.option("--pin", is_flag=True, help="Write defaults of the source where the target's differ.")
@click.option("--list", "listing", is_flag=True, help="List the pool libraries, and stop.")
@json_option
def command(
    settings: tuple[str, ...], source: str | None, target: str | None, pin: bool, listing: bool, as_json: bool
) -> int:
    """Write SETTINGS (NAME=VALUE …, or @FILE) of one pool library for another, with a ledger of every part."""
    if listing:
        _list(as_json)
        return 0
    if source is None or target is None:
        raise click.UsageError("say which: --from hikaricp --to psycopg-pool; --list shows all")
    conversion = convert_pool(read_settings(source, take_settings(settings, source)), target, pin=pin)
    if as_json:
        print_json(conversion.to_dict())
    else:
        _print(conversion)
    return 0


def _list(as_json: bool) -> None:
    libraries = [load_pool(name) for name in list_pools()]
    if as_json:
        keys = ("id", "title", "language", "kind", "source", "checked")
        pools = [{key: getattr(library, key) for key in keys} for library in libraries]
        print_json({"schema": "cordtally/pools/1", "pools": pools})
        return
    rows = [
        [
            p.id,
            p.title,
            p.language if p.kind == "library" else "server",
            p.source if p.checked else f"{p.source} (unchecked)",
        ]
        for p in sorted(libraries, key=lambda p: (p.kind, p.language, p.id))
    ]
    Screen().table(rows, heads=("id", "pool", "language", "facts from"), whole=(0,))


def _print(conversion: PoolConversion) -> None:
    screen = Screen()
    screen.say(f"{conversion.target.title}: {conversion.target.where}", "bold")
    for name, text in conversion.settings.items():
        screen.say(f"  {name} = {text}")
    if not conversion.settings:
        screen.say("  nothing to set", "dim")
    screen.say()
    rows: list[list[str | Line]] = [
        [Line(line.outcome.value, _STYLES.get(line.outcome, "green")), line.part.replace("_", " "),
         _told(line.source, line.target, line.reason)]
        for line in conversion.ledger
    ]  # fmt: skip
    screen.table(rows, whole=(0, 1))
    for library in (conversion.source, conversion.target):
        if not library.checked:
            screen.say(f"note: facts about {library.title} come from documentation only", "yellow")


def _told(source: str | None, target: str | None, reason: str | None) -> str:
    told = f"{source} → {target}" if target is not None and target != source else str(source)
    return f"{told}; {reason}" if reason else told
