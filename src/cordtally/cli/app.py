"""The group of commands, each loaded when it is called, and the one place where errors become messages and statuses."""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Sequence
from pathlib import Path

import click

from .. import __version__
from ..catalog import driver_ids
from ..errors import CordTallyError, FieldError, is_harmless
from ..model import MASK
from .lazy import LazyGroup
from .screen import Screen, escaped

COMMANDS = {
    "read": ("read", "Take a string apart and explain every part."),
    "compose": ("compose", "Build a string from fields, or by asking."),
    "convert": ("convert", "Write a string for another driver, with a ledger of every part."),
    "compare": ("compare", "Say whether two strings lead to the same place, and what differs."),
    "vet": ("vet", "Report what is wrong or risky in strings, files and cords."),
    "init": ("init", "Start a tally from the connections that are there."),
    "tally": ("tally", "Add, change, rename and drop the cords of a tally."),
    "show": ("show", "Show a cord, each field with its layer; or what config files declare."),
    "amend": ("amend", "Edit one part of a connection in a config file, and nothing else."),
    "emit": ("emit", "Write the config block of a framework for a cord."),
    "dial": ("dial", "Try connections rung by rung, and say where and why they break."),
    "grants": ("grants", "Print or run what makes a user with the rights that a cord needs."),
    "sweep": ("sweep", "Find connection strings and credentials in a source tree."),
    "lift": ("lift", "Move secrets out of files, and leave look-ups in their places."),
    "with": ("start", "Start a program with cords in its environment."),
    "secret": ("secret", "Keep secrets in their stores, and say whether they are there."),
    "chest": ("chest", "Keep secrets in the project's own encrypted file."),
    "pool": ("pool", "Size, simulate, measure and compare connection pools."),
    "drivers": ("drivers", "List what the catalog knows about drivers and their options."),
    "docs": ("docs", "Read the pages of the manual."),
    "completion": ("completion", "Print what makes a shell complete commands and values."),
    "demo": ("demo", "Walk through the whole job on sample data."),
}
_INTERRUPTED = 130
_NAMED = re.compile(r"[A-Za-z][\w.-]*@[A-Za-z][\w-]*")  # a cord in an environment


@click.group(cls=LazyGroup, modules=COMMANDS, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, message="cordtally %(version)s")
def group() -> None:
    """Compose, read, vet and convert database connection strings; dial them; size their pools.

    Secrets are masked unless a command is given --unmask. Every command takes --help.

    \b
    cord     one described connection: where to, as whom, how
    tally    the file of a project's cords, tally.toml
    ledger   what became of each part in a conversion
    rung     a step of a dial: resolve, reach, secure, log in, database, answer
    locator  where a secret is kept: env:NAME, file:PATH, chest:NAME, ask:, and others
    """


def run(arguments: Sequence[str]) -> int:
    """Run a command and turn what goes wrong into a message on standard error and an exit status."""
    if sys.stderr is None:
        sys.stderr = Path(os.devnull).open("w", encoding="utf-8")  # noqa: SIM115 -- for the life of the process
    if sys.stdin is None:
        sys.stdin = Path(os.devnull).open(encoding="utf-8")  # noqa: SIM115 -- for the life of the process
    if sys.stdout is None:
        _complain("standard output is closed")
        return 2
    try:
        status = group.main(list(arguments), prog_name="cordtally", standalone_mode=False)
        sys.stdout.flush()
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.format_message(), err=True)
        return 2
    except click.UsageError as error:
        message = _masked(_without_input(error.format_message()), arguments)
        _complain(message)
        _answer(FieldError(message), arguments)
        if error.ctx is not None:
            click.echo(f"    try: {error.ctx.command_path} --help", err=True)
        return 2
    except (click.Abort, KeyboardInterrupt):
        click.echo("\nstopped", err=True)
        return _INTERRUPTED
    except click.ClickException as error:
        _complain(_masked(error.format_message(), arguments))
        return 2
    except CordTallyError as error:
        _complain(_masked(str(error), arguments), getattr(error, "excerpt", ()))
        _answer(error, arguments)
        return error.exit_code
    except SystemExit as error:
        # click ends so where the reader of a pipe has gone, which is no failure: "cordtally drivers | head -1"
        if "PacifyFlush" not in type(sys.stdout).__name__:
            raise
        return 0 if error.code == 1 else 2
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        message = f"{error.filename}: {error.strerror}" if error.filename else str(error)
        if isinstance(error, FileNotFoundError) and error.filename:
            from .connections import missing_file

            message = missing_file(Path(os.fsdecode(error.filename)))
        message = _masked(message, arguments)
        _complain(message)
        _answer(FieldError(message), arguments)
        return 2
    return status if isinstance(status, int) else 0


def _answer(error: CordTallyError, arguments: Sequence[str]) -> None:
    """Where a document was asked for, one comes on failure, too."""
    if "--json" in arguments:
        from .lines import error_document
        from .output import print_json

        print_json({"schema": "cordtally/error/1"} | error_document(error))


def _complain(message: str, excerpt: Sequence[str] = ()) -> None:
    """Say what is wrong on standard error: at a terminal broken between words, but for the text and its caret."""
    first, *more = message.split("\n")
    if not sys.stderr.isatty():
        click.echo("cordtally: " + "\n".join(map(escaped, (first, *more))), err=True)
        return
    screen = Screen(err=True)
    screen.say(f"cordtally: {first}", hang=4)
    for line in more:
        screen.say(line, whole=line[4:] in excerpt, hang=4)


def _masked(message: str, arguments: Sequence[str]) -> str:
    """Mask what was typed where another kind of value belongs, and looks like a connection text.

    The package's own errors do so themselves; this is for the parser of options, which quotes what it was given, and
    for names of files.
    """
    for argument in arguments:
        for given in {argument, argument.partition("=")[2], argument.removeprefix("@")}:
            for text in {given, os.path.normpath(given) if given else "", repr(given)[1:-1]}:
                if len(text) > 3 and not is_harmless(text) and not _is_name(text):
                    message = message.replace(text, MASK)
    return message


def _is_name(text: str) -> bool:
    """Whether it is a cord's name, or a locator, which says where a secret is kept and not what it is."""
    if _NAMED.fullmatch(text) is not None:
        return True
    from ..composing import looks_like_locator

    return looks_like_locator(text) and "//" not in text and "@" not in text


def _without_input(message: str) -> str:
    """Leave out what was typed where no argument belongs: it may be a connection string."""
    if "unexpected extra argument" in message:
        extra = message.partition("(")[2].rpartition(")")[0].partition(" ")[0]
        if extra in driver_ids():
            return f"there are too many arguments; did you mean --to {extra}?"
        return "there are too many arguments; put quotes around a text with blanks, ; or & in it"
    return message
