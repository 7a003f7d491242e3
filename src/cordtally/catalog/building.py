"""Builds facts from the catalog's TOML files, and holds them to their shapes: what is unknown or misspelt is an error.

Asked by ``scripts/catalog-index`` and the tests only; a running program reads what that script has compiled. Needs
cattrs.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import field, fields, make_dataclass
from functools import cache, partial
from pathlib import Path
from typing import Any, Literal, TypeVar, get_args, get_origin, get_type_hints

from cattrs import Converter
from cattrs.errors import ClassValidationError, ForbiddenExtraKeysError, IterableValidationError
from cattrs.gen import make_dict_structure_fn

from ..errors import CatalogError
from ..records import Record
from .engine_facts import Engine, Service
from .facts import ROLES, Driver, NotationFacts, Option, State
from .nearest import find_nearest
from .word_facts import CanonicalOption, Cause, RemarkWords, Store

FOLDER = Path(__file__).parent
F = TypeVar("F", bound=Record)
_NOT_INHERITED = frozenset({
    "id", "title", "language", "engines", "source", "checked", "symbol", "packages", "notations", "options",
    "by_spelling", "by_canonical", "registered",
})  # fmt: skip
_INHERITED = tuple(name for name in Driver.__annotations__ if name not in _NOT_INHERITED)
_EXTRA = ("extends", "without", "base_only_in")  # keys of a driver's file that are used up while it is put together


def _is_words(cls: object) -> bool:
    origin: object = get_origin(cls)
    return origin is Literal


class _Strict(Converter):
    """Takes no key and no word that a shape does not have, and converts nothing."""

    def __init__(self) -> None:
        super().__init__(forbid_extra_keys=True)
        for kind in (str, bool, int, float):
            self.register_structure_hook(kind, _exactly)
        self.register_structure_hook_func(_is_words, _word)
        self.register_structure_hook_func(lambda cls: cls is object, lambda value, _: value)
        self.register_structure_hook_func(_is_fact, lambda raw, cls: _make(raw, cls))  # noqa: PLW0108 -- defined below


def _is_fact(cls: object) -> bool:
    return isinstance(cls, type) and issubclass(cls, Record)


def _exactly(value: object, kind: type) -> object:
    if type(value) is not kind and not (kind is float and type(value) is int):
        raise ValueError(f"a {kind.__name__} is wanted here, and this is {value!r}")
    return value


def _word(value: object, cls: object) -> object:
    if value not in get_args(cls):
        nearest = find_nearest(str(value), map(str, get_args(cls)), most=1)
        meant = f"; did you mean {nearest[0]!r}?" if nearest else ""
        raise ValueError(f"{value!r} is none of {', '.join(map(str, get_args(cls)))}{meant}")
    return value


_CONVERTER = _Strict()


def structure(cls: type[F], raw: Mapping[str, object], place: Path, trail: str = "") -> F:
    """Make a fact of a table of a file.

    Raises
    ------
    CatalogError
        For a key or word that its shape does not have: file, line, and the nearest one that it has.
    """
    try:
        return _make(raw, cls)
    except (ClassValidationError, IterableValidationError) as error:
        problems = list(_problems(error))
        place_of_first = _place_of(place, trail, *problems[0])
        raise CatalogError(f"{place_of_first}: {'; '.join(problem for _, problem in problems)}") from None


def _make(raw: Mapping[str, object], cls: type[F]) -> F:
    return cls(**vars(_hook(cls)(raw, cls)))  # type: ignore[arg-type] # mypy takes a class for unhashable


@cache
def _hook(cls: type[Record]) -> Callable[[Any, Any], Any]:
    """The function that holds a table to a fact's names and types; cattrs writes it for a dataclass that has them."""
    named = [
        (name, kind, field(default_factory=partial(getattr, cls, name)) if hasattr(cls, name) else field())
        for name, kind in get_type_hints(cls).items()
    ]
    shape = make_dataclass(cls.__name__, named, kw_only=True)
    return make_dict_structure_fn(shape, _CONVERTER, _cattrs_forbid_extra_keys=True)


def _problems(error: BaseException, key: str = "") -> Iterator[tuple[str, str]]:
    """The problems inside a group of errors, each with the key that it is about."""
    if isinstance(error, ForbiddenExtraKeysError):
        known = [f.name for f in fields(error.cl)]
        for wrong in sorted(error.extra_fields):
            nearest = find_nearest(wrong, known, most=1)
            yield wrong, f"unknown key {wrong!r}" + (f"; did you mean {nearest[0]!r}?" if nearest else "")
    elif isinstance(error, ClassValidationError | IterableValidationError):
        for inner in error.exceptions:
            note = next((n for n in getattr(inner, "__notes__", ()) if hasattr(n, "name")), None)
            yield from _problems(inner, note.name if note is not None else key)
    elif isinstance(error, KeyError):
        yield key, f"the key {error.args[0]!r} is missing"
    else:
        yield key, f"{key}: {error}"


