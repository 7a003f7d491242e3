"""Layouts: how a framework keeps connections in its files. Facts are TOML in ``catalog/layouts``."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection, Iterable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, Literal

from ..errors import CatalogError, FieldError
from ..records import Record
from ..syntax import Slot

FOLDER = Path(__file__).parents[1] / "catalog" / "layouts"
ROLES = ("text", "engine_in", "host", "port", "database", "user", "password")


class CordPlaces(Record):
    """Where the parts of a connection stand: by role the paths of keys, with ``{name}`` and ``{environment}`` in them.

    ``wins`` says whether a part counts that stands beside a text which has that part, too; where the host
    ``carries_port``, a port stands behind it. Below ``options`` stand further arguments of the driver. The places are
    those of some ``engines`` alone, where they are named. ``variables`` are those of the process that win over a role
    ({NAME} is the name in capitals); with ``yields`` a text's variable counts only where the file has no text. Below
    the paths of ``pools`` stand the settings of a library. What a text ``strips`` is none of it; it is read by the
    ``driver``, or by the one that ``reads`` has for the word of ``engine_in``.
    """

    places: Mapping[str, tuple[str, ...]]
    name: str = ""
    engine: str | None = None
    engines: tuple[str, ...] = ()
    wins: str = "text"
    carries_port: bool = False
    options: str = ""
    variables: Mapping[str, tuple[str, ...]] = {}
    yields: bool = False
    pools: Mapping[str, tuple[str, ...]] = {}
    strips: str = ""
    driver: str = ""
    reads: Mapping[str, str] = {}


class Spread(Record):
    """What stands below a path, as names with values: a ``map``, ``pairs`` (NAME=VALUE), ``named`` items, ``words``.

    The values of a ``manifest`` are base64 where it is a Secret. With a {name} in the path, the names are about that.
    """

    at: str
    how: str = "map"


class Layout(Record):
    """One framework's way: file names, and where connections stand in them.

    With ``relaxed`` names, capitals, hyphens and underscores do not count; ``needs`` are keys of which one must be
    there, or a file is another framework's; what stands under a key that it ``skips`` is only there for others to
    share; ``engines`` maps the words of ``engine_in``; ``words`` are roles by the last word of a key. Of two ``equal``
    keys the first or the last one counts, where that is not as in any file of the format. ``documents`` are keys that
    tell what one document of several is for: its ``environment``, or its ``name``. ``emit`` says how a block is
    written: its format, its file, the driver of each engine, and how that platform refers to a secret. What
    ``fills_in`` a value can stand in none as it is; ``references`` are expressions for what does. ``rank`` orders
    layouts whose files have the same name. Programs and other files look
    the names of connections up, as what ``looked_up`` says.
    """

    id: str
    title: str
    source: str
    checked: bool
    files: tuple[str, ...]
    rank: int = 0
    looked_up: Literal["", "resource", "connection string"] = ""
    relaxed: bool = False
    needs: tuple[str, ...] = ()
    fills_in: str = ""
    references: tuple[str, ...] = ()
    skips: tuple[str, ...] = ()
    equal: str = ""
    cords: tuple[CordPlaces, ...] = ()
    spread: tuple[Spread, ...] = ()
    documents: Mapping[str, tuple[str, ...]] = {}
    engines: Mapping[str, str] = {}
    words: Mapping[str, tuple[str, ...]] = {}
    emit: Mapping[str, Any] = {}


@cache
def load_layouts() -> Mapping[str, Layout]:
    """Load all layouts, by id; the one that names no files is for all others."""
    made = []
    for path in sorted(FOLDER.glob("*.toml")):
        raw = tomllib.loads(path.read_text("utf-8"))
        try:
            cords = tuple(_cord(entry) for entry in raw.pop("cords", ()))
            spread = tuple(Spread(**entry) for entry in raw.pop("spread", ()))
            words = {role: tuple(names) for role, names in raw.pop("words", {}).items()}
            made.append(Layout(**raw, cords=cords, spread=spread, words=words))
        except (KeyError, TypeError) as error:
            raise CatalogError(f"{path}: {error}") from None
    return {layout.id: layout for layout in sorted(made, key=lambda layout: layout.rank)}


def _cord(entry: dict[str, Any]) -> CordPlaces:
    places = {role: tuple(paths) for role in ROLES if isinstance(paths := entry.pop(role, None), list)}
    return CordPlaces(places=places, **entry)


def layouts_of(path: Path, found: Iterable[Slot]) -> list[tuple[Layout, str | None]]:
    """Find the layouts of a file by its name and its keys, and the environment that its name tells.

    A file may hold settings of several; where it is none's, names that speak are looked at.
    """
    keys = {".".join(slot.path) for slot in found}
    chosen = list[tuple[Layout, str | None]]()
    for layout in load_layouts().values():
        for pattern in layout.files:
            match = _file_pattern(pattern).fullmatch(path.name)
            if match is not None and _needed(layout, keys) and _has_any(layout, keys):
                chosen.append((layout, match.groupdict().get("environment")))
                break
    return chosen or [(speaking(), None)]


@cache
def speaking() -> Layout:
    """The layout of files that are nobody's: names that speak."""
    return next(layout for layout in load_layouts().values() if not layout.files)


