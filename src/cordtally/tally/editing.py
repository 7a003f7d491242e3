"""Edits of a tally: cords added, dropped, renamed, fields set; every other byte stays, and nothing is written unseen.

An edit is a plan: what the files will be, and which secrets go into a store. It is proved by reading the edited files
as a tally before anything is written.
"""

from __future__ import annotations

import difflib
import tomllib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ..errors import FieldError, quoted
from ..model import Locator, Secret
from ..secrets import put_together
from ..syntax import Source, Splice
from ..syntax.toml_edits import drop_table, drop_value, rename_table, set_value
from .files import TallyFile
from .loading import assemble
from .shape import CORD
from .tally import Tally


@dataclass(slots=True)
class TallyEdit:
    """The files as they will be, and the secrets that go into a store first; a file without a source is a new one."""

    sources: dict[Path, Source | None]
    texts: dict[Path, str]
    secrets: dict[Locator, Secret] = field(default_factory=dict, repr=False)

    def before(self, path: Path) -> str:
        """What stands in a file now."""
        source = self.sources[path]
        return "" if source is None else source.text

    @property
    def changed(self) -> list[Path]:
        """The files that will be others."""
        return [path for path, text in self.texts.items() if text != self.before(path)]

    def diff(self) -> list[str]:
        """Give the edits as one unified diff."""
        lines = list[str]()
        for path in self.changed:
            old, new = (text.replace("\r\n", "\n").splitlines() for text in (self.before(path), self.texts[path]))
            lines += difflib.unified_diff(old, new, path.name, path.name, lineterm="")
        return lines

    def apply(self) -> None:
        """Put the secrets into their store, and write the files.

        Raises
        ------
        LocatorError
            When a store does not take a secret; then no file is written.
        FieldError
            When a file has changed meanwhile, or cannot be written.
        """
        if self.secrets:
            put_together(self.secrets)
        for path in self.changed:
            source = self.sources[path]
            if source is not None:
                source.replace(source.spliced([Splice(0, len(source.text), self.texts[path])]))
                continue
            try:
                with path.open("x", encoding="utf-8", newline="") as stream:
                    stream.write(self.texts[path])
            except OSError as error:
                raise FieldError(f"{path} cannot be written ({error.strerror})", path=path) from None


def edit_tally(tally: Tally, *changes: Callable[[TallyEdit], None]) -> TallyEdit:
    """Plan edits of a tally.

    Raises
    ------
    FieldError
        Where a change cannot be made so that all else stays.
    TallyError
        Where the edited files would be no tally.
    """
    paths = [file.path for file in tally.files]
    sources = {path: Source.load(path) for path in paths}
    edit = TallyEdit({**sources}, {path: source.text for path, source in sources.items()})
    for change in changes:
        change(edit)
    _read_again(edit)
    return edit


def _read_again(edit: TallyEdit) -> Tally:
    read = [TallyFile(path, text, tomllib.loads(text)) for path, text in edit.texts.items()]
    return assemble(read[0], read[1] if len(read) > 1 else None)


def set_fields(
    tally: Tally, name: str, fields: Mapping[str, object], *, unset: Iterable[str] = (), environment: str | None = None
) -> TallyEdit:
    """Plan setting fields of a cord, or of what is laid over it in an environment; options by their dotted names.

    Raises
    ------
    UnknownName
        When there is no such cord.
    FieldError
        Where a field is not there that is to be taken out.
    TallyError
        Where the cord could not be meant.
    """
    tally.resolve(name, environ={})
    table = ("cords", name) if environment is None else ("environments", environment, name)

    def change(edit: TallyEdit) -> None:
        path, text = tally.path, edit.texts[tally.path]
        for one in unset:
            text = drop_value(text, (*table, *_path(one)))
        for one, value in fields.items():
            text = set_value(text, (*table, *_path(one)), value)
        edit.texts[path] = text

    return _meant(edit_tally(tally, change), name, environment)


def add_cord(
    tally: Tally, name: str, fields: Mapping[str, object], secrets: Mapping[Locator, Secret] | None = None
) -> TallyEdit:
    """Plan a new cord.

    Raises
    ------
    FieldError
        When there is one of that name.
    TallyError
        Where it could not be meant.
    """
    if name in tally.names():
        raise FieldError(f"there is a cord {quoted(name)} already: cordtally tally set changes it")

    def change(edit: TallyEdit) -> None:
        text = edit.texts[tally.path]
        for one in sorted(fields, key=list(CORD).index):
            text = set_value(text, ("cords", name, one), fields[one])
        edit.texts[tally.path] = text
        edit.secrets |= dict(secrets or {})

    return _meant(edit_tally(tally, change), name, None)


def drop_cord(tally: Tally, name: str, *, environment: str | None = None) -> TallyEdit:
    """Plan dropping a cord from all tables, or what an environment lays over it.

    Raises
    ------
    UnknownName
        When there is no such cord.
    FieldError
        Where services use it, or the environment says nothing of it.
    """
    tally.resolve(name, environ={})
    users = [service for service, fields in tally.services.items() if fields.get("cord", service) == name]
    if environment is None and users:
        raise FieldError(f"services use {name}: {', '.join(users)}; give them another cord first")
    tables = _tables_of(tally, name) if environment is None else [("environments", environment, name)]

    def change(edit: TallyEdit) -> None:
        for file in tally.files:
            for table in tables:
                if _has(file, table):
                    edit.texts[file.path] = drop_table(edit.texts[file.path], table)

    if environment is not None and not any(_has(file, tables[0]) for file in tally.files):
        raise FieldError(f"{environment} says nothing of {name}")
    return edit_tally(tally, change)


def rename_cord(tally: Tally, name: str, new: str) -> TallyEdit:
    """Plan another name for a cord, in all tables, and for the services that use it.

    Raises
    ------
    UnknownName
        When there is no such cord.
    FieldError
        When there is one of the new name.
    """
    tally.resolve(name, environ={})

    def change(edit: TallyEdit) -> None:
        for file in tally.files:
            text = edit.texts[file.path]
            for table in _tables_of(tally, name):
                if _has(file, table):
                    text = rename_table(text, table, new)
            edit.texts[file.path] = text
        text = edit.texts[tally.path]
        for service, fields in tally.services.items():
            if fields.get("cord", service) == name:
                text = set_value(text, ("services", service, "cord"), new)
        edit.texts[tally.path] = text

    return edit_tally(tally, change)


def _path(field_name: str) -> tuple[str, ...]:
    head, dot, rest = field_name.partition(".")
    return (head, rest) if dot else (head,)


def _tables_of(tally: Tally, name: str) -> list[tuple[str, ...]]:
    return [("cords", name), *(("environments", environment, name) for environment in tally.environments)]


def _has(file: TallyFile, table: tuple[str, ...]) -> bool:
    held: object = file.raw
    for key in table:
        held = held.get(key) if isinstance(held, dict) else None
    return held is not None


def _meant(edit: TallyEdit, name: str, environment: str | None) -> TallyEdit:
    """The edit, once the cord can be meant with it."""
    _read_again(edit).resolve(name, environment=environment, environ={})
    return edit
