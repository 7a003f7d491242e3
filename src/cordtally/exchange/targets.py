"""Targets: ``driver`` or ``driver/notation``, loaded and made ready to read and write."""

from __future__ import annotations

from functools import cache
from typing import Any, NamedTuple

from ..catalog import Driver, NotationFacts, find_nearest, load_driver
from ..errors import UnknownName
from ..notation import load_grammar, make_dialect


class Loaded(NamedTuple):
    """A driver's notation, made ready: facts, grammar module, dialect."""

    driver: Driver
    facts: NotationFacts
    grammar: Any
    dialect: Any


@cache
def load_target(target: str) -> Loaded:
    """Load ``driver`` or ``driver/notation``.

    Raises
    ------
    UnknownName
        When there is no such driver, or it has no such notation.
    """
    driver_id, _, notation_id = target.partition("/")
    driver = load_driver(driver_id)
    facts = driver.notation(notation_id or None)
    if facts is None:
        known = [n.id for n in driver.notations]
        raise UnknownName(
            f"notation of {driver_id}",
            notation_id,
            nearest=find_nearest(notation_id, known),
            hint=f"{driver_id} takes {', '.join(known)}",
        )
    return Loaded(driver, facts, load_grammar(facts.grammar), make_dialect(facts.grammar, facts.flags))
