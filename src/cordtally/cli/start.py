"""``cordtally with``: start a program with cords of the tally in its environment."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path

import click

from ..tally import load
from ..tally.passing_on import variables_of
from . import completing
from .connections import environment_of
from .inputs import environment_option, surroundings
from .secrets_told import here, located

_NOT_FOUND, _NOT_EXECUTABLE = 127, 126  # as shells say it (POSIX, 2.8.2)


class _Separated(click.Command):
    """Keeps what stands behind ``--`` for the program, whatever it looks like."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Part the arguments."""
        place = args.index("--") if "--" in args else len(args)
        ctx.meta["cordtally.program"] = args[place + 1 :]
        return super().parse_args(ctx, args[:place])


@click.command("with", cls=_Separated, options_metavar="[OPTIONS]", add_help_option=True)
@click.argument("cords", metavar="[CORD]... -- PROGRAM [ARGUMENTS]", nargs=-1, shell_complete=completing.cords)
@click.option(
    "--as",
    "forms",
    multiple=True,
    metavar="FORM",
    help="libpq or mysql-client: their variables; NAME=TARGET or url:NAME: one with a text. [default: by the engine]",
)
@click.option(
    "--secret", "secrets", multiple=True, metavar="NAME=LOCATOR", help="A variable with a secret by itself; repeatable."
)
@click.option("--over", is_flag=True, help="Replace variables that are set already.")
@environment_option
@click.pass_context
def command(
    ctx: click.Context,
    cords: tuple[str, ...],
    forms: tuple[str, ...],
    secrets: tuple[str, ...],
    over: bool,
    environment: str | None,
    tally_file: Path | None,
) -> int:
    """Start PROGRAM with cords of the tally in its environment, their secrets fetched now.

    Nothing is written to disk. The program takes this one's place: signals, the terminal and its status are its own.
    """
    program: list[str] = ctx.meta["cordtally.program"]
    if not program:
        raise click.UsageError("say what to start: cordtally with CORD -- PROGRAM")
    if not cords and not secrets:
        raise click.UsageError("say with what: a CORD of the tally, or --secret NAME=LOCATOR")
    tally = load(tally_file) if cords or tally_file is not None else None
    resolved = []
    for given in cords:
        assert tally is not None
        name, at, stated = given.partition("@")
        resolved.append(tally.resolve(name, environment=environment_of(tally, stated if at else environment)))
    found = shutil.which(program[0])
    if found is None:
        there = Path(program[0]).exists()
        click.echo(f"cordtally: {program[0]}: {'is no program' if there else 'there is no such program'}", err=True)
        return _NOT_EXECUTABLE if there else _NOT_FOUND
    around = here() if tally is None else surroundings(tally.folder)
    single = {name: located(text) if tally is None else tally.locator(text) for name, text in map(_parted, secrets)}
    made = variables_of(resolved, forms, os.environ, around, over=over, secrets=single)
    return _become(found, program, {**os.environ, **made})


def _parted(given: str) -> tuple[str, str]:
    name, equals, text = given.partition("=")
    if not equals:
        raise click.UsageError("--secret wants NAME=LOCATOR, like FOG_PASSWORD=chest:fog")
    return name, text


def _become(found: str, program: list[str], environ: dict[str, str]) -> int:
    """Run the program in place of this one, so that no other process holds the secret."""
    sys.stdout.flush()
    if os.name == "nt":
        return subprocess.run([found, *program[1:]], env=environ, check=False).returncode
    for name in ("SIGPIPE", "SIGXFSZ"):  # Python ignores them, and what it starts would, too
        signal.signal(getattr(signal, name), signal.SIG_DFL)
    return os.execve(found, program, environ)
