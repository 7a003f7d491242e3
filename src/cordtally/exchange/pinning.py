"""Where two drivers' defaults differ: a line of the ledger says so, and ``--pin`` writes the first driver's out.

Which defaults change what a program sees is marked in ``options.toml`` (``matters``).
"""

from __future__ import annotations

from dataclasses import replace
from functools import cache

from ..catalog import load_canonical
from ..model import Cord, Duration, OptionValue, TlsLevel
from ..text import as_text
from .defaults import defaults_of, level_of
from .ledger import LedgerLine, Outcome
from .reading import Reading
from .sheet import Origin
from .targets import Target, choose_target, load_target


def pin_defaults(reading: Reading, target_name: str) -> tuple[Cord, dict[str, Origin]]:
    """Write the source driver's defaults into the cord wherever the target's are others, or not known.

    Gives the cord, and the origins of what was pinned.
    """
    source, other = load_target(reading.target), choose_target(target_name, reading.cord)
    title, origins = source.driver.title, dict[str, Origin]()
    stated = dict(reading.cord.options)
    for name, mine, theirs in _both(source.name, other.name):
        if name not in stated and mine is not None and mine != theirs and load_canonical()[name].matters:
            stated[name] = mine
            origins[f"options.{name}"] = Origin(name, _said(mine), pinned=title)
    tls, level = reading.cord.tls, level_of(source)
    if tls.level is None and level is not None and level != level_of(other) and (other.driver.tls or origins):
        tls = replace(tls, level=TlsLevel(level))
        origins["tls.level"] = Origin(None, level, pinned=title)
    return reading.cord.copy_with(options=stated, tls=tls), origins


def unstated_lines(reading: Reading, target_name: str, stated: frozenset[str]) -> tuple[LedgerLine, ...]:
    """Say where a text that states nothing gets another behaviour from the target's defaults."""
    if reading.target == target_name:
        return ()
    if reading.cord.tls.level is not None:
        stated |= {"tls.level"}
    return tuple(line for part, line in _differences(reading.target, target_name) if part not in stated)


@cache
def _differences(source_name: str, target_name: str) -> tuple[tuple[str, LedgerLine], ...]:
    source, target = load_target(source_name), load_target(target_name)
    lines = []
    here, there = level_of(source), level_of(target)
    if here is not None and there is not None and here != there:
        lines.append(("tls.level", _line("tls", (source, here), (target, there), "state a level to be sure")))
    for name, mine, theirs in _both(source_name, target_name):
        if mine is not None and theirs is not None and mine != theirs and load_canonical()[name].matters:
            sides = (source, _said(mine)), (target, _said(theirs))
            lines.append((f"options.{name}", _line(name, *sides, "--pin writes the first one")))
    return tuple(lines)


def _line(name: str, mine: tuple[Target, str], theirs: tuple[Target, str], advice: str) -> LedgerLine:
    (source, here), (target, there) = mine, theirs
    differ = f"{source.driver.title} {here}, {target.driver.title} {there}"
    reason = f"nothing is stated, and the defaults differ: {differ}; {advice}"
    return LedgerLine(f"{name}.default", here, there, Outcome.IMPLIED, reason)


@cache
def _both(source_name: str, target_name: str) -> tuple[tuple[str, OptionValue | None, OptionValue | None], ...]:
    """The canonical options that both know, with the default of each; None where it is not known."""
    source, target = load_target(source_name), load_target(target_name)
    mine, theirs = defaults_of(source_name), defaults_of(target_name)
    names = [n for n in load_canonical() if n in source.by_canonical and n in target.by_canonical]
    return tuple((name, mine.get(name), theirs.get(name)) for name in names)


def _said(value: OptionValue) -> str:
    return str(value) if isinstance(value, Duration) else as_text(value)
