"""Scenarios in TOML: which keys there are and what they set. Every key with its meaning is in docs/pool-rules.md."""

from __future__ import annotations

import math
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from ...catalog import find_nearest
from ...errors import FieldError, PoolModelError, quoted
from ...figures import show_seconds
from ...model import Duration
from ...pipes import read_text
from ..quantities import parse_rate
from ..tables import read_table, times
from . import rules as names
from .draws import Burst, Spread
from .scenario import Scenario


def _seconds(value: object) -> float:
    if not isinstance(value, str):
        raise FieldError(f"{quoted(value)} is no time; write it with its unit: '35ms'")
    duration = Duration.parse(value)
    return math.inf if duration.nanoseconds is None else duration.seconds


def _count(value: object) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise FieldError(f"{quoted(value)} is not a whole number of 0 or more")
    return value


def _number(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value) or value < 0:
        raise FieldError(f"{quoted(value)} is not a number of 0 or more")
    return float(value)


def _rate(value: object) -> float:
    if not isinstance(value, str):
        raise FieldError(f"{quoted(value)} is no rate; write it with its unit: '120/s'")
    return parse_rate(value)


def _flag(value: object) -> bool:
    if not isinstance(value, bool):
        raise FieldError(f"{quoted(value)} is neither true nor false")
    return value


def _word(**meanings: Any) -> Callable[[object], Any]:  # noqa: ANN401
    def read(value: object) -> Any:  # noqa: ANN401
        if value not in meanings:
            raise FieldError(f"{value!r} is none of " + ", ".join(repr(m.replace("_", "-")) for m in meanings))
        return meanings[str(value)]

    return lambda value: read(str(value).replace("-", "_"))


def _instants(value: object) -> tuple[float, ...]:
    return tuple(_seconds(v) for v in (value if isinstance(value, list) else [value]))


def _text(value: object) -> str:
    return str(value)


Key = tuple[str, Callable[[object], Any]]
_KEYS: dict[str, dict[str, Key]] = {
    "load": {
        "arrivals": ("rate", _rate),
        "arrivals_cv": ("arrival_cv", _number),
        "hold": ("hold.mean", _seconds),
        "hold_cv": ("hold.cv", _number),
        "hold_shape": ("hold.shape", _text),
        "hold_samples": ("hold_samples", _text),
        "trace": ("trace", _text),
        "fit": ("fit", _text),
        "threads": ("threads", _count),
        "think": ("think.mean", _seconds),
        "think_cv": ("think.cv", _number),
        "leak_share": ("leak_share", _number),
        "duration": ("duration", _seconds),
        "warm_up": ("warm_up", _seconds),
    },
    "pool": {
        "instances": ("instances", _count),
        "max_size": ("rules.max_size", _count),
        "min_size": ("rules.min_size", _count),
        "min_idle": ("rules.min_idle", _count),
        "reuse": ("rules.reuse_newest", _word(newest=True, oldest=False)),
        "line": ("rules.serve_newest", _word(first_come=False, last_come=True)),
        "connects": ("rules.caller_connects", _word(pool=False, caller=True)),
        "opening_at_once": ("rules.opening_at_once", _count),
        "acquire_timeout": ("rules.acquire_timeout", _seconds),
        "idle_timeout": ("rules.idle_timeout", _seconds),
        "lifetime": ("rules.lifetime", _seconds),
        "lifetime_jitter": ("rules.lifetime_jitter", _number),
        "validate_time": ("rules.validate_time", _seconds),
        "validate_after": ("rules.validate_after", _seconds),
        "reclaim_after": ("rules.reclaim_after", _seconds),
        "retry_connect_after": ("rules.retry_connect_after", _seconds),
        "retry_share": ("rules.retry_share", _number),
        "retry_after": ("rules.retry_after", _seconds),
    },
    "server": {
        "limit": ("rules.server_limit", _count),
        "connect_time": ("connect.mean", _seconds),
        "connect_cv": ("connect.cv", _number),
        "connects_at_once": ("rules.server_slots", _count),
        "alpha": ("rules.alpha", _number),
        "beta": ("rules.beta", _number),
        "token_every": ("rules.token_every", _seconds),
        "token_life": ("rules.token_life", _seconds),
        "token_closes": ("rules.token_closes", _flag),
    },
    "deploy": {
        "at": ("deploys", _instants),
        "surge": ("rules.surge", _count),
        "boot_time": ("rules.boot_time", _seconds),
        "boot_jitter": ("rules.boot_jitter", _number),
        "ready": (
            "rules.ready",
            _word(at_start=names.AT_START, at_minimum=names.AT_MINIMUM, at_maximum=names.AT_MAXIMUM),
        ),
        "drain_limit": ("rules.drain_limit", _seconds),
    },
    "bursts": {"at": ("at", _seconds), "lasts": ("lasts", _seconds), "factor": ("factor", _number)},
    "restarts": {"at": ("at", _seconds), "lasts": ("lasts", _seconds)},
}


