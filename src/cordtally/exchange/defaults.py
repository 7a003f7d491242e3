"""What a text leaves to the driver's defaults: what they are, where two drivers differ, and how to write them out.

Which defaults change what a program sees is marked in ``options.toml`` (``matters``); the defaults themselves are
facts of each driver, and typed in one place here: `defaults_of` and `level_of`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache

from ..catalog import load_canonical
from ..model import Cord, DiscoveryKind, Duration, OptionValue, TlsLevel
from ..text import as_text
from .codecs import Misread, read_value
from .ledger import LedgerLine, Outcome
from .reading import Reading
from .sheet import Origin
from .targets import Target, choose_target, load_target


@cache
def defaults_of(target_name: str) -> Mapping[str, OptionValue]:
    """The canonical options that a target's driver knows, with its default where that is known and not left open."""
    target, found = load_target(target_name), {}
    for canonical, option in target.driver.by_canonical.items():
        if canonical in load_canonical() and option.is_in(target.facts.id) and option.default not in {None, ""}:
            value = read_value(option, target.driver, as_text(option.default))
            if value is not None and not isinstance(value, Misread):
                found[canonical] = value
    return found


def level_of(target: Target) -> str | None:
    """The TLS level of a driver where a text states none; a notation may have one of its own."""
    return target.facts.tls_default if target.facts.tls_default is not None else target.driver.tls_default


def default_level(reading: Reading) -> str | None:
    """Give the TLS level that the driver takes where a text states none.

    None where an alias or a service has to be looked up first, which may state one.
    """
    if reading.cord.discovery.kind in {DiscoveryKind.ALIAS, DiscoveryKind.SERVICE}:
        return None
    return level_of(load_target(reading.target))


def effective_options(reading: Reading) -> dict[str, OptionValue]:
    """Give the canonical options that a text states, and the defaults of those that it leaves to the driver."""
    return {**defaults_of(reading.target), **dict(reading.cord.options)}


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
