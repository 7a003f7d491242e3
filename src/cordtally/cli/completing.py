"""What may be completed on a command line: names of the catalog, of the tally, of the environment, and files.

Each function takes what click gives it and never fails: a slip is told when the command is run, not while it is typed.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..catalog import engine_ids, ids_of, load_canonical, load_driver, load_index
from ..errors import CordTallyError

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

    from ..tally import Tally


def drivers(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Drivers, of the engine that is told already; behind a slash, the driver's notations."""
    name, slash, _ = incomplete.partition("/")
    known = load_index()["drivers"]
    if slash and name in known:
        return _items((f"{name}/{notation}", "") for notation in known[name]["notations"])
    return _items(((i, known[i]["title"]) for i in ids_of(_engine(ctx), None)), incomplete)


def connections(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Cords, with an @ their environments, and files; none for a text, which only its writer knows."""
    if incomplete.startswith("@"):
        return _items((f"@{path}", "") for path in list_files(incomplete[1:]))
    found = _cords(ctx, incomplete)
    return found if "@" in incomplete else found + _items((path, "") for path in list_files(incomplete))


def cords(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The cords of the tally."""
    tally = _tally(ctx)
    return [] if tally is None else _items([(name, "") for name in tally.names()], incomplete)


def environments(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The environments of the tally."""
    tally = _tally(ctx)
    return [] if tally is None else _items([(name, "") for name in tally.environments], incomplete)


def rules(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The rules of vetting."""
    from ..vetting import RULES

    return _items([(rule.id.value, rule.title) for rule in RULES.values()], incomplete)


def causes(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The causes why a dial breaks."""
    from ..catalog.causes import load_causes

    return _items([(cause.id, cause.sentence()) for cause in load_causes().values()], incomplete)


def variables(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The variables of the process, their values left out."""
    return _items(((name, "") for name in sorted(os.environ)), incomplete)


def locators(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The schemes of locators; behind them variables and files."""
    scheme, colon, rest = incomplete.partition(":")
    if colon and scheme == "env":
        return _items((f"env:{name}", "") for name in sorted(os.environ) if name.startswith(rest))
    if colon and scheme == "file":
        return _items((f"file:{path}", "") for path in list_files(rest))
    schemes = [("env:", "a variable"), ("file:", "the one line of a file"), ("ask:", "asked for at the terminal")]
    return _items(schemes, incomplete)


def settings(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Options for ``NAME=VALUE``: of the driver that is written for if it is told, and what all drivers have."""
    found: dict[str, str | None] = {name: fact.meaning for name, fact in load_canonical().items()}
    with suppress(CordTallyError):
        target = ctx.params.get("target")
        driver = load_driver(target.partition("/")[0]) if target else None
        if driver is not None:
            found = {name: fact for name, fact in found.items() if name in driver.by_canonical}
            found |= {option.name: option.note for option in driver.options.values()}
    return _items(((f"{name}=", meaning) for name, meaning in found.items()), incomplete)


def options(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The options that drivers have in common, by their canonical names."""
    return _items(((name, fact.meaning) for name, fact in load_canonical().items()), incomplete)


def pool_settings(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Settings of the pool that they are read for, and ``@FILE``."""
    from ..catalog.pool_libraries import load_pool

    if incomplete.startswith("@"):
        return _items((f"@{path}", "") for path in list_files(incomplete[1:]))
    with suppress(CordTallyError):
        name = ctx.params.get("source") or ctx.params.get("library")
        if name:
            pool = load_pool(name)
            return _items(((f"{one.name}=", one.note) for one in pool.settings.values()), incomplete)
    return []


def _cords(ctx: click.Context, incomplete: str) -> list[CompletionItem]:
    tally = _tally(ctx)
    if tally is None:
        return []
    name, at, _ = incomplete.partition("@")
    if at and name in tally.names():
        return _items([(f"{name}@{environment}", "") for environment in tally.environments], incomplete)
    return _items([(name, "a cord of the tally") for name in tally.names()], incomplete)


def _tally(ctx: click.Context) -> Tally | None:
    from ..tally import load

    with suppress(CordTallyError, OSError):
        return load(ctx.params.get("tally_file"))
    return None


def _engine(ctx: click.Context) -> str | None:
    """The engine that the rest of the line tells: by its option, by a cord, or by a text."""
    named = ctx.params.get("engine")
    if named in engine_ids():
        return str(named)
    given = str(ctx.params.get("text") or ctx.params.get("cord") or "")
    with suppress(CordTallyError):
        if "=" in given or ":" in given:
            from ..exchange import read

            return read(given).cord.engine
        tally, name = _tally(ctx), given.partition("@")[0]
        if tally is not None and name in tally.names():
            return tally.resolve(name).cord.engine
    return None


def list_files(begun: str) -> list[str]:
    """Give the paths that begin so, folders with a slash behind them."""
    folder, _, name = begun.rpartition("/")
    place = Path(os.path.expanduser(folder + "/") if "/" in begun else ".")
    found = []
    with suppress(OSError):
        for entry in sorted(os.scandir(place), key=lambda entry: entry.name):
            if entry.name.startswith(name) and (name.startswith(".") or not entry.name.startswith(".")):
                path = f"{folder}/{entry.name}" if "/" in begun else entry.name
                found.append(path + "/" * entry.is_dir())
    return found


def _items(pairs: Iterable[tuple[str, str | None]], incomplete: str = "") -> list[CompletionItem]:
    from click.shell_completion import CompletionItem

    # an explanation is one line to a shell
    return [
        CompletionItem(name, help=" ".join(meaning.split()) if meaning else None)
        for name, meaning in pairs
        if name.startswith(incomplete)
    ]
