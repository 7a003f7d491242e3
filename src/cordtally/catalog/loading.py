"""Reads catalog files, lazily and once: drivers, engines, canonical options, and the index by scheme.

Shapes and checks are left to ``facts``.
"""

from __future__ import annotations

import json
import tomllib
from collections.abc import Mapping
from dataclasses import fields
from functools import cache
from pathlib import Path
from typing import Any

from ..errors import CatalogError, UnknownName
from .facts import (
    NEEDS,
    ROLES,
    CanonicalOption,
    Driver,
    Engine,
    NotationFacts,
    Option,
    RemarkWords,
    Store,
    conflict_from,
    option_from,
    state_from,
)
from .nearest import find_nearest

FOLDER = Path(__file__).parent
_INHERITED = (
    "unknown_options",
    "case_sensitive",
    "true_words",
    "false_words",
    "tls",
    "tls_default",
    "authentication",
    "refuses",
    "query_wins",
    "bytes_password",
    "password_charset",
    "password_note",
    "user_charset",
    "user_note",
    "nested",
    "family",
    "passes_text",
    "conflicts",
)


@cache
def load_index() -> Mapping[str, Any]:
    """Load the generated index: driver ids with engine and language, and prefixes with the drivers that read them."""
    loaded: Mapping[str, Any] = json.loads((FOLDER / "index.json").read_text("utf-8"))
    return loaded


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


@cache
def load_driver(driver_id: str) -> Driver:
    """Load one driver.

    Raises
    ------
    UnknownName
        When the catalog has no such driver; the nearest ids are offered.
    """
    if driver_id not in load_index()["drivers"]:
        raise UnknownName(
            "driver",
            driver_id,
            nearest=find_nearest(driver_id, driver_ids()),
            hint="cordtally drivers lists them",
        )
    return build_driver(driver_id)


def build_driver(driver_id: str) -> Driver:
    """Build a driver from its file, without asking the index."""
    raw = _read_raw(driver_id)
    options = _options(raw)
    case_sensitive = bool(raw.get("case_sensitive", True))
    by_spelling: dict[str, Option] = {}
    by_canonical: dict[str, Option] = {}
    for option in options.values():
        for spelling in (option.name, *option.aliases):
            key = spelling if case_sensitive else spelling.casefold()
            if key in by_spelling:
                raise CatalogError(f"{driver_id}: {spelling} is listed twice")
            by_spelling[key] = option
        if option.canonical is not None:
            by_canonical.setdefault(option.canonical, option)
    return Driver(
        id=raw["id"],
        title=raw["title"],
        language=raw["language"],
        engines=tuple(raw["engines"]),
        source=raw["source"],
        checked=bool(raw["checked"]),
        symbol=raw["symbol"],
        packages=raw["packages"],
        notations=tuple(_notation(raw["id"], n) for n in raw["notations"]),
        options=options,
        by_spelling=by_spelling,
        by_canonical=by_canonical,
        unknown_options=raw.get("unknown_options", "refused"),
        case_sensitive=case_sensitive,
        true_words=tuple(raw.get("true_words", ("true",))),
        false_words=tuple(raw.get("false_words", ("false",))),
        tls=tuple(state_from(raw["id"], row, "level") for row in raw.get("tls", ())),
        tls_default=raw.get("tls_default"),
        authentication=tuple(state_from(raw["id"], row, "method") for row in raw.get("authentication", ())),
        refuses=raw.get("refuses", ""),
        query_wins=_winners(raw.get("query_wins", False)),
        bytes_password=bool(raw.get("bytes_password", False)),
        password_charset=raw.get("password_charset") or None,
        password_note=raw.get("password_note"),
        user_charset=raw.get("user_charset"),
        user_note=raw.get("user_note"),
        nested=(raw["nested"]["option"], raw["nested"]["target"]) if "nested" in raw else None,
        family=raw.get("family"),
        passes_text=bool(raw.get("passes_text", False)),
        conflicts=tuple(conflict_from(raw["id"], row) for row in raw.get("conflicts", ())),
        registered=tuple(raw.get("registered", ())),
    )


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
        hint = f"one of {', '.join(known)}"
        raise UnknownName("engine", engine_id, nearest=find_nearest(engine_id, known), hint=hint)
    raw = tomllib.loads((FOLDER / "engines" / f"{engine_id}.toml").read_text("utf-8"))
    raw["administrators"] = tuple(raw["administrators"])
    return Engine(**raw)


@cache
def load_canonical() -> Mapping[str, CanonicalOption]:
    """Load the canonical options."""
    raw = tomllib.loads((FOLDER / "options.toml").read_text("utf-8"))
    return {
        name: CanonicalOption(
            name=name,
            type=entry["type"],
            meaning=entry["meaning"],
            values=tuple(entry.get("values", ())),
            usual=tuple(entry.get("usual", ())),
            secret=bool(entry.get("secret", False)),
            matters=bool(entry.get("matters", False)),
            bears_on=entry.get("bears_on", "behaviour"),
        )
        for name, entry in raw.items()
    }


