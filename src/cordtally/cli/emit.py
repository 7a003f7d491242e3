"""``cordtally emit``: the block that a framework wants for a cord, with its secret by that platform's own reference."""

from __future__ import annotations

from pathlib import Path

import click

from ..catalog import find_nearest
from ..config import Emission, emit, emit_program, emitted_layouts, load_programs, merge
from ..errors import UnknownName
from . import completing
from .connections import CONNECTION_HELP, take_connection
from .inputs import environment_option, json_option
from .layout import Line
from .naming import Aliased, Called
from .output import DIFF_STYLES, print_json
from .screen import Screen

LAYOUT = Called("layout", lambda: (*emitted_layouts(), *load_programs()))


@click.command("emit", epilog=CONNECTION_HELP)
@click.argument("text", metavar="CORD", shell_complete=completing.connections)
@click.option(
    "--to",
    "layout",
    cls=Aliased,
    also=["--for"],
    type=LAYOUT,
    required=True,
    metavar="LAYOUT",
    help=f"What it is for: {', '.join(sorted(emitted_layouts()))}; or a language: {', '.join(load_programs())}.",
)
@click.option("--pooled", is_flag=True, help="With a language: the connection comes from a pool.")
@click.option(
    "--into",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    metavar="FILE",
    help="Put the block into FILE.",
)
@click.option("--apply", "write", is_flag=True, help="Write FILE; without it the edit is only shown.")
@click.option("--name", help="What the connection is called there; the cord's name if absent.")
@environment_option
@json_option
def command(
    text: str,
    layout: str,
    pooled: bool,
    into: Path | None,
    write: bool,
    name: str | None,
    environment: str | None,
    tally_file: Path | None,
    as_json: bool,
) -> int:
    """Write the config block of a framework for a cord, or a small program. Its secret is named, and never written."""
    source = take_connection(text, environment=environment, tally_file=tally_file)
    head, _, behind = source.title.partition(" in ")
    called = head if head.isidentifier() else "tides"
    known = sorted((*emitted_layouts(), *load_programs()))
    if layout not in known:
        raise UnknownName("layout", layout, nearest=find_nearest(layout, known), hint=f"one of {', '.join(known)}")
    if pooled and layout not in load_programs():
        raise click.UsageError("--pooled goes with a language")
    if into is not None and layout in load_programs():
        raise click.UsageError("--into goes with a layout: a program is a file of its own")
    if layout in load_programs():
        made = emit_program(source.cord, layout, called=called, pooled=pooled)
    else:
        made = emit(source.cord, layout, called=called, name=name, environment=behind or None)
    if write and into is None:
        raise click.UsageError("--apply goes with --into FILE")
    if as_json:
        print_json(made.to_dict())
        return 0
    if into is not None:
        _put_into(made, into, write)
    else:
        Screen().say_exactly(made.text.rstrip("\n"))
    beside = Screen(err=True)
    if into is None:
        beside.say(f"\n{made.title}: this goes into {made.file}", "bold")
    if made.packages:
        beside.say(f"it needs {'; '.join(made.packages)}")
    if made.secret is not None:
        beside.say(f"the secret is put into {made.secret}")
    for file, example in made.beside.items():
        beside.say(f"beside it, {file} for others to fill in: {example.strip()}", hang=2)
    if made.remark is not None:
        beside.say(made.remark, "yellow", hang=2)
    for line in made.ledger.losses:
        beside.say(f"not in it: {line.part.removeprefix('options.')} {line.source}: {line.reason}", "yellow", hang=2)
    return 0


def _put_into(made: Emission, path: Path, write: bool) -> None:
    merged, screen = merge(made, path), Screen()
    for line in merged.lines:
        screen.say(Line(line, DIFF_STYLES.get(line[:1], "")), whole=True)
    screen.say()
    if write:
        merged.apply()
        screen.say(f"{path} is written", "green")
    else:
        screen.say("nothing is written yet: --apply writes it", "dim")