_CHANGED = ("pool", "server", "deploy", "load")


def _meant(name: str, known: list[str]) -> str:
    nearest = find_nearest(name, known, most=1)
    return f"; did you mean {nearest[0]}?" if nearest else "; there are " + ", ".join(known)


def _plain(value: str) -> object:
    """Read a value given on the command line as TOML would, where it is a number or a truth value."""
    try:
        return tomllib.loads(f"v = {value}")["v"]
    except tomllib.TOMLDecodeError:
        return value


def _set(scenario: Scenario, place: str, value: Any) -> Scenario:  # noqa: ANN401
    owner, _, name = place.partition(".")
    if not name:
        return replace(scenario, **{owner: value})
    if owner == "rules":
        return replace(scenario, rules={**scenario.rules, name: value})
    return replace(scenario, **{owner: replace(getattr(scenario, owner), **{name: value})})


def change_key(scenario: Scenario, name: str, value: str) -> Scenario:
    """Give the scenario with one key of the pool, server, deploy or load section changed, as written in TOML.

    Parameters
    ----------
    scenario : Scenario
        As `read_scenario` gives it.
    name : str
        A key of its section, as it stands in the file.
    value : object
        As TOML reads it: a number, or a text with a unit.

    Raises
    ------
    PoolModelError
        For a key that there is not, or a value that it cannot have.
    """
    for section in _CHANGED:
        if name in _KEYS[section]:
            place, kind = _KEYS[section][name]
            return _set(scenario, place, kind(_plain(value)))
    raise PoolModelError(
        f"a scenario has no key {quoted(name)}{_meant(name, [key for section in _CHANGED for key in _KEYS[section]])}"
    )


def read_scenario(path: str | Path) -> Scenario:
    """Read a scenario from a TOML file; the files that it names are sought beside it.

    Parameters
    ----------
    path : str or Path
        A TOML file with the sections that `make_scenario` takes.

    Raises
    ------
    PoolModelError
        For a file that is no TOML, an unknown section or key, a value that cannot be meant; the message names it.
    """
    path = Path(path)
    try:
        document = tomllib.loads(read_text(path))
    except FieldError:  # a pipe without a writer, which says so itself
        raise
    except (ValueError, RecursionError) as error:  # numbers of too many digits, and nests too deep
        raise PoolModelError(f"{path}: this is no TOML: {error}") from None
    try:
        return make_scenario(document, path.parent)
    except (PoolModelError, FieldError) as error:
        raise PoolModelError(f"{path}: {error}") from None


