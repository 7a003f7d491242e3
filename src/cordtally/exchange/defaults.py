"""What a text leaves to its driver's defaults, which are facts of each driver and typed in this one place."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from ..catalog import load_canonical
from ..model import DiscoveryKind, OptionValue
from ..text import as_text
from .codecs import Misread, read_value
from .reading import Reading
from .targets import Target, level_by_port, load_target


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
    target = load_target(reading.target)
    return level_by_port(target, reading.cord) or level_of(target)


def effective_options(reading: Reading) -> dict[str, OptionValue]:
    """Give the canonical options that a text states, and the defaults of those that it leaves to the driver."""
    return {**defaults_of(reading.target), **dict(reading.cord.options)}
