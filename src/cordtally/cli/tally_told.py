"""What the commands that edit a tally share: their options, and how an edit is shown and written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from ..errors import FieldError, is_harmless, quoted
from ..model import MASK
from .layout import Line
from .output import DIFF_STYLES, print_json
from .screen import Screen

if TYPE_CHECKING:
    from ..tally.editing import TallyEdit

Command = TypeVar("Command", bound=Callable[..., Any])


def apply_option(command: Command) -> Command:
    """Add ``--apply``."""
    return click.option("--apply", "write", is_flag=True, help="Write it; it is shown without.")(command)


def tally_option(command: Command) -> Command:
    """Add ``--tally FILE``."""
    kind = click.Path(path_type=Path)
    help_text = "The tally file; the nearest tally.toml if absent."
    return click.option("--tally", "tally_file", type=kind, help=help_text)(command)


def read_fields(given: tuple[str, ...]) -> dict[str, object]:
    """Give the fields of FIELD=VALUE, typed as a tally has them; options as ``options.connect_timeout``.

    Raises
    ------
    FieldError
        Where one is no field, or has no value.
    """
    from ..catalog import find_nearest, load_canonical
    from ..tally.shape import CORD

    known = [*(name for name in CORD if name != "options"), *(f"options.{name}" for name in load_canonical())]
    made: dict[str, object] = {}
    for text in given:
        name, equals, value = text.partition("=")
        if not equals:
            raise FieldError(
                f"a field is given as FIELD=VALUE, like host=gauge.greywick.example; {quoted(name)} has no ="
            )
        if name not in known and not name.startswith("options."):
            near = find_nearest(name, known, most=1)
            raise FieldError(f"there is no field {quoted(name)}" + (f"; did you mean {near[0]}?" if near else ""))
        made[name] = _typed(name, value)
    return made


def _typed(name: str, value: str) -> object:
    from ..catalog import load_canonical
    from ..tally.shape import CORD

    if name.startswith("options."):
        fact = load_canonical().get(name.partition(".")[2])
        if fact is not None and fact.type == "bool" and value in {"true", "false"}:
            return value == "true"
        whole = fact is not None and fact.type == "int" and value.lstrip("-").isdigit()
        return int(value) if whole else value
    kind = CORD[name].kind
    if kind == "whole":
        return int(value) if value.isascii() and value.isdigit() else value
    return value.split(",") if kind == "texts" else value


def finish(edit: TallyEdit, *, write: bool, as_json: bool) -> int:
    """Show an edit, and write it if that was asked for."""
    if write:
        edit.apply()
    changed = edit.changed
    if as_json:
        files = [str(path) if is_harmless(str(path)) else MASK for path in changed]
        kept = [str(locator) for locator in edit.secrets]
        print_json(
            {"schema": "cordtally/tally-edit/1", "written": write, "files": files, "diff": edit.diff(), "kept": kept}
        )
        return 0
    screen = Screen()
    for line in edit.diff():
        screen.say(Line(line, DIFF_STYLES.get(line[:1], "")), whole=True)
    if not changed:
        screen.say("it is so already", "dim")
        return 0
    screen.say()
    for locator in edit.secrets:
        screen.say(f"the password {'is' if write else 'will be'} kept at {locator}", hang=2)
    if write:
        screen.say(f"written: {', '.join(path.name for path in changed)}", "green")
    else:
        screen.say("nothing is written yet: --apply writes it", "dim")
    return 0