@cache
def load_remarks() -> Mapping[str, RemarkWords]:
    """Load the words for what grammars and readers remark, by case."""
    raw = tomllib.loads((FOLDER / "remarks.toml").read_text("utf-8"))
    return {case: RemarkWords(**entry) for case, entry in raw.items()}


@cache
def load_stores() -> Mapping[str, Store]:
    """Load the stores of secrets, by the scheme of their locators."""
    raw = tomllib.loads((FOLDER / "stores.toml").read_text("utf-8"))
    return {scheme: Store(scheme=scheme, **entry) for scheme, entry in raw.items()}


def _read_raw(driver_id: str) -> dict[str, Any]:
    raw = tomllib.loads((FOLDER / "drivers" / f"{driver_id}.toml").read_text("utf-8"))
    raw["options"] = {name: {"vocabulary": driver_id, **entry} for name, entry in raw.get("options", {}).items()}
    raw["notations"] = [_completed(own, raw) for own in raw["notations"]]
    if "extends" not in raw:
        return raw
    base = _read_raw(raw["extends"])
    for key in _INHERITED:
        if key in base:
            raw.setdefault(key, base[key])
    kept = {name: entry for name, entry in base["options"].items() if name not in raw.get("without", ())}
    if raw.get("base_only_in"):
        kept = {name: {**entry, "only_in": raw["base_only_in"]} for name, entry in kept.items()}
    raw["options"] = {**kept, **raw["options"]}
    return raw


def _completed(own: dict[str, Any], raw: dict[str, Any]) -> dict[str, Any]:
    """Fill in a notation that is said to be ``like`` another one: ``driver``, or ``driver/notation``."""
    if "like" not in own:
        return own
    like, _, its = own["like"].partition("/")
    models = raw["notations"] if like == raw["id"] else _read_raw(like)["notations"]
    model = next(n for n in models if n["id"] == (its or own["id"]))
    flags = dict(model.get("flags", {}))
    for name, flag in own.get("flags", {}).items():  # the parts of a URL have tables of their own
        flags[name] = {**flags.get(name, {}), **flag} if isinstance(flag, dict) else flag
    return {**model, **{k: v for k, v in own.items() if k != "like"}, "flags": flags}


def _winners(stated: bool | list[str]) -> tuple[str, ...]:
    """The roles for which a query parameter beats the URL's own place: all of them, none, or those listed."""
    if isinstance(stated, list):
        return tuple(stated)
    return ROLES if stated else ()


def _options(raw: dict[str, Any]) -> dict[str, Option]:
    canonical = load_canonical()
    made = {}
    for name, entry in raw["options"].items():
        rest = {k: v for k, v in entry.items() if k != "vocabulary"}
        if rest.get("canonical") in canonical and "type" not in rest:
            rest["type"] = canonical[rest["canonical"]].type
        made[name] = option_from(name, entry["vocabulary"], rest, canonical)
    return made


def _notation(place: str, raw: dict[str, Any]) -> NotationFacts:
    known = {f.name for f in fields(NotationFacts)}
    if not set(raw) <= known:
        raise CatalogError(f"{place}: a notation with keys {sorted(set(raw) - known)}")
    hosts = raw.get("hosts", "inline" if raw.get("flags", {}).get("hosts", {}).get("several") else "single")
    needs = raw.get("only_for", [])
    needs = (needs,) if isinstance(needs, str) else tuple(needs)
    if not set(needs) <= set(NEEDS):
        raise CatalogError(f"{place}: only_for {needs}")
    carries = raw.get("carries")
    return NotationFacts(
        id=raw["id"],
        grammar=raw["grammar"],
        schemes={engine: tuple(prefixes) for engine, prefixes in raw.get("schemes", {}).items()},
        flags=raw.get("flags", {}),
        hosts=hosts,
        host_options=raw.get("host_options", hosts),
        socket=raw.get("socket", "host"),
        opening=tuple(raw.get("opening", {}).items()),
        claims=bool(raw.get("claims", True)),
        accepts={engine: tuple(prefixes) for engine, prefixes in raw.get("accepts", {}).items()},
        only_for=needs,
        discovery=raw.get("discovery"),
        scheme_words=raw.get("scheme_words", {}),
        carries=None if carries is None else (carries["option"], carries["target"]),
        addresses=raw.get("addresses"),
        host_required=bool(raw.get("host_required", False)),
        names=raw.get("names", {}),
        database_required=bool(raw.get("database_required", False)),
        tls_default=raw.get("tls_default"),
    )
