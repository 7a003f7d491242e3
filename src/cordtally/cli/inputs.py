"""Where a command's text comes from: the argument, standard input, a file, a variable, or a cord of the tally."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from ..catalog import find_nearest, load_index
from ..errors import FieldError, LocatorError, TallyError, quoted
from ..exchange import LARGEST_TEXT
from ..model import Cord
from ..vetting import Severity

if TYPE_CHECKING:
    from ..secrets import Surroundings
    from ..tally import Resolved

Command = TypeVar("Command", bound=Callable[..., Any])
_LARGEST_INPUT = 4 * LARGEST_TEXT + 8  # in bytes; a text that is too long is told by its characters
_STRING_MARKS = set(":/=;@{")

TEXT_HELP = "TEXT is a connection string; - reads standard input, @FILE reads a file (its one line)."


def text_options(command: Command) -> Command:
    """Add the argument TEXT and ``--from-env NAME``, which spares a secret the way through the shell's history."""
    command = click.option("--from-env", metavar="NAME", help="Take the text from this environment variable.")(command)
    return click.argument("text", required=False)(command)


def json_option(command: Command) -> Command:
    """Add ``--json``."""
    return click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")(command)


def unmask_option(command: Command) -> Command:
    """Add ``--unmask``."""
    return click.option("--unmask", is_flag=True, help="Show secrets in clear.")(command)


def driver_option(command: Command) -> Command:
    """Add ``--from DRIVER``."""
    help_text = "The driver that the text is for, where it does not tell: npgsql, libpq/keyword."
    return click.option("--from", "driver", metavar="DRIVER", help=help_text)(command)


def environment_option(command: Command) -> Command:
    """Add ``--environment NAME`` and ``--tally FILE``."""
    command = click.option(
        "--tally",
        "tally_file",
        type=click.Path(path_type=Path),
        help="The tally file; the nearest tally.toml if absent.",
    )(command)
    return click.option("--environment", "-e", metavar="NAME", help="The tally's environment, like production.")(
        command
    )


def fail_on_option(command: Command) -> Command:
    """Add ``--fail-on SEVERITY``, which `fails` obeys."""
    choice = click.Choice([*(severity.value for severity in Severity), "never"])
    help_text = "Exit with status 1 from this severity on."
    return click.option("--fail-on", type=choice, default="error", show_default=True, help=help_text)(command)


def fails(severities: Iterable[Severity], fail_on: str) -> int:
    """Give the exit status: 1 if something is at or above the severity that was asked for."""
    return int(fail_on != "never" and any(s.rank >= Severity(fail_on).rank for s in severities))


def take_text(text: str | None, from_env: str | None) -> str:
    """Give the text itself.

    Raises
    ------
    click.UsageError
        When no source is given, or two.
    LocatorError
        When the variable is not set.
    """
    if (text is None) == (from_env is None):
        raise click.UsageError("give one text: as argument, - for standard input, @FILE, or --from-env NAME")
    if from_env is not None:
        value = os.environ.get(from_env)
        if value is None:
            nearest = find_nearest(from_env, os.environ, most=1)
            hint = f"; did you mean {nearest[0]}?" if nearest else ""
            raise LocatorError(f"the environment variable {quoted(from_env)} is not set{hint}")
        return value
    assert text is not None
    if text == "-":
        return _decoded(sys.stdin.buffer.read(_LARGEST_INPUT), "standard input").rstrip("\r\n")
    if text.startswith("@") and len(text) > 1:
        with Path(text[1:]).open("rb") as stream:
            return _decoded(stream.read(_LARGEST_INPUT), "the file").strip("\r\n")
    return text


def _decoded(source: bytes, what: str) -> str:
    """Give the characters of a file: UTF-8, or UTF-16 with its mark (as PowerShell writes it)."""
    try:
        return source.decode("utf-16" if source[:2] in {b"\xff\xfe", b"\xfe\xff"} else "utf-8-sig")
    except UnicodeDecodeError as error:
        message = (
            f"{what} is not UTF-8 text: the byte {source[error.start]:#04x} at {error.start:,} begins no character"
        )
        raise FieldError(message) from None


def is_cord_name(text: str) -> bool:
    """Whether a text can only be the name of a cord: no mark that a connection string needs stands in it."""
    return bool(text) and not (_STRING_MARKS & set(text)) and not Path(text).suffix and text.isprintable()


def take_cord_or_text(
    text: str, environment: str | None, tally_file: Path | None, *, strict: bool = True
) -> tuple[Cord | str, Path]:
    """Give the tally's cord of that name, or the text itself; and the folder that relative paths start from.

    Unless ``strict``, an environment may be given beside a text, as another argument may be a cord's name.
    """
    if not is_cord_name(text):
        if environment is not None and strict:
            raise FieldError("--environment goes with the name of a cord, and this is a connection string")
        return text, Path()
    resolved = resolve_cord(text, environment, tally_file)
    return resolved.cord, resolved.folder


def resolve_cord(name: str, environment: str | None, tally_file: Path | None) -> Resolved:
    """Find a cord in the tally by name.

    Raises
    ------
    TallyError
        When there is no tally; the message says that the text was taken for a cord's name.
    """
    from ..tally import find_tally, load

    try:
        place = tally_file or find_tally()
    except TallyError as error:
        raise TallyError(f"{quoted(name)} is no connection string, and no cord or file either: {error}") from None
    return load(place).resolve(name, environment=environment)


def first_target(engine: str) -> str:
    """The driver to write for where none is named: the engine's first one."""
    return next(str(i) for i, d in load_index()["drivers"].items() if engine in d["engines"])


def surroundings(folder: Path) -> Surroundings:
    """How locators are fetched from the command line: asking only where a person sits at a terminal."""
    from ..secrets import Surroundings

    ask = _ask if sys.stdin.isatty() else None
    return Surroundings(folder=folder, ask=ask)


def _ask(prompt: str) -> str:
    answer: str = click.prompt(prompt, hide_input=True, err=True)
    return answer
