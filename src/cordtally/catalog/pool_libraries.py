"""Facts about pool libraries and server-side poolers, one TOML file each in ``pools/``; read lazily and checked.

A file may be ``like`` another one: what it does not say for itself is said there.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from functools import cache
from pathlib import Path
from typing import Any

from ..errors import CatalogError, UnknownName
from .nearest import find_nearest

FOLDER = Path(__file__).parent / "pools"

# what settings mean, and what kind of value that is
MEANINGS: Mapping[str, str] = {
    "max_size": "count",
    "max_idle": "count",
    "overflow": "count",
    "min_size": "count",
    "min_idle": "count",
    "initial_size": "count",
    "max_waiting": "count",
    "max_uses": "count",
    "opening_at_once": "count",
    "acquire_timeout": "duration",
    "idle_timeout": "duration",
    "lifetime": "duration",
    "validate_on_borrow": "flag",
    "validate_after": "duration",
    "validation_timeout": "duration",
    "keepalive": "duration",
    "check_every": "duration",
    "connect_timeout": "duration",
    "retry_connect_after": "duration",
    "reconnect_timeout": "duration",
    "initial_timeout": "duration",
    "reclaim": "flag",
    "reclaim_after": "duration",
    "leak_warning": "duration",
    "reuse_newest": "flag",
    "waits_when_full": "flag",
    "sharing": "word",
    "acquire_target": "duration",
    "acquire_target_window": "duration",
    "max_clients": "count",
    "max_per_database": "count",
    "overflow_after_wait": "count",
    "overflow_wait": "duration",
    "client_idle_timeout": "duration",
    "worker_idle_timeout": "duration",
    "pools_per_child": "count",
    "idle_share": "share",
}
UNITS = {"ms": 1e-3, "s": 1.0, "min": 60.0, "word": 1.0}
SPECIALS = ("unlimited", "none", "default", "refused")
CONNECTS, REUSES, LINES = ("pool", "caller"), ("newest", "oldest"), ("first-come", "last-come")
LOOKED_AT = ("while", "taken", "given-back")
FULL = ("waits", "fails", "opens")


@dataclass(frozen=True, slots=True, kw_only=True)
class Setting:
    """One setting: what it means, the type and unit of its value, its default, and what 0 and −1 mean.

    ``default`` may be a word: ``unlimited``, or ``max_size`` (as many as that). A unit of ``word`` is a text with a
    unit, as Go writes durations; a setting of type ``word`` has ``words``, with what each means. ``needs`` names a
    setting without which this one has no effect; ``only_below`` names the meaning of one that must be below the largest
    size for it. A time is ``looked_at`` all the ``while``, or when a connection is ``taken``, or ``given-back``: then
    one that nobody takes outlives it.
    """

    name: str
    means: str
    type: str
    unit: str | None = None
    default: object = None
    zero: str | None = None
    minus_one: str | None = None
    least: int | None = None
    most: int | None = None
    needs: str | None = None
    only_below: str | None = None
    note: str | None = None
    words: Mapping[str, str] | None = None
    looked_at: str = "while"


@dataclass(frozen=True, slots=True, kw_only=True)
class Behaviour:
    """What a pool does that no setting changes.

    ``connects``: who opens a connection, the pool or the caller; ``reuse``: which idle one is taken; ``line``: who is
    served first; ``timeout_covers``: what the acquire timeout counts; ``when_full``: whether one who asks then waits,
    fails, or opens one more; ``per``: what has a pool of its own.
    """

    connects: str
    reuse: str
    line: str
    timeout_covers: str
    when_full: str = "waits"
    per: str = "process"


@dataclass(frozen=True, slots=True, kw_only=True)
class PoolLibrary:
    """A pool library or a server-side pooler; ``checked`` says whether the facts were read off an installed package.

    ``in_text_of`` lists the drivers in whose connection strings its settings stand, too.
    """

    id: str
    title: str
    language: str
    kind: str
    where: str
    source: str
    checked: bool
    behaviour: Behaviour
    settings: Mapping[str, Setting] = field(default_factory=dict)
    in_text_of: tuple[str, ...] = ()

    def setting(self, means: str) -> Setting | None:
        """The setting with a meaning."""
        return next((setting for setting in self.settings.values() if setting.means == means), None)


def list_pools() -> tuple[str, ...]:
    """List the ids of all pool libraries, in the order of the alphabet."""
    return tuple(sorted(path.stem for path in FOLDER.glob("*.toml")))


@cache
def load_pool(name: str) -> PoolLibrary:
    """Load the facts about a pool library.

    Raises
    ------
    UnknownName
        When there is none of that id; carries the nearest.
    CatalogError
        When the file breaks its schema.
    """
    known = list_pools()
    if name not in known:
        raise UnknownName(
            "pool library", name, nearest=find_nearest(name, known), hint="see: cordtally pool convert --list"
        )
    document = tomllib.loads((FOLDER / f"{name}.toml").read_text("utf-8"))
    if (like := document.pop("like", None)) is not None:
        base = tomllib.loads((FOLDER / f"{like}.toml").read_text("utf-8"))
        document = base | document | {"settings": base["settings"] | document.get("settings", {})}
    settings = {key: _setting(name, key, facts) for key, facts in document.pop("settings").items()}
    behaviour = Behaviour(**document.pop("behaviour"))
    facts = behaviour.connects, behaviour.reuse, behaviour.line, behaviour.when_full
    for value, allowed in zip(facts, (CONNECTS, REUSES, LINES, FULL)):
        if value not in allowed:
            raise CatalogError(f"{name}: {value!r} is none of {', '.join(allowed)}")
    if document["id"] != name:
        raise CatalogError(f"{name}: the id does not match the file's name")
    library = PoolLibrary(behaviour=behaviour, settings=settings, **document)
    for setting in settings.values():
        if setting.needs is not None and setting.needs not in settings:
            raise CatalogError(f"{name}: {setting.name} needs {setting.needs}, which is no setting")
    return library


def _setting(library: str, name: str, facts: Mapping[str, Any]) -> Setting:
    wrong = facts.keys() - {f.name for f in fields(Setting)}
    if wrong:
        raise CatalogError(f"{library}: {name} has an unknown fact {sorted(wrong)[0]!r}")
    setting = Setting(name=name, **facts)
    if MEANINGS.get(setting.means) != setting.type:
        raise CatalogError(f"{library}: {name} means {setting.means!r}, which is no {setting.type}")
    if (setting.type == "duration") != (setting.unit in UNITS):
        raise CatalogError(f"{library}: {name} needs a unit just where it is a duration")
    if (setting.type == "word") != bool(setting.words):
        raise CatalogError(f"{library}: {name} needs words just where it is one")
    if setting.looked_at not in LOOKED_AT:
        raise CatalogError(f"{library}: {name}: {setting.looked_at!r} is none of {', '.join(LOOKED_AT)}")
    for special in (setting.zero, setting.minus_one):
        if special is not None and special not in SPECIALS:
            raise CatalogError(f"{library}: {name}: {special!r} is none of {', '.join(SPECIALS)}")
    return setting