def make_scenario(document: Mapping[str, Any], folder: Path = Path()) -> Scenario:
    """Make a scenario of what a TOML file says.

    Parameters
    ----------
    document : mapping
        Sections, each a mapping of keys, as TOML reads them.
    folder : Path
        Where the files that it names are sought.

    Raises
    ------
    PoolModelError
        As `read_scenario`.
    """
    settings: dict[str, Any] = {}
    for section, content in document.items():
        if section not in _KEYS or section == "bursts":
            raise PoolModelError(
                f"there is no section [{section}]{_meant(section, [key for key in _KEYS if key != 'bursts'])}"
            )
        if section == "restarts":
            settings["restarts"] = tuple((e["at"], e["lasts"]) for e in _entries(content, "restarts"))
            continue
        keys = dict(content)
        if section == "load" and "bursts" in keys:
            settings["bursts"] = tuple(Burst(**entry) for entry in _entries(keys.pop("bursts"), "bursts"))
        settings |= _values(keys, section)
    groups: dict[str, dict[str, Any]] = {"rules": {"max_size": 10}, "hold": {}, "think": {}, "connect": {}}
    whole: dict[str, Any] = {}
    for place, value in settings.items():
        owner, _, name = place.partition(".")
        (groups[owner] if name else whole)[name or owner] = value
    for owner in ("hold", "think", "connect"):
        group = groups[owner]
        whole[owner] = Spread(**({"mean": 0.0} | group))
    if "fit" in whole:
        fitted = _fitted(folder / whole.pop("fit"), groups)
        whole |= {name: value for name, value in fitted.items() if name not in settings}
    if "hold_samples" in whole:
        whole["hold"] = Spread.of(times(read_table(folder / whole.pop("hold_samples")), "hold"))
    if "trace" in whole:
        table = read_table(folder / whole["trace"])
        whole["trace"] = (times(table, "time"), times(table, "hold"))
        first, last = whole["trace"][0][0], whole["trace"][0][-1]
        whole.setdefault("duration", float(last - first) + 1.0)
        whole.setdefault("warm_up", 0.0)
    if "duration" in whole:
        whole.setdefault("warm_up", min(60.0, whole["duration"] / 10))
    if {"threads", "rate"} <= settings.keys():
        raise PoolModelError(
            "[load] has threads and arrivals: threads ask anew when they are done, arrivals come by themselves; "
            "keep one of the two"
        )
    made = Scenario(**whole, rules=groups["rules"])
    starts = [*(burst.at for burst in made.bursts), *(at for at, _ in made.restarts)]
    if late := [at for at in starts if at >= made.duration]:
        raise PoolModelError(
            f"what begins at {show_seconds(late[0])} comes after the end, {show_seconds(made.duration)}: "
            "make the duration longer"
        )
    return made


def _fitted(path: Path, groups: dict[str, dict[str, Any]]) -> dict[str, Any]:
    """What a file of `pool fit` says of the load (mean rate, gaps, holds) and of the server's contention."""
    from ..fitting import read_fit

    fields = read_fit(path).load_fields()
    if "contention" in fields:
        groups["rules"] = {"alpha": fields["contention"].alpha, "beta": fields["contention"].beta} | groups["rules"]
    found = {"rate": fields.get("arrivals"), "arrival_cv": fields.get("arrival_cv")}
    if "hold" in fields and "mean" not in groups["hold"]:
        found["hold"] = Spread(fields["hold"], fields.get("hold_cv", 1.0))
    return {name: value for name, value in found.items() if value is not None}


def _entries(content: object, section: str) -> list[dict[str, Any]]:
    if not isinstance(content, list):
        raise PoolModelError(f"{section} are a list: write [[{section}]]")
    entries = [_values(dict(entry), section) for entry in content]
    for entry in entries:
        missing = [key for key in _KEYS[section] if key not in entry]
        if missing:
            raise PoolModelError(f"{section} need {missing[0]}")
    return entries


def _values(content: Mapping[str, Any], section: str) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for name, value in content.items():
        if name not in _KEYS[section]:
            raise PoolModelError(f"[{section}] has no key {quoted(name)}{_meant(name, list(_KEYS[section]))}")
        place, kind = _KEYS[section][name]
        try:
            values[place] = kind(value)
        except (FieldError, PoolModelError) as error:
            raise PoolModelError(f"[{section}] {name}: {error}") from None
    return values
