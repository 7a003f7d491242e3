"""Where lifted secrets are kept: in a variables file, each in a file of its own in one folder, or in another store.

What lies in files is not for version control, and may not stand where a web server shows it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import Protocol

from ..composing import parse_locator
from ..errors import FieldError, LocatorError
from ..lines import DIALECTS, encode_value, read_lines
from ..model import Locator, Secret
from ..secrets import fetch, refuse_unwritable
from ..secrets.variables_files import with_variable
from ..sweeping import is_tracked, public_folder
from ..syntax.ignoring import parse_rules
from ..tally import FILE_NAME, load
from .plans import PRIVATE, Lift

_VARIABLES = DIALECTS["variables"]


class Keeper(Protocol):
    """A place for secrets by name."""

    key: str  # of the language's and layout's way to read from it
    place: Path
    inside: bool  # whether it is a part of the project

    def refuse(self, value: str) -> None:
        """Refuse a value that cannot be kept here.

        Raises
        ------
        FieldError
            Saying why.
        """

    def named(self, variable: str) -> str:
        """Give what a secret is called here, from the name of a variable."""

    def plan(self, plan: Lift) -> None:
        """Add the secrets to the plan, and what keeps them out of version control.

        Raises
        ------
        FieldError
            Where another value has the name, or it would not be read back.
        """


class Variables:
    """A variables file, with an example beside it that has the names alone."""

    key = "env"

    def __init__(self, place: Path, project: Path) -> None:
        self.place, self.inside = place, place.is_relative_to(project)

    def refuse(self, value: str) -> None:
        """Refuse a value that the file cannot hold."""
        encode_value(value, "plain", _VARIABLES)

    def named(self, variable: str) -> str:
        """Give the name as it is."""
        return variable

    def plan(self, plan: Lift) -> None:
        """Add the values to the variables file, the names to its example, and the file to what git ignores."""
        made = _text(self.place)
        there = {one.name: one.value for one in read_lines(made, _VARIABLES) if one.pair}
        for name, value in plan.values.items():
            if name in there and there[name] != value:
                raise FieldError(
                    f"{self.place} has another value for {name}: give this one a name of its own, with --into env:NAME",
                    path=self.place,
                )
            if name not in there:
                made = with_variable(made, name, value, _VARIABLES)
                written = encode_value(value, "plain", _VARIABLES)
                plan.hide(written, written[1:-1] if written[:1] in {"'", '"'} else written)
                plan.edit(self.place, made.encode(), mode=PRIVATE)
        example = self.place.with_name(f"{self.place.name}.example")
        shown = _text(example)
        known = {one.name for one in read_lines(shown, _VARIABLES)}
        if names := [f"{name}=\n" for name in plan.values if name not in known]:
            plan.edit(example, _appended(shown, names).encode())
        if self.inside:
            _ignore(plan, self.place)


class Files:
    """A folder in which each secret has a file of its own, which ends with one line end."""

    key = "file"

    def __init__(self, place: Path, project: Path) -> None:
        self.place, self.inside = place, place.is_relative_to(project)

    def refuse(self, value: str) -> None:
        """Refuse a value of several lines: one line end is taken off when it is read."""
        if "\n" in value or "\r" in value:
            raise FieldError("it has several lines, of which readers of a file take off the last one's end: by hand")

    def named(self, variable: str) -> str:
        """Give a file's name."""
        return variable.lower()

    def plan(self, plan: Lift) -> None:
        """Add a file for each value, and the folder to what git ignores."""
        for name, value in plan.values.items():
            place, data = self.place / name, f"{value}\n".encode()
            if place.exists() and place.read_bytes() != data:
                raise FieldError(f"{place} holds another secret: move it away first, or use another folder", path=place)
            if not place.exists():
                plan.edit(place, data, mode=PRIVATE)
        if self.inside:
            _ignore(plan, self.place)


class Elsewhere:
    """A store that programs do not read by themselves: the secret goes there, and a variable is looked up.

    ``cordtally with --secret`` brings one to the other.
    """

    key = "env"
    inside = False

    def __init__(self, store: str, folder: Path) -> None:
        self.place, self.store = folder, store
        self.tally = load(folder) if (folder / FILE_NAME).is_file() else None
        self.locator("NAME")

    def locator(self, name: str) -> Locator:
        """Give the place of a secret.

        Raises
        ------
        FieldError
            When there is no such store, or none that can be written.
        """
        scheme, _, rest = self.store.partition(":")
        forms = {
            "chest": f"{rest}{name}",
            "keychain": f"{rest or self.place.name}/{name}",
            "remote": f"{rest}#{name}",
            "envfile": f"{rest}#{name}",
        }
        if scheme not in forms:
            raise FieldError(
                f"{scheme!r} is no store for this; there are env:, file:, {', '.join(f'{one}:' for one in forms)}"
            )
        locator = parse_locator(f"{scheme}:{forms[scheme]}")
        return replace(locator, base=str(self.place)) if self.tally is None else self.tally.based(locator)

    def refuse(self, value: str) -> None:
        """Refuse nothing: the store does it, when it is asked."""

    def named(self, variable: str) -> str:
        """Give the name as it is."""
        return variable

    def plan(self, plan: Lift) -> None:
        """Add what the store is to keep.

        Raises
        ------
        FieldError
            Where it has another secret of that name.
        """
        plan.store = self.store
        for name, value in plan.values.items():
            locator = plan.places[name] = self.locator(name)
            refuse_unwritable(locator)
            try:
                there = fetch(locator).unmask()
            except LocatorError:
                there = None
            if there not in {None, value}:
                raise FieldError(f"{locator} has another secret: give this one a name of its own")
            if there is None:
                plan.puts[locator] = Secret(value)


def refuse_sight(plan: Lift, keeper: Keeper) -> None:
    """Refuse a store that a web server shows.

    Raises
    ------
    FieldError
        Naming the folder.
    """
    plan.tracked = is_tracked(keeper.place)
    if (shown := public_folder(below(plan.folder, keeper.place))) is not None:
        raise FieldError(f"{keeper.place} stands below {shown}/, which a web server shows: keep the secrets elsewhere")


def below(folder: Path, path: Path) -> Path:
    """A path from the project's folder on, its name included: what stands above is no part of the project."""
    return Path(folder.name) / path.relative_to(folder) if path.is_relative_to(folder) else path


def _ignore(plan: Lift, place: Path) -> None:
    """Have git ignore a file or folder."""
    ignoring = place.with_name(".gitignore")
    rules, folder = _text(ignoring), plan.in_files
    if not parse_rules(rules).verdict((place.name,), folder=folder):
        plan.edit(ignoring, _appended(rules, [f"/{place.name}{'/' if folder else ''}\n"]).encode())


def _text(path: Path) -> str:
    return path.read_text("utf-8") if path.exists() else ""


def _appended(text: str, lines: Iterable[str]) -> str:
    return text + ("" if not text or text.endswith("\n") else "\n") + "".join(lines)