def has_layout(name: str) -> bool:
    """Whether a file's name is one that some framework's layout goes by."""
    return _any_file().fullmatch(name) is not None


@cache
def _any_file() -> re.Pattern[str]:
    """The patterns of all layouts; those that begin with anything would let any name through."""
    patterns = [one for layout in load_layouts().values() for one in layout.files if not one.startswith("{")]
    unnamed = [_file_pattern(one).pattern.replace("?P<environment>", "?:") for one in patterns]
    return re.compile("|".join(unnamed), re.IGNORECASE)


def reference_of(layout: Layout, variable: str, name: str) -> str:
    """Give how a framework's file refers to a variable, as the value of a key: an unset one fails there.

    Raises
    ------
    FieldError
        Where it refers to none, or in a way that is no value; with what it has instead for the connection of a name.
    """
    secret = str(layout.emit.get("lifts", ""))
    if not layout.files:
        raise FieldError("what reads the file is not known here, nor how that refers to a variable: move it by hand")
    if not secret:
        instead = str(layout.emit.get("beside", layout.emit.get("remark", "")))
        instead = instead.replace("{name}", name).replace("{NAME}", name.upper())
        hint = f"keep it in {instead}" if "beside" in layout.emit else instead or "move it out by hand"
        raise FieldError(f"a file of {layout.title} refers to no variable so that one that is unset fails: {hint}")
    return secret.replace("NAME", variable)


def _needed(layout: Layout, keys: Collection[str]) -> bool:
    return not layout.needs or any(
        key.startswith(one) or key.endswith(f".{one}") for key in keys for one in layout.needs
    )


def _has_any(layout: Layout, keys: Collection[str]) -> bool:
    if layout.spread:
        patterns = [key_pattern(f"{one.at}.", relaxed=False) for one in layout.spread]
        return any(pattern.match(f"{key}.") for pattern in patterns for key in keys)
    paths = [path for places in layout.cords for paths in places.places.values() for path in paths]
    patterns = [key_pattern(path, relaxed=layout.relaxed) for path in paths]
    return any(pattern.fullmatch(key) for pattern in patterns for key in keys)


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
    escaped = re.escape(pattern).replace(r"\{environment\}", r"(?P<environment>[\w.-]+?)").replace(r"\{any\}", ".*")
    return re.compile(escaped, re.IGNORECASE)


@cache
def key_pattern(path: str, *, relaxed: bool) -> re.Pattern[str]:
    """A path as an expression: {name*} may hold dots, {a|b} is one of two; a relaxed name has any capitals."""
    made = ""
    for piece in re.split(r"(\{[\w|-]+\*?\})", path):
        if "|" in piece:
            made += f"(?:{piece[1:-1]})"
        elif piece.endswith("*}"):
            made += rf"(?P<{piece[1:-2]}>.+?)"
        elif piece.startswith("{"):
            made += rf"(?P<{piece[1:-1]}>[^.]+)"
        elif relaxed:
            made += "[-_]?".join(re.escape(c) for c in piece.replace("-", "").replace("_", "")).replace(
                r"[-_]?\.[-_]?", r"\."
            )
        else:
            made += re.escape(piece)
    return re.compile(made, re.IGNORECASE if relaxed else 0)
