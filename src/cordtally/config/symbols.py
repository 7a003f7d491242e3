"""Which engine a program means, by the driver that it loads: what it imports, requires or calls."""

from __future__ import annotations

import re
from functools import cache

from ..catalog import load_driver, load_index
from ..syntax import Tree

_LANGUAGES = {"csharp": "c#", "typescript": "javascript", "notebook": "python"}
# how a language loads what a symbol belongs to; {0} is that without its last part
_LOADED = {
    "python": r"(?:^|\"|\\n)\s*(?:import|from)\s+{0}\b",
    "javascript": r"(?:require\(|from\s+|import\s+)['\"`]{0}['\"`]",
    "go": r"\"{1}(?:/v\d+)?(?:/[\w./-]+)?\"",
    "r": r"\b{0}::|library\({0}\)",
    "ruby": r"\b{0}\b",
    "rust": r"\b{0}\b",
    "c#": r"\busing {0};|\b{1}\b",
}


def engine_loaded(tree: Tree) -> str | None:
    """Give the one engine that the drivers which a program loads are for; None where it loads none, or several's."""
    language = _LANGUAGES.get(tree.format, tree.format)
    found = {engine for pattern, engine in _patterns(language) if pattern.search(tree.source.text)}
    return found.pop() if len(found) == 1 else None


@cache
def _patterns(language: str) -> tuple[tuple[re.Pattern[str], str], ...]:
    """What loads each driver of a language, with its first engine; toolkits are for several, and left out."""
    made = []
    for driver, facts in load_index()["drivers"].items():
        if facts["language"] == language and "family" not in facts:
            symbol = load_driver(driver).symbol
            root = re.split(r"::|\.(?=[^./]*$)", symbol)[0]
            form = _LOADED.get(language, r"\b{1}\b").format(re.escape(root), re.escape(symbol))
            made.append((re.compile(form, re.MULTILINE), facts["engines"][0]))
    return tuple(made)
