"""What the slots of a connection come to: a text that is read, with the parts beside it, or parts alone."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from ..catalog import engine_ids, find_name
from ..composing import compose
from ..exchange import Reading, read
from ..model import Cord, Host, Secret
from ..syntax import Slot
from .layouts import CordPlaces, Layout
from .matching import Keys

PARTS = ("host", "port", "database", "user", "password")


class Stated(NamedTuple):
    """What a file states of a connection: values by role, and the slots of further options of its driver."""

    layout: Layout
    places: CordPlaces
    values: Mapping[str, str]
    options: Mapping[Keys, Slot]


def cord_of(made: Stated) -> tuple[Cord | None, Reading | None]:
    """Give the cord and the reading of its text; neither, where the engine is not told.

    Raises
    ------
    CordTallyError
        When the text cannot be read, or the parts are none.
    """
    values = made.values
    parts = {role: values[role] for role in PARTS if values.get(role)}
    if values.get("text"):
        reading = _read(made)
        return _laid_over(reading.cord, parts, made.places.wins), reading
    engine = _engine(made.layout, made.places, values)
    if engine is None:
        return None, None
    password = parts.pop("password", None)
    cord = _with_options(made, compose(engine=engine, **parts))
    return (cord if password is None else cord.copy_with(password=Secret(password))), None


def _read(made: Stated) -> Reading:
    text = made.values["text"].removeprefix(made.places.strips)
    driver = made.places.driver or made.places.reads.get(made.values.get("engine_in", "").casefold())
    return read(text, driver=driver)


def _with_options(made: Stated, cord: Cord) -> Cord:
    """Give a cord what stands among the further arguments of its driver."""
    driver = made.layout.emit.get("drivers", {}).get(cord.engine)
    if driver is None or not made.options:
        return cord
    arguments: dict[str, Any] = {}
    for keys, slot in made.options.items():
        if slot.node.value is None:
            continue  # computed, or filled in when the program runs
        into = arguments
        for key in keys[:-1]:
            into = into.setdefault(key, {})
        into[keys[-1]] = int(slot.node.value) if slot.node.style == "number" else slot.node.value
    found = read(arguments, driver=f"{driver}/arguments").cord
    return cord.copy_with(tls=found.tls, options=found.options, native=found.native)


def _engine(layout: Layout, places: CordPlaces, values: Mapping[str, str]) -> str | None:
    if places.engine is not None:
        return places.engine
    word = values.get("engine_in", "")
    return layout.engines.get(word.casefold()) or (find_name("engine", word, engine_ids()) if word else None)


def _laid_over(cord: Cord, parts: Mapping[str, str], wins: str) -> Cord:
    """Lay what stands beside a text over it, or under it, as the layout has it."""
    for role, value in parts.items():
        if wins == "text" and has_part(cord, role):
            continue
        if role == "password":
            cord = cord.copy_with(password=Secret(value))
        elif role in {"host", "port"}:
            first = cord.hosts[0] if cord.hosts else Host("")
            host = (
                Host(value, first.port)
                if role == "host"
                else Host(first.address, int(value) if value.isdigit() else None)
            )
            cord = cord.copy_with(hosts=(host, *cord.hosts[1:]))
        else:
            cord = cord.copy_with(**{role: value})
    return cord


def has_part(cord: Cord, role: str) -> bool:
    """Whether a cord states a part."""
    if role in {"host", "port"}:
        return bool(cord.hosts) and (role == "host" or cord.hosts[0].port is not None)
    return getattr(cord, role, None) is not None
