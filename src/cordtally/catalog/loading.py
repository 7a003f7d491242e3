"""Reads the compiled catalog, lazily and piece by piece: drivers, engines, canonical options, and the index by prefix.

``scripts/catalog-index`` compiles it from the TOML files, which it checks; here nothing is checked any more.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from os.path import dirname, join
from typing import TYPE_CHECKING, Any

from ..errors import UnknownName
from .engine_facts import Engine
from .facts import Conflict, Driver, NotationFacts, Option, State
from .nearest import find_nearest
from .word_facts import CanonicalOption, RemarkWords, Store

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

_FOLDER = dirname(__file__)
_FEW = 11


@cache
def load_index() -> Mapping[str, Any]:
    """Load the generated index: driver ids with engine and language, and prefixes with the drivers that read them."""
    with open(join(_FOLDER, "index.json"), encoding="utf-8") as stream:
        loaded: Mapping[str, Any] = json.load(stream)
    return loaded


def load_raw(kind: str) -> Any:  # noqa: ANN401 -- JSON
    """Load one line of the compiled catalog; its lists become tuples."""
    start, length = load_index()["lines"][kind]
    with open(join(_FOLDER, "compiled.jsonl"), "rb") as stream:
        stream.seek(start)
        return _frozen(json.loads(stream.read(length)))


def _frozen(value: Any) -> Any:  # noqa: ANN401 -- JSON
    if type(value) is dict:
        return {name: _frozen(inner) if type(inner) in {dict, list} else inner for name, inner in value.items()}
    return tuple([_frozen(inner) if type(inner) in {dict, list} else inner for inner in value])


def driver_ids() -> tuple[str, ...]:
    """List the ids of all drivers, in the catalog's order."""
    return tuple(load_index()["drivers"])


def engine_ids() -> tuple[str, ...]:
    """List the ids of all engines."""
    return tuple(load_index()["engines"])


@cache
def members_of(family: str) -> tuple[str, ...]:
    """List the drivers of a family, its defaults first; empty where there is no such family."""
    return tuple(i for i, facts in load_index()["drivers"].items() if facts.get("family") == family)


def family_of(engine_id: str) -> str | None:
    """Give the engine whose protocol another one speaks; None for one that has its own."""
    found: str | None = load_index()["families"].get(engine_id)
    return found


def own_engines(driver_id: str) -> list[str]:
    """List the engines that a driver is made for, without those that only speak the protocol of one of them."""
    facts = load_index()["drivers"][driver_id]
    engines: list[str] = facts["engines"]
    return engines[: facts.get("made_for")]


@cache
def load_driver(driver_id: str) -> Driver:
    """Load one driver.

    Raises
    ------
    UnknownName
        When the catalog has no such driver; the nearest ids are offered.
    """
    if driver_id not in load_index()["drivers"]:
        raise unknown_driver(driver_id)
    raw = load_raw(f"driver:{driver_id}")
    options = {name: Option(name=name, **entry) for name, entry in raw.pop("options").items()}
    case_sensitive = raw.get("case_sensitive", True)
    by_spelling: dict[str, Option] = {}
    by_canonical: dict[str, Option] = {}
    for option in options.values():
        for spelling in (option.name, *option.aliases):
            by_spelling[spelling if case_sensitive else spelling.casefold()] = option
        if option.canonical is not None:
            by_canonical.setdefault(option.canonical, option)
    return Driver(
        notations=tuple(NotationFacts(**entry) for entry in raw.pop("notations")),
        tls=tuple(State(**row) for row in raw.pop("tls", ())),
        authentication=tuple(State(**row) for row in raw.pop("authentication", ())),
        conflicts=tuple(Conflict(**row) for row in raw.pop("conflicts", ())),
        options=options,
        by_spelling=by_spelling,
        by_canonical=by_canonical,
        **raw,
    )


def drivers(*, engine: str | None = None, language: str | None = None) -> tuple[Driver, ...]:
    """List what is known about the drivers of an engine, of a language, or of all; everyday names will do.

    Raises
    ------
    UnknownName
        When there is no such engine or language.

    Examples
    --------
    >>> import cordtally as ct
    >>> [driver.id for driver in ct.drivers(engine="postgres", language="java")]
    ['pgjdbc', 'r2dbc-postgresql']
    """
    return tuple(load_driver(i) for i in ids_of(engine, language))


