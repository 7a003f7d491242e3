"""Options that several commands share, and how secrets are asked for."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from ..vetting import Severity
from . import completing
from .naming import DRIVER, Aliased

if TYPE_CHECKING:
    from ..secrets import Surroundings

Command = TypeVar("Command", bound=Callable[..., Any])


def json_option(command: Command) -> Command:
    """Add ``--json``."""
    return click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")(command)


def unmask_option(command: Command) -> Command:
    """Add ``--unmask``."""
    return click.option("--unmask", is_flag=True, help="Show secrets in clear.")(command)


def driver_option(command: Command) -> Command:
    """Add ``--from DRIVER``."""
    help_text = "The driver that the text is for, where it does not tell: npgsql, libpq/keyword."
    made = click.option(
        "--from", "driver", cls=Aliased, also=["--driver"], type=DRIVER, metavar="DRIVER", help=help_text
    )
    return made(command)


def target_option(help_text: str) -> Callable[[Command], Command]:
    """Give what adds ``--to TARGET``."""
    return click.option("--to", "target", cls=Aliased, also=["--for"], type=DRIVER, metavar="TARGET", help=help_text)


def environment_option(command: Command) -> Command:
    """Add ``--environment NAME`` and ``--tally FILE``."""
    command = click.option(
        "--tally",
        "tally_file",
        type=click.Path(path_type=Path),
        help="The tally file; the nearest tally.toml if absent.",
    )(command)
    return click.option(
        "--environment",
        "-e",
        metavar="NAME",
        shell_complete=completing.environments,
        help="The tally's environment, like production.",
    )(command)


def fail_on_option(command: Command) -> Command:
    """Add ``--fail-on SEVERITY``, which `fails` obeys."""
    choice = click.Choice([*(severity.value for severity in Severity), "never"])
    help_text = "Exit with status 1 from this severity on."
    return click.option("--fail-on", type=choice, default="error", show_default=True, help=help_text)(command)


def fails(severities: Iterable[Severity], fail_on: str) -> int:
    """Give the exit status: 1 if something is at or above the severity that was asked for."""
    return int(fail_on != "never" and any(s.rank >= Severity(fail_on).rank for s in severities))


def surroundings(folder: Path) -> Surroundings:
    """How locators are fetched from the command line: asking only where a person sits at a terminal."""
    from ..secrets import Surroundings

    ask = _ask if sys.stdin.isatty() else None
    return Surroundings(folder=folder, ask=ask)


def _ask(prompt: str) -> str:
    answer: str = click.prompt(prompt, hide_input=True, err=True)
    return answer
