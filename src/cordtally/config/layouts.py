"""Layouts: how a framework keeps connections in its files. Facts are TOML in ``catalog/layouts``; this matches them."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

from ..errors import CatalogError, FieldError
from ..records import Record
from ..syntax import Slot

FOLDER = Path(__file__).parents[1] / "catalog" / "layouts"
Keys = tuple[str, ...]
ROLES = ("text", "engine_in", "host", "port", "database", "user", "password")


class CordPlaces(Record):
    """Where the parts of a connection stand: by role the paths of keys, with ``{name}`` and ``{environment}`` in them.

    ``wins`` says whether a part counts that stands beside a text which has that part, too; where the host
    ``carries_port``, a port stands behind it. Below ``options`` stand further arguments of the driver.
    """

    places: Mapping[str, tuple[str, ...]]
    name: str = ""
    engine: str | None = None
    wins: str = "text"
    carries_port: bool = False
    options: str = ""


class Layout(Record):
    """One framework's way: file names, and where connections stand in them.

    With ``relaxed`` names, capitals, hyphens and underscores do not count; ``needs`` is a key without which a file is
    another framework's; what stands under a key that it ``skips`` is only there for others to share; ``engines`` maps
    the words of ``engine_in``; ``words`` are roles by the last word of a key. Of two ``equal`` keys the first or the
    last one counts, where that is not as in any file of the format. ``emit`` says how a block is written: its format,
    its file, the driver of each engine, and how that platform refers to a secret. What ``fills_in`` a value can stand
    in none as it is.
    """

    id: str
    title: str
    source: str
    checked: bool
    files: tuple[str, ...]
    relaxed: bool = False
    needs: str = ""
    fills_in: str = ""
    skips: tuple[str, ...] = ()
    equal: str = ""
    cords: tuple[CordPlaces, ...] = ()
    engines: Mapping[str, str] = {}
    words: Mapping[str, tuple[str, ...]] = {}
    emit: Mapping[str, Any] = {}


class Found(NamedTuple):
    """The slots of one connection, by role."""

    name: str
    environment: str | None
    places: CordPlaces
    slots: dict[str, Slot]
    options: dict[Keys, Slot]


@cache
def load_layouts() -> Mapping[str, Layout]:
    """Load all layouts, by id; the one that names no files is for all others."""
    made = {}
    for path in sorted(FOLDER.glob("*.toml")):
        raw = tomllib.loads(path.read_text("utf-8"))
        try:
            cords = tuple(_cord(entry) for entry in raw.pop("cords", ()))
            words = {role: tuple(names) for role, names in raw.pop("words", {}).items()}
            made[raw["id"]] = Layout(**raw, cords=cords, words=words)
        except (KeyError, TypeError) as error:
            raise CatalogError(f"{path}: {error}") from None
    return made


def _cord(entry: dict[str, Any]) -> CordPlaces:
    places = {role: tuple(paths) for role in ROLES if isinstance(paths := entry.pop(role, None), list)}
    return CordPlaces(places=places, **entry)


def layout_of(path: Path, found: Iterable[Slot]) -> tuple[Layout, str | None]:
    """Find the layout of a file by its name and its keys, and the environment that its name tells."""
    keys = {".".join(slot.path) for slot in found}
    for layout in load_layouts().values():
        for pattern in layout.files:
            match = _file_pattern(pattern).fullmatch(path.name)
            if match is not None and (not layout.needs or any(key.startswith(layout.needs) for key in keys)):
                groups = match.groupdict()
                if any(_matched(layout, places, keys) for places in layout.cords):
                    return layout, groups.get("environment")
    return next(layout for layout in load_layouts().values() if not layout.files), None


def _matched(layout: Layout, places: CordPlaces, keys: Iterable[str]) -> bool:
    patterns = [_key_pattern(path, relaxed=layout.relaxed) for paths in places.places.values() for path in paths]
    return any(pattern.fullmatch(key) for pattern in patterns for key in keys)


def find_cords(layout: Layout, found: Iterable[Slot], equal: str) -> list[Found]:
    """Give the connections that stand at a layout's places, in the order in which they first appear.

    Of two slots for one role the first pattern that is listed counts, of two ``equal`` keys the first or the last.
    """
    by_name: dict[tuple[str, str | None], Found] = {}
    ranks: dict[tuple[str, str | None, str], int] = {}
    for slot in found:
        key = ".".join(slot.path)
        for places in layout.cords:
            if places.options and (
                match := _key_pattern(places.options + ".{rest}", relaxed=layout.relaxed).match(key)
            ):
                name = match.groupdict().get("name") or places.name
                entry = by_name.setdefault((name, None), Found(name, None, places, {}, {}))
                entry.options[slot.path[places.options.count(".") + 1 :]] = slot
            for role, paths in places.places.items():
                for rank, path in enumerate(paths):
                    match = _key_pattern(path, relaxed=layout.relaxed).fullmatch(key)
                    if match is None:
                        continue
                    groups = match.groupdict()
                    name, environment = groups.get("name") or places.name, groups.get("environment")
                    entry = by_name.setdefault((name, environment), Found(name, environment, places, {}, {}))
                    best = ranks.get((name, environment, role))
                    if best is None or rank < best or (rank == best and equal == "last"):
                        ranks[name, environment, role] = rank
                        entry.slots[role] = slot
    return [
        one
        for one in by_name.values()
        if not {"text", "host", "database"}.isdisjoint(one.slots) and one.environment not in layout.skips
    ]


def refuse_filling(layout: Layout, value: str) -> None:
    """Refuse a value in which the framework would put something else.

    Raises
    ------
    FieldError
        Where it holds what the layout ``fills_in``.
    """
    if layout.fills_in and layout.fills_in in value:
        raise FieldError(f"{layout.title} fills in what follows {layout.fills_in}, and cannot hold it as it is")


@cache
def _file_pattern(pattern: str) -> re.Pattern[str]:
    return re.compile(re.escape(pattern).replace(r"\{environment\}", r"(?P<environment>[\w.-]+?)"))


@cache
def _key_pattern(path: str, *, relaxed: bool) -> re.Pattern[str]:
    """A path as an expression; a relaxed name has any capitals, and hyphens and underscores where it likes."""
    made = ""
    for piece in re.split(r"(\{\w+\})", path):
        if piece.startswith("{"):
            made += rf"(?P<{piece[1:-1]}>[^.]+)"
        elif relaxed:
            made += "[-_]?".join(re.escape(c) for c in piece.replace("-", "").replace("_", "")).replace(
                r"[-_]?\.[-_]?", r"\."
            )
        else:
            made += re.escape(piece)
    return re.compile(made, re.IGNORECASE if relaxed else 0)