def ids_of(engine: str | None, language: str | None) -> list[str]:
    """List the ids of the drivers of an engine and a language, as `drivers` does, without loading one.

    Raises
    ------
    UnknownName
        When there is no such engine or language.
    """
    from .everyday import find_name, nearest_names

    listed = load_index()["drivers"]
    spoken = {facts["language"] for facts in listed.values()}
    wanted = {}
    for kind, given, known in (("engine", engine, set(engine_ids())), ("language", language, spoken)):
        wanted[kind] = None if given is None else find_name(kind, given, known)
        if given is not None and wanted[kind] is None:
            hint = some_engines() if kind == "engine" else f"one of {', '.join(sorted(known))}"
            raise UnknownName(kind, given, nearest=nearest_names(kind, given, sorted(known)), hint=hint)
    return [
        i
        for i, facts in listed.items()
        if wanted["engine"] in {None, *facts["engines"]} and wanted["language"] in {None, facts["language"]}
    ]


def some_engines() -> str:
    """Name the first engines, which most people have, and say where the others are listed."""
    names = engine_ids()
    return f"{', '.join(names[:_FEW])} or another one: cordtally drivers lists {len(names)}"


def unknown_driver(name: str, engine: str | None = None) -> UnknownName:
    """Give the error for a driver that is not there: the nearest that speak to the engine, or those of the language."""
    from .everyday import find_name

    drivers = load_index()["drivers"]
    fitting = {i: facts for i, facts in drivers.items() if engine is None or engine in facts["engines"]}
    language = find_name("language", name, {facts["language"] for facts in drivers.values()})
    if language is not None:
        listed = ", ".join(i for i, facts in fitting.items() if facts["language"] == language)
        where = "" if engine is None else f" for {engine}"
        return UnknownName("driver", name, hint=f"{language} has {listed or 'none'}{where}")
    hint = "cordtally drivers lists them" if engine is None else f"cordtally drivers --engine {engine} lists them"
    return UnknownName("driver", name, nearest=find_nearest(name, fitting), hint=hint)


@cache
def load_engine(engine_id: str) -> Engine:
    """Load one engine.

    Raises
    ------
    UnknownName
        When the catalog has no such engine; the nearest ids are offered.
    """
    if engine_id not in load_index()["engines"]:
        known = engine_ids()
        hint = some_engines()
        from .everyday import nearest_names

        raise UnknownName("engine", engine_id, nearest=nearest_names("engine", engine_id, known), hint=hint)
    return Engine(**load_raw(f"engine:{engine_id}"))


def port_taken(driver: Driver, engine_id: str) -> int | None:
    """Give the port that a driver takes where none is stated: of a family it knows one engine's, whatever is meant."""
    engine, option = load_engine(engine_id), driver.by_canonical.get("port")
    if engine.family is None:
        return engine.default_port
    own = None if option is None else option.default
    return own if isinstance(own, int) else load_engine(engine.family).default_port


@cache
def load_canonical() -> Mapping[str, CanonicalOption]:
    """Load the canonical options."""
    return {name: CanonicalOption(name=name, **entry) for name, entry in load_raw("options").items()}


@cache
def load_remarks() -> Mapping[str, RemarkWords]:
    """Load the words for what grammars and readers remark, by case."""
    return {case: RemarkWords(**entry) for case, entry in load_raw("remarks").items()}


@cache
def load_stores() -> Mapping[str, Store]:
    """Load the stores of secrets, by the scheme of their locators."""
    return {scheme: Store(scheme=scheme, **entry) for scheme, entry in load_raw("stores").items()}


@cache
def plugged_stores() -> Mapping[str, EntryPoint]:
    """Give the stores that other packages bring, by the scheme of their locators: entry points ``cordtally.stores``."""
    from importlib.metadata import entry_points

    return {one.name: one for one in entry_points(group="cordtally.stores") if one.name not in load_stores()}


def is_store(scheme: str) -> bool:
    """Whether a scheme is that of a store of secrets."""
    return scheme in load_stores() or scheme in plugged_stores()
