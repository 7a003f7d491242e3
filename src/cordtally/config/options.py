"""Edits of a driver's further arguments, where a layout keeps them key by key (Django's OPTIONS)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from ..errors import FieldError
from ..exchange import write
from ..model import Cord
from ..syntax import Slot
from .declarations import Declared
from .filling import leaves
from .matching import Keys
from .texts import changed


def option_edits(declared: Declared, parts: Mapping[str, Any]) -> Iterator[tuple[Slot, str]]:
    """Give the slots of arguments that change with a TLS level, an authority, a log-in or options; their new values.

    Raises
    ------
    FieldError
        When an argument that is needed has no place in the file; the message says what to add.
    """
    cord = declared.cord
    if not parts or cord is None:
        return
    driver = declared.layout.emit.get("drivers", {}).get(cord.engine)
    if driver is None:
        raise FieldError(f"{declared.layout.title} has no driver here for {cord.engine}")
    old, new = (_arguments(one, f"{driver}/arguments") for one in (cord, changed(cord, parts)))
    below = declared.places.options.format(name=declared.name)
    for keys, value in new.items():
        if old.get(keys) == value:
            continue
        slot = declared.options.get(keys)
        if slot is None:
            raise FieldError(f"{declared.title} has no place for it: add {'.'.join(keys)} = {value} below {below}")
        yield slot, value
    gone = [keys for keys in old if keys not in new]
    if gone:
        raise FieldError(f"{declared.title}: take {'.'.join(gone[0])} away from {below} by hand")


def _arguments(cord: Cord, target: str) -> dict[Keys, str]:
    bare = cord.copy_with(hosts=(), database=None, user=None, password=None)
    return {keys: str(value) for keys, value in leaves(write(bare, target).arguments or {})}
