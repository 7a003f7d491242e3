"""Which engine a program means, by the driver that it loads: what it imports, requires or calls."""

from __future__ import annotations

import re
from functools import cache

from ..catalog import load_driver, load_index
from ..syntax import language_facts


def engine_loaded(language: str, text: str) -> str | None:
    """Give the one engine that the drivers which a program loads are for; None where it loads none, or several's."""
    found = {engine for root, pattern, engine in _patterns(language) if root in text and pattern.search(text)}
    return found.pop() if len(found) == 1 else None


@cache
def _patterns(name: str) -> tuple[tuple[str, re.Pattern[str], str], ...]:
    """What loads each driver of a language, with a part of it and the first engine; toolkits are left out."""
    facts = language_facts(name)
    form, language = str(facts.get("loads", r"\b{1}\b")), facts.get("drivers", name)
    made = []
    for driver, known in load_index()["drivers"].items():
        if known["language"] == language and "family" not in known:
            symbol = load_driver(driver).symbol
            root = re.split(r"::|\.(?=[^./]*$)", symbol)[0]
            pattern = re.compile(form.format(re.escape(root), re.escape(symbol)), re.MULTILINE)
            made.append((root, pattern, known["engines"][0]))
    return tuple(made)