def _place_of(path: Path, trail: str, key: str, problem: str = "") -> str:
    """``file:line`` of a key, behind the last step of the trail that leads there; or of the word that is wrong."""
    lines = path.read_text("utf-8").splitlines()
    start = 0
    for step in filter(None, trail.split("/")):
        start = _line_of(rf'"?{re.escape(step)}"?(?:\s*=|"|\])', lines, start, start)
    wrong = re.match(r"\w+: '([^']*)'", problem)
    found = _line_of(rf'(?:^|[{{,\s])"?{re.escape(key)}"?\s*=', lines, start, -1)
    if wrong is not None and (found < 0 or wrong[1] not in lines[found]):
        found = _line_of(re.escape(f'"{wrong[1]}"'), lines, start, found)
    return f"{path.relative_to(FOLDER.parent)}:{max(found, start) + 1}" + (f": {trail}" if trail else "")


def _line_of(pattern: str, lines: list[str], start: int, otherwise: int) -> int:
    return next((number for number, line in enumerate(lines[start:], start) if re.search(pattern, line)), otherwise)


def _read(path: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(path.read_text("utf-8"))
    except OSError:
        raise CatalogError(f"{path}: there is no such file") from None
    except tomllib.TOMLDecodeError as error:
        raise CatalogError(f"{path}: {error}") from None


@cache
def build_canonical() -> Mapping[str, CanonicalOption]:
    """Build the canonical options."""
    return _named(CanonicalOption, "options.toml", "name")


def build_remarks() -> Mapping[str, RemarkWords]:
    """Build the words for what grammars and readers remark."""
    return _named(RemarkWords, "remarks.toml", None)


def build_stores() -> Mapping[str, Store]:
    """Build the stores of secrets."""
    return _named(Store, "stores.toml", "scheme")


RUNGS = ("resolve", "reach", "secure", "log-in", "database", "answer", "file")
"""The files of causes: one for each rung, and one for databases that are files."""


def build_causes() -> Mapping[str, Cause]:
    """Build the causes why a dial breaks, in the order of the rungs; no code may lead to two of them.

    Raises
    ------
    CatalogError
        Also for a code that stands twice.
    """
    causes: dict[str, Cause] = {}
    taken: dict[str, str] = {}
    for rung in RUNGS:
        name = f"causes/{rung}.toml"
        for cause_id, entry in _read(FOLDER / name).items():
            made = structure(Cause, {"id": cause_id, "rung": rung, **entry}, FOLDER / name, cause_id)
            for code in made.codes:
                if taken.setdefault(code, cause_id) != cause_id:
                    raise CatalogError(f"catalog/{name}: {code} leads to {taken[code]} and to {cause_id}")
            causes[cause_id] = made
    return causes


def build_services() -> Mapping[str, Service]:
    """Build the places that are known by their hosts."""
    return _named(Service, "services.toml", "id")


def _named(cls: type[F], name: str, key: str | None) -> dict[str, F]:
    path = FOLDER / name
    return {i: structure(cls, entry | ({key: i} if key else {}), path, i) for i, entry in _read(path).items()}


def build_engine(engine_id: str) -> Engine:
    """Build one engine; one of a family takes over what its own file does not say."""
    path = FOLDER / "engines" / f"{engine_id}.toml"
    raw = _read(path)
    if "family" in raw:
        build_engine(raw["family"])  # a mistake is told of where it stands
        family = _read(FOLDER / "engines" / f"{raw['family']}.toml")
        raw = {"protocol": raw["family"], **family, **raw}
    return structure(Engine, raw, path)


def build_driver(driver_id: str) -> Driver:
    """Build one driver; what it takes over from others is put in, and its tables are made even."""
    path = FOLDER / "drivers" / f"{driver_id}.toml"
    raw = _read_raw(driver_id)
    options = {name: _option(name, entry, path) for name, entry in raw.pop("options").items()}
    notations = tuple(_notation(entry, path) for entry in raw.pop("notations"))
    raw["tls"] = [_state(row, "level") for row in raw.get("tls", ())]
    raw["authentication"] = [_state(row, "method") for row in raw.get("authentication", ())]
    raw["conflicts"] = [_pairs(row) for row in raw.get("conflicts", ())]
    if isinstance(wins := raw.get("query_wins"), bool):
        raw["query_wins"] = list(ROLES) if wins else []
    if raw.get("password_charset") == "":  # takes back what the base says
        raw["password_charset"] = None
    if isinstance(nested := raw.get("nested"), dict):
        raw["nested"] = [nested["option"], nested["target"]]
    if isinstance(uris := raw.get("file_uris"), dict):
        raw["file_uris"] = [uris.get("switch", ""), uris["target"]]
    kept = {key: value for key, value in raw.items() if key not in _EXTRA}
    driver = structure(Driver, kept | {"notations": [], "options": {}}, path)
    driver = driver.changed(notations=notations, options=options)
    _check_references(driver, path)
    # what a base says of options that this driver is without can never come about
    known = {"several hosts", *ROLES, *options, *(alias for option in options.values() for alias in option.aliases)}
    return driver.changed(conflicts=tuple(c for c in driver.conflicts if known.issuperset((*c.needs, *c.absent))))


def _option(name: str, entry: dict[str, Any], path: Path) -> Option:
    canonical = build_canonical()
    target = entry.get("canonical")
    if isinstance(target, str) and target in canonical:
        entry = {"type": canonical[target].type, **entry}
    option = structure(Option, {"name": name, **entry}, path, name)
    known = target is None or target in ROLES or target in canonical or target in _TLS_PARTS
    if not known:
        nearest = find_nearest(str(target), [*canonical, *ROLES, *_TLS_PARTS], most=1)
        meant = f"; did you mean {nearest[0]!r}?" if nearest else ""
        raise CatalogError(f"{_place_of(path, name, 'canonical')}: there is no canonical name {target!r}{meant}")
    if (option.type in {"duration", "bytes"}) != (option.unit is not None):
        raise CatalogError(f"{_place_of(path, name, 'type')}: type {option.type} and unit {option.unit} disagree")
    return option


_TLS_PARTS = ("tls.level", "tls.ca", "tls.certificate", "tls.key", "tls.key_password")


def _state(row: dict[str, Any], key: str) -> dict[str, Any]:
    return {("meaning" if name == key else name): value for name, value in _pairs(row).items()}


def _pairs(row: dict[str, Any]) -> dict[str, Any]:
    """A table's ``set``, given as a table, as pairs of texts in their order."""
    return row | ({"set": [[name, str(word)] for name, word in row["set"].items()]} if "set" in row else {})


def _notation(entry: dict[str, Any], path: Path) -> NotationFacts:
    made = dict(entry)
    several = made.get("flags", {}).get("hosts", {}).get("several") if isinstance(made.get("flags"), dict) else False
    made.setdefault("hosts", "inline" if several else "single")
    made.setdefault("host_options", made["hosts"])
    if isinstance(needs := made.get("only_for"), str):
        made["only_for"] = [needs]
    if isinstance(opening := made.get("opening"), dict):
        made["opening"] = [list(pair) for pair in opening.items()]
    for key in ("carries", "instead"):
        if isinstance(pair := made.get(key), dict):
            made[key] = [pair["option"], pair["target"]]
    return structure(NotationFacts, made, path, str(entry.get("id", "")))


def _check_references(driver: Driver, path: Path) -> None:
    """Hold names that point at an option or a notation to what there is."""
    # some drivers take an option beside a text only, in an object of properties
    notations = {"properties", *(notation.id for notation in driver.notations)}
    rows: list[State] = [*driver.tls, *driver.authentication]
    wanted = [(name, "tls") for row in rows for name in (*dict(row.set), *row.given, *row.absent)]
    wanted += [(notation.carries[0], "carries") for notation in driver.notations if notation.carries]
    wanted += [(driver.nested[0], "nested")] if driver.nested else []
    for name, key in wanted:
        if driver.nested and name.startswith(f"{driver.nested[0]}."):
            continue  # an option of the text inside that one
        if name not in driver.options:
            nearest = find_nearest(name, driver.options, most=1)
            meant = f"; did you mean {nearest[0]!r}?" if nearest else ""
            raise CatalogError(f"{_place_of(path, key, name)}: there is no option {name!r}{meant}")
    for option in driver.options.values():
        if option.vocabulary == driver.id and not set(option.only_in) <= notations:  # a base has its own
            wrong = sorted(set(option.only_in) - notations)[0]
            raise CatalogError(f"{_place_of(path, option.name, 'only_in')}: there is no notation {wrong!r}")


def _read_raw(driver_id: str) -> dict[str, Any]:
    raw = _read(FOLDER / "drivers" / f"{driver_id}.toml")
    raw["options"] = {name: {"vocabulary": driver_id, **entry} for name, entry in raw.get("options", {}).items()}
    raw["notations"] = [_completed(own, raw) for own in raw["notations"]]
    if "extends" not in raw:
        return raw
    base = _read_raw(raw["extends"])
    for key in _INHERITED:
        if key in base:
            raw.setdefault(key, base[key])
    kept = {name: entry for name, entry in base["options"].items() if name not in raw.get("without", ())}
    if raw.get("base_only_in"):
        kept = {name: {**entry, "only_in": raw["base_only_in"]} for name, entry in kept.items()}
    raw["options"] = {**kept, **raw["options"]}
    return raw


def _completed(own: dict[str, Any], raw: dict[str, Any]) -> dict[str, Any]:
    """Fill in a notation that is said to be ``like`` another one: ``driver``, or ``driver/notation``."""
    if "like" not in own:
        return own
    like, _, its = own["like"].partition("/")
    models = raw["notations"] if like == raw["id"] else _read_raw(like)["notations"]
    model = next((n for n in models if n["id"] == (its or own["id"])), None)
    if model is None:
        raise CatalogError(f"{raw['id']}: there is no notation to be like {own['like']!r}")
    flags = dict(model.get("flags", {}))
    for name, flag in own.get("flags", {}).items():  # the parts of a URL have tables of their own
        flags[name] = {**flags.get(name, {}), **flag} if isinstance(flag, dict) else flag
    return {**model, **{k: v for k, v in own.items() if k != "like"}, "flags": flags}
