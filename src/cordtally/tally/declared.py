"""What a tally declares for its locators: finds the command, service or broker that one names."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

from ..catalog import find_nearest, load_engine
from ..composing import parse_locator
from ..errors import FieldError, TallyError, UnknownName
from ..model import Cord, Locator
from ..secrets.declarations import KINDS, About, Broker, Declared, Misdeclared, declare
from .files import TallyFile

_NAME = re.compile(r"[A-Za-z0-9_-]*")


def find_declared(files: Sequence[TallyFile], locator: Locator, cord: Cord | None = None) -> Declared | None:
    """Give what the files declare of the name in a locator, the last file first; None where its scheme needs nothing.

    Parameters
    ----------
    files : sequence of TallyFile
        A tally, and the file beside it.
    locator : Locator
        What is looked at.
    cord : Cord, optional
        The connection that it is for, which a broker may be told of.

    Raises
    ------
    UnknownName
        Where no file declares it.
    TallyError
        Where it is declared in a way that cannot be meant.
    """
    kind = KINDS.get(locator.scheme)
    if kind is None:
        return None
    declared = _declare(files, kind, _NAME.match(locator.rest)[0], ())  # type: ignore[index]
    if isinstance(declared, Broker) and cord is not None:
        return replace(declared, about=_about(cord))
    return declared


def check_declared(files: Sequence[TallyFile]) -> None:
    """Refuse a declaration that cannot be meant, or that needs itself.

    Raises
    ------
    TallyError
        With its place.
    """
    for kind, name in _named(files):
        _declare(files, kind, name, ())


def _named(files: Sequence[TallyFile]) -> Iterator[tuple[str, str]]:
    for kind in KINDS.values():
        for name in dict.fromkeys(name for file in files for name in _tables(file, kind)):
            yield kind, name


def _tables(file: TallyFile, kind: str) -> dict[str, dict[str, object]]:
    found = file.raw.get(kind, {})
    return found if isinstance(found, dict) else {}


def _declare(files: Sequence[TallyFile], kind: str, name: str, within: tuple[tuple[str, str], ...]) -> Declared:
    file = next((file for file in reversed(files) if name in _tables(file, kind)), None)
    if file is None:
        known = [one for of_kind, one in _named(files) if of_kind == kind]
        hint = f"[{kind}.NAME] declares one; there are {', '.join(known) or 'none'}"
        raise UnknownName(kind.removesuffix("s"), name, nearest=find_nearest(name, known), hint=hint)
    folder = files[0].path.resolve().parent

    def read(text: str) -> Locator:
        locator = parse_locator(text)
        inner, declared = KINDS.get(locator.scheme), None
        if inner is not None:
            wanted = (inner, _NAME.match(locator.rest)[0])  # type: ignore[index]
            if wanted in {*within, (kind, name)}:
                raise FieldError("it needs the token that it is to give")
            declared = _declare(files, *wanted, (*within, (kind, name)))
        return replace(locator, base=str(folder), declared=declared)

    try:
        return declare(kind, name, _tables(file, kind)[name], folder, read)
    except (Misdeclared, UnknownName) as error:
        key = error.key if isinstance(error, Misdeclared) else "token"
        raise _problem(file, f"{kind}.{name}", key, error) from None


def _problem(file: TallyFile, table: str, key: str, error: Misdeclared | UnknownName) -> TallyError:
    return file.problem(table, key if file.line(table, key) else "", str(error), nearest=error.nearest)


def _about(cord: Cord) -> About:
    """What a broker may be told of a connection."""
    host = cord.hosts[0] if cord.hosts else None
    port = host.port if host is not None and host.port is not None else load_engine(cord.engine).default_port
    database = cord.database if isinstance(cord.database, str) else ""
    return About(user=cord.user_name, host="" if host is None else host.name, port=port, database=database)
