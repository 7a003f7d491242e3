"""Writes the settings of one pool library for another, with a ledger of what was kept, changed and lost."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ...catalog.pool_libraries import UNITS, PoolLibrary, Setting, load_pool
from ...exchange import Ledger, Outcome
from ...exchange.ledger import LedgerLine
from ...model import Duration
from ...results import Result
from .reading import PoolSettings, Value

# where the target has no setting of the same meaning: what comes nearest, and what differs
_NEAREST: Mapping[str, tuple[tuple[str, str], ...]] = {
    "min_idle": (("min_size", "counts all connections, not the idle ones"), ("max_idle", "keeps at most so many idle")),
    "min_size": (("min_idle", "counts idle connections, not all"), ("initial_size", "opens them at the start only")),
    "initial_size": (("min_size", "keeps them open, not only at the start"),),
    "keepalive": (("validate_after", "looks only when a connection is taken"),),
    "validate_after": (("validate_on_borrow", "looks every time"), ("keepalive", "looks in the background")),
    "leak_warning": (("reclaim_after", "takes the connection back, and does not only warn"),),
}
_DEFAULTS_THAT_MATTER = ("max_size", "max_idle", "acquire_timeout", "idle_timeout", "lifetime", "max_waiting")


@dataclass(frozen=True, repr=False)
class PoolConversion(Result):
    """What to write for the target: values as texts by its names, and the ledger."""

    _rows = "ledger"
    source: PoolLibrary
    target: PoolLibrary
    settings: Mapping[str, str]
    ledger: Ledger

    def _summary(self) -> str:
        settings = ", ".join(f"{name} = {value}" for name, value in self.settings.items())
        return f"{self.source.id} to {self.target.id}: {settings}"

    def to_dict(self) -> dict[str, Any]:
        """Give ``cordtally/pool-conversion/1``."""
        return {
            "schema": "cordtally/pool-conversion/1",
            "from": self.source.id,
            "to": self.target.id,
            "where": self.target.where,
            "checked": self.source.checked and self.target.checked,
            "settings": dict(self.settings),
            "ledger": [line.to_dict() for line in self.ledger],
        }


def convert_pool(settings: PoolSettings, to: PoolLibrary | str, *, pin: bool = False) -> PoolConversion:
    """Write settings for another pool library.

    Parameters
    ----------
    settings : PoolSettings
        What was read.
    to : PoolLibrary or str
        The target, or its id.
    pin : bool
        Write the source's defaults where the target's differ, instead of only saying so.

    Raises
    ------
    UnknownName
        When there is no such library.
    """
    target = load_pool(to) if isinstance(to, str) else to
    writer = _Writer(settings, target)
    for means, value in settings.given.items():
        writer.put(means, value)
    writer.defaults(pin=pin)
    writer.behaviour()
    return PoolConversion(settings.library, target, writer.written, Ledger(tuple(writer.lines)))


class _Writer:
    def __init__(self, settings: PoolSettings, target: PoolLibrary) -> None:
        self.settings, self.target = settings, target
        self.written: dict[str, str] = {}
        self.lines: list[LedgerLine] = []

    def put(self, means: str, value: Value, *, added: bool = False) -> None:
        """Write one value, or say why not."""
        source = self._source(means)
        if means == "max_size" and self.target.setting("overflow") is not None:
            self._put_with_overflow(source, value)
            return
        if means == "max_idle" and self.target.setting("overflow") is not None and "max_size" in self.settings.all:
            return  # written with the largest size
        setting = self.target.setting(means)
        if setting is not None:
            self._write(means, setting, value, source, added=added)
            return
        for near, difference in _NEAREST.get(means, ()):
            setting = self.target.setting(near)
            if setting is not None and setting.name not in self.written and near not in self.settings.given:
                self._approximate(means, setting, value, source, f"{setting.name} {difference}")
                return
        self._line(means, source, None, Outcome.DROPPED, f"{self.target.title} has no such setting")

    def _source(self, means: str) -> str:
        """How the value stood in the source."""
        names = {s.means: s.name for s in self.settings.library.settings.values()}
        wanted = [means] if means != "max_size" or means in names else ["max_idle", "overflow"]
        found = [f"{names[m]} = {self.settings.texts[names[m]]}" for m in wanted if names.get(m) in self.settings.texts]
        return ", ".join(found) or f"{', '.join(names.get(m, m) for m in wanted)} not set"

    def _write(self, means: str, setting: Setting, value: Value, source: str, *, added: bool) -> None:
        text, reason = _text(setting, value)
        if text is None:
            self._line(means, source, None, Outcome.DROPPED, reason)
            return
        self.written[setting.name] = text
        outcome = Outcome.ADDED if added else Outcome.APPROXIMATED if reason else self._outcome(means, setting, text)
        self._line(means, source, f"{setting.name} = {text}", outcome, reason or setting.note)

    def _outcome(self, means: str, setting: Setting, text: str) -> Outcome:
        mine = self.settings.library.setting(means)
        if mine is None:
            return Outcome.REWORDED
        if self.settings.texts.get(mine.name) != text:
            return Outcome.RESCALED if setting.unit != mine.unit else Outcome.REWORDED
        return Outcome.KEPT if mine.name == setting.name else Outcome.RENAMED

    def _approximate(self, means: str, setting: Setting, value: Value, source: str, reason: str) -> None:
        if setting.type == "flag":
            value = value is not None
        text, problem = _text(setting, value)
        if text is None:
            self._line(means, source, None, Outcome.DROPPED, problem)
            return
        self.written[setting.name] = text
        self._line(means, source, f"{setting.name} = {text}", Outcome.APPROXIMATED, reason)

    def _put_with_overflow(self, source: str, value: Value) -> None:
        """Split a largest size into what is kept and what comes on top."""
        kept_setting, more_setting = self.target.setting("max_idle"), self.target.setting("overflow")
        assert kept_setting is not None
        assert more_setting is not None
        idle = self.settings.given.get("max_idle", value)
        kept = idle if isinstance(idle, int) else value
        if value is None:
            kept = kept if isinstance(kept, int) else _number(kept_setting.default)
            texts = {kept_setting.name: str(kept), more_setting.name: _text(more_setting, None)[0] or "-1"}
        else:
            most = _number(value)
            kept = min(_number(kept), most)
            texts = {kept_setting.name: str(kept), more_setting.name: str(most - kept)}
        self.written |= texts
        shown = ", ".join(f"{name} = {text}" for name, text in texts.items())
        self._line(
            "max_size", source, shown, Outcome.REWORDED, f"{more_setting.name} counts on top of {kept_setting.name}"
        )

    def defaults(self, *, pin: bool) -> None:
        """Say, or write, what the source takes for granted and the target does not."""
        from .reading import read_settings

        theirs = read_settings(self.target, self.written)
        for means in _DEFAULTS_THAT_MATTER:
            setting = self.target.setting(means)
            if means in self.settings.given or means in theirs.given or means not in self.settings.all:
                continue
            if setting is None and means not in theirs.all:
                continue
            mine, other = self.settings.all[means], theirs.all.get(means)
            if mine == other:
                continue
            if pin and (setting is not None or means == "max_size"):
                self.put(means, mine, added=True)
                continue
            told = f"by default {self.settings.library.title} takes {show(mine)}, {self.target.title} {show(other)}"
            self._line(means, "not set", "not set", Outcome.APPROXIMATED, told)

    def behaviour(self) -> None:
        """Say what no setting changes, and what differs."""
        mine, theirs = self.settings.library.behaviour, self.target.behaviour
        differences = [
            ("reuse", mine.reuse, theirs.reuse, "which idle connection is taken first"),
            ("connects", mine.connects, theirs.connects, "who opens a connection, and waits for it"),
            ("timeout_covers", mine.timeout_covers, theirs.timeout_covers, "what the acquire timeout counts"),
            ("per", mine.per, theirs.per, "what has a pool of its own"),
        ]
        for part, before, after, reason in differences:
            if before != after and not (part == "reuse" and "reuse_newest" in self.settings.given):
                self._line(part, before, after, Outcome.IMPLIED, reason)

    def _line(self, part: str, source: str | None, target: str | None, outcome: Outcome, reason: str | None) -> None:
        self.lines.append(LedgerLine(part, source, target, outcome, reason))


def _number(default: object) -> int:
    return default if isinstance(default, int) else 1


def _text(setting: Setting, value: Value) -> tuple[str | None, str | None]:
    """Write a value for a setting: the text, and what is approximated; or None and why it cannot be written."""
    if value is None:
        for number, special in ((0, setting.zero), (-1, setting.minus_one)):
            if special == "unlimited":
                return str(number), None
        if setting.default == "unlimited":
            return None, f"without {setting.name} there is no limit already"
        return None, f"{setting.name} has no word for no limit"
    if isinstance(value, bool):
        return str(value).lower(), None
    if isinstance(value, str):
        word = next((word for word, meaning in (setting.words or {}).items() if meaning == value), None)
        return word, None if word is not None else f"{setting.name} has no word for {value}"
    if isinstance(value, Duration):
        return _duration(setting, value)
    number, reason = value, None
    if value == 0 and setting.zero in {"unlimited", "default", "refused"}:
        return None, f"{setting.name} = 0 would mean {setting.zero}"
    if setting.least is not None and number < setting.least:
        number, reason = setting.least, f"{setting.name} is at least {setting.least}"
    if setting.most is not None and number > setting.most:
        number, reason = setting.most, f"{setting.name} is at most {setting.most}"
    return str(number), reason


def _duration(setting: Setting, value: Duration) -> tuple[str | None, str | None]:
    seconds = value.seconds
    if seconds == 0 and setting.zero in {"unlimited", "default", "refused"}:
        return None, f"{setting.name} = 0 would mean {setting.zero}"
    if setting.unit == "word":
        return _go(value), None
    exact = round(seconds / UNITS[setting.unit or "s"], 9)
    fraction = isinstance(setting.default, float)
    number, reason = exact, None
    if not fraction and exact != int(exact):
        number, reason = math.ceil(exact), f"{setting.name} counts whole {setting.unit}"
    if setting.least is not None and number < setting.least:
        number, reason = setting.least, f"{setting.name} is at least {setting.least} {setting.unit}"
    return (str(int(number)) if number == int(number) else f"{number:g}"), reason


def _go(value: Duration) -> str:
    seconds = value.seconds
    for unit, size in (("h", 3600), ("m", 60), ("s", 1)):
        if seconds >= size and seconds % size == 0:
            return f"{int(seconds // size)}{unit}"
    return f"{1000 * seconds:g}ms"


def show(value: Value) -> str:
    """Write a value with its unit."""
    if value is None:
        return "no limit"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)
