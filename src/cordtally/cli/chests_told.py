"""What the commands of ``cordtally chest`` share: which chest, how it is opened, and the document that each prints."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click

from ..errors import FieldError, is_harmless
from ..model import MASK
from ..secrets.chests import chest_path
from .output import print_json
from .secrets_told import here

__all__ = ["chest_argument", "here", "print_chest", "shown_path", "typed_passphrase"]
Command = TypeVar("Command", bound=Callable[..., Any])
_SHORTEST = 8


def chest_argument(command: Command) -> Command:
    """Add ``PATH``: the chest; that of the nearest tally, or of this folder, if absent."""

    def chosen(_: click.Context, __: click.Parameter, given: Path | None) -> Path:
        return chest_path(here()) if given is None else given.absolute()

    kind = click.Path(path_type=Path, dir_okay=False)
    return click.argument("path", type=kind, required=False, callback=chosen)(command)


def typed_passphrase(path: Path) -> str:
    """Ask for a new passphrase, twice at a terminal; read it from standard input otherwise."""
    if sys.stdin.isatty():
        typed: str = click.prompt(
            f"Passphrase for {path.name}", hide_input=True, confirmation_prompt="Once more", err=True
        )
    else:
        typed = sys.stdin.readline().rstrip("\r\n")
    if len(typed) < _SHORTEST:
        raise FieldError(f"a passphrase has at least {_SHORTEST} characters: whoever has the file can try them all")
    return typed


def print_chest(done: str, path: Path, **more: object) -> None:
    """Print ``cordtally/chest/1``."""
    print_json({"schema": "cordtally/chest/1", "done": done, "path": shown_path(path), **more})


def shown_path(path: Path) -> str:
    """Give a path for a document, unless it looks like a text with a secret that was put in the wrong place."""
    return str(path) if is_harmless(str(path)) else MASK
