"""What the layout of a file, or the keys beside a value, tell of a place: the engine, the environment."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from ..config import Declared, declared_of
from ..config.symbols import engine_loaded
from ..errors import CordTallyError
from ..syntax import Source, Tree, parse_text

_LARGEST = 256 << 10  # characters: what the keys beside a value tell is not worth more


class Stated(NamedTuple):
    """A stretch of a file that a connection is declared in, and what that one is."""

    start: int
    end: int
    engine: str | None
    environment: str | None
    name: str


def stated_in(characters: str, path: Path, format_name: str, *, by_layout: bool) -> tuple[list[Stated], str | None]:
    """Give the places of the connections that a file declares, and the engine of the one driver that it loads.

    Unless ``by_layout``, the driver alone is looked for.
    """
    loaded = engine_loaded(format_name, characters)
    if len(characters) > _LARGEST or not by_layout:
        return [], loaded
    source = Source(path, b"", characters, "utf-8")
    try:
        tree = Tree(source, format_name, parse_text(characters, format_name, all_of_it=False))
        declared = declared_of(tree)
    except CordTallyError:
        return [], loaded
    return [one for each in declared for one in _places(each)], loaded


def _places(declared: Declared) -> list[Stated]:
    engine = None if declared.cord is None else declared.cord.engine
    return [
        Stated(slot.node.start, slot.node.end, engine, declared.environment, declared.name)
        for role, slot in declared.slots.items()
        if role in {"password", "text", "user"}
    ]
