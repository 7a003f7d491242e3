"""``cordtally lift``: move secrets out of files into variables, and leave look-ups in their places."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import click

from ..errors import FieldError
from ..lifting import Lift, lift, move_out, project_of, undo
from .connections import missing_file
from .inputs import json_option
from .layout import Line
from .output import DIFF_STYLES, print_json
from .screen import Screen, clean

_WITH_LINE = re.compile(r"(?P<path>.+):(?P<line>[1-9]\d{0,8})")


@click.command("lift")
@click.argument("place", metavar="FILE[:LINE]|FOLDER", required=False)
@click.option(
    "--into",
    default="env:",
    show_default=True,
    metavar="STORE",
    help="env: or env:NAME, a variable; file: or file:FOLDER, a file for each, in secrets/ if none is named; chest:, "
    "keychain:SERVICE, remote:NAME/PATH, envfile:PATH.",
)
@click.option(
    "--variables", metavar="FILE", type=click.Path(path_type=Path), help="The variables file. [default: .env]"
)
@click.option(
    "--outside",
    metavar="FOLDER",
    type=click.Path(path_type=Path),
    help="Move FILE, which pages of PHP include, out of what a web server shows.",
)
@click.option("--apply", "write", is_flag=True, help="Write the files, and keep what undoes it.")
@click.option("--undo", "undone", metavar="FILE", type=click.Path(path_type=Path), help="Put back what was lifted.")
@json_option
def command(
    place: str | None,
    into: str,
    variables: Path | None,
    outside: Path | None,
    write: bool,
    undone: Path | None,
    as_json: bool,
) -> int:
    """Move secrets out of programs and config files; shown as a diff, written with --apply.

    The status is 1 where a secret stays, with the reason.
    """
    if undone is not None:
        return _undo(undone, place)
    if place is None:
        raise click.UsageError("say what to lift: FILE, FILE:LINE or FOLDER; or --undo FILE")
    path, line = _parted(place)
    if outside is not None:
        if line is not None or into != "env:" or variables is not None:
            raise click.UsageError("--outside moves a FILE as it is: without a line, --into or --variables")
        plan = move_out(path, outside)
    else:
        plan = lift(path, line=line, **_store(into, path, variables))
    kept = plan.apply() if write and plan.moved else None
    if as_json:
        print_json(plan.to_dict() | {"undo": None if kept is None else str(kept)})
    else:
        _print(plan, kept)
    return int(bool(plan.refused))


def _store(into: str, path: Path, variables: Path | None) -> dict[str, Any]:
    """Where secrets go, as the library is told it."""
    store, colon, rest = into.partition(":")
    if not colon:
        raise FieldError(
            f"{store!r} is no store for this: --into env:, env:NAME, file:, file:FOLDER, chest: and others"
        )
    if store not in {"env", "file"}:
        if variables is not None:
            raise click.UsageError("--variables is for --into env:")
        return {"store": into}
    if store == "env":
        return {"name": rest or None, "variables": variables}
    if variables is not None:
        raise click.UsageError("--variables is for --into env:")
    return {"files": Path(rest).expanduser() if rest else project_of(path) / "secrets"}


def _parted(place: str) -> tuple[Path, int | None]:
    path, line = Path(place), None
    if not path.exists() and (match := _WITH_LINE.fullmatch(place)) is not None:
        path, line = Path(match["path"]), int(match["line"])
    if not path.exists():
        raise FieldError(missing_file(path), path=path)
    if line is not None and path.is_dir():
        raise click.UsageError("a line is that of a file")
    return path, line


def _undo(undone: Path, place: str | None) -> int:
    if place is not None:
        raise click.UsageError("--undo goes without a FILE: the undo file names them")
    if not undone.exists():
        raise FieldError(missing_file(undone), path=undone)
    screen = Screen()
    for path in undo(undone):
        screen.say(f"{clean(str(path))} {'is as it was' if path.exists() else 'is removed: it was not there'}", "green")
    return 0


def _print(plan: Lift, kept: Path | None) -> None:
    screen = Screen()
    for line in plan.diff():
        screen.say(Line(line, DIFF_STYLES.get(line[:1], "")), whole=True)
    if plan.moved:
        screen.say()
    for one in plan.refused:
        screen.say(f"{clean(plan.shown(one.path))}:{one.line} stays: {clean(one.reason)}", "yellow", hang=4)
    if not plan.moved:
        screen.say("there is nothing to lift" if not plan.refused else "nothing was lifted", "dim")
        return
    if plan.tracked:
        screen.say(f"git tracks {plan.kept_in.name}: git rm --cached {plan.kept_in.name} before a commit", "red")
    if kept is None:
        screen.say("nothing is written yet: --apply writes it", "dim")
        return
    count = len(plan.after)
    written = "1 file is written" if count == 1 else f"{count} files are written"
    screen.say(f"{written}; cordtally lift --undo {kept} puts back what was", "green", hang=2)
    if plan.values:
        screen.say(_what_is_left(plan), hang=4)
    screen.say("what was committed stays in the history: change each secret at its server, too", "yellow", hang=4)


def _what_is_left(plan: Lift) -> str:
    names = ", ".join(plan.values)
    if plan.store is not None:
        options = " ".join(f"--secret {name}={locator}" for name, locator in plan.places.items())
        return f"whoever runs the programs has to set {names}: cordtally with {options} -- PROGRAM"
    if plan.in_files:
        return f"whoever runs the programs has to bring {names} along, in {plan.shown(plan.kept_in)}/"
    return f"whoever runs the programs has to set {names}: they do not read {plan.kept_in.name} by themselves"
