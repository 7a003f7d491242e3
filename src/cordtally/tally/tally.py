"""The tally: a project's cords in ``tally.toml``, with environments and without secrets; loads and resolves them.

    tally = 1

    [cords.tides]
    engine = "postgresql"
    driver = "psycopg"
    host = "localhost"
    password = "env:TIDES_PASSWORD"
    options = { connect_timeout = "5s" }

    [environments.production.tides]
    host = "gauge.greywick.example"
    tls = "verify-identity"

    [services.tide-gauge]
    cord = "tides"
    instances = 4

    [accepts.drill]
    path = "drills/**"
    rule = "secret-pair"
    reason = "the server of the drill has no data"

The checks of single fields are left to ``composing``, secrets to ``cordtally.secrets``; what services mean,
which share a server's connections, is left to ``cordtally.pooling.budgeting``.
"""

from __future__ import annotations

import dataclasses
import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import NamedTuple

from ..catalog import find_nearest, load_engine
from ..composing import FIELDS, compose, parse_locator
from ..errors import CordTallyError, FieldError, TallyError, UnknownName
from ..journal import note
from ..model import Cord, Locator
from .places import find_place

FILE_NAME = "tally.toml"
VERSION = 1
_LINE = re.compile(r"line (\d+)")  # as tomllib says it
_TOP = ("tally", "cords", "environments", "services", "accepts")
_ACCEPT_FIELDS = ("path", "rule", "reason")
_CORD_FIELDS = ("driver", *FIELDS)
_EXCLUSIVE = {"hosts": ("host", "port"), "host": ("hosts",), "port": ("hosts",)}


class FieldOrigin(NamedTuple):
    """One field of a resolved cord: its value as text, and the layer that it came from."""

    field: str
    value: str
    layer: str


class Accept(NamedTuple):
    """What may stay that a sweep finds: where, of which rule (of any, where it is empty), and why; with its line."""

    path: str
    rule: str
    reason: str
    line: int | None = None


@dataclass(frozen=True, slots=True)
class Resolved:
    """A cord after all layers were laid over each other."""

    name: str
    environment: str | None
    cord: Cord
    driver: str | None
    folder: Path
    origins: tuple[FieldOrigin, ...]


@dataclass(frozen=True, slots=True, repr=False)
class Tally:
    """A loaded tally file."""

    path: Path
    source: str
    cords: Mapping[str, Mapping[str, object]]
    environments: Mapping[str, Mapping[str, Mapping[str, object]]]
    services: Mapping[str, Mapping[str, object]] = dataclasses.field(default_factory=dict)
    accepts: Mapping[str, Accept] = dataclasses.field(default_factory=dict)

    def __repr__(self) -> str:
        return f"<Tally: {', '.join(self.cords) or 'no cords'} of {self.path}>"

    @property
    def folder(self) -> Path:
        """The folder that relative paths start from."""
        return self.path.parent

    def names(self) -> tuple[str, ...]:
        """List the cords' names, in the file's order."""
        return tuple(self.cords)

    def cord(self, name: str, *, environment: str | None = None) -> Cord:
        """Resolve a cord.

        Raises
        ------
        UnknownName
            When there is no such cord or environment.
        TallyError
            When one of its fields cannot be meant; the message names file, table and field.
        """
        return self.resolve(name, environment=environment).cord

    def resolve(self, name: str, *, environment: str | None = None) -> Resolved:
        """Resolve a cord, and say for each field which layer it came from.

        Raises
        ------
        UnknownName, TallyError
            As `cord`.
        """
        if name not in self.cords:
            hint = f"{self.path.name} has {', '.join(self.cords) or 'no cords'}"
            raise UnknownName("cord", name, nearest=find_nearest(name, self.cords), hint=hint)
        if environment is not None and environment not in self.environments:
            known = ", ".join(self.environments) or "no environments"
            nearest = find_nearest(environment, self.environments)
            raise UnknownName("environment", environment, nearest=nearest, hint=f"{self.path.name} has {known}")
        layers: list[tuple[str, Mapping[str, object]]] = [(f"cords.{name}", self.cords[name])]
        if environment is not None:
            layers.append((f"environments.{environment}.{name}", self.environments[environment].get(name, {})))
        merged, origin = self._merged(layers)
        driver = merged.pop("driver", None)
        try:
            cord = compose(driver=None if driver is None else str(driver), **merged)
        except CordTallyError as error:
            tables = " and ".join(f"[{layer}]" for layer, table in layers if table)
            raise TallyError(f"{self.path}: {tables}: {error}", path=self.path, nearest=error.nearest) from None
        if isinstance(cord.password, Locator):  # wherever the program is started
            cord = cord.copy_with(password=replace(cord.password, base=str(self.folder)))
        origins = [FieldOrigin(f, _shown(v), origin[f]) for f, v in _flat(merged)]
        origins += _defaults(cord, {o.field for o in origins})
        return Resolved(name, environment, cord, None if driver is None else str(driver), self.folder, tuple(origins))

    def _merged(self, layers: list[tuple[str, Mapping[str, object]]]) -> tuple[dict[str, object], dict[str, str]]:
        merged: dict[str, object] = {}
        origin: dict[str, str] = {}
        for layer, table in layers:
            for field, value in table.items():
                for other in _EXCLUSIVE.get(field, ()):
                    if other not in table:
                        merged.pop(other, None)
                if isinstance(value, Mapping):
                    held = merged.setdefault(field, {})
                    assert isinstance(held, dict)
                    held.update(value)
                    origin |= {f"{field}.{k}": self._place(layer, f"{field}.{k}") for k in value}
                else:
                    merged[field] = value
                    origin[field] = self._place(layer, field)
        return merged, origin

    def _place(self, layer: str, field: str) -> str:
        line = find_place(self.source, layer, field)
        called = layer.split(".")[1] if layer.startswith("environments.") else f"cord {layer.partition('.')[2]}"
        return f"{called}, line {line}" if line else called


def _flat(merged: Mapping[str, object]) -> list[tuple[str, object]]:
    pairs: list[tuple[str, object]] = []
    for field, value in merged.items():
        if isinstance(value, Mapping):
            pairs += [(f"{field}.{k}", v) for k, v in value.items()]
        else:
            pairs.append((field, value))
    return pairs


def _shown(value: object) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)


def _defaults(cord: Cord, stated: set[str]) -> list[FieldOrigin]:
    engine = load_engine(cord.engine)
    layer = f"default of {engine.title}"
    found = []
    if engine.default_host is not None and not {"host", "hosts", "service"} & stated:
        found.append(FieldOrigin("host", engine.default_host, layer))
    if engine.default_port is not None and not {"port", "hosts", "service"} & stated:
        found.append(FieldOrigin("port", str(engine.default_port), layer))
    if engine.default_user is not None and not {"user", "service"} & stated:
        found.append(FieldOrigin("user", engine.default_user, layer))
    return found


def find_tally(start: Path | None = None) -> Path:
    """Find the nearest ``tally.toml``, here or in a folder above.

    Raises
    ------
    TallyError
        When there is none.
    """
    folder = (start or Path()).resolve()
    for candidate in (folder, *folder.parents):
        if (candidate / FILE_NAME).is_file():
            return candidate / FILE_NAME
    raise TallyError(f"there is no {FILE_NAME} in {folder} or any folder above it; one begins with the line: tally = 1")


def load(path: str | Path | None = None) -> Tally:
    """Load a tally: the given file, or the nearest ``tally.toml`` upwards.

    Raises
    ------
    TallyError
        When the file is missing, is no TOML, or holds what a tally must not hold, a bare password above all.
    """
    place = find_tally() if path is None else Path(path)
    if place.is_dir():
        place = place / FILE_NAME
    try:
        source = place.read_text("utf-8")
        raw = tomllib.loads(source)
    except OSError as error:
        raise TallyError(f"{place}: cannot be read ({error.strerror})", path=place) from None
    except UnicodeDecodeError:
        raise TallyError(f"{place}: is not UTF-8 text", path=place) from None
    except RecursionError:
        raise TallyError(f"{place}: is not TOML: it is nested too deep", path=place) from None
    except ValueError as error:  # a number of too many digits is one, beside tomllib's own
        line = _LINE.search(str(error))
        raise TallyError(f"{place}: is not TOML: {error}", path=place, line=int(line[1]) if line else None) from None
    tally = _checked(place, source, raw)
    note("tally", "loaded %s: cords %s", place, ", ".join(tally.cords) or "none")
    return tally


def _checked(place: Path, source: str, raw: dict[str, object]) -> Tally:
    if raw.get("tally") != VERSION:
        raise TallyError(
            f"{place}: the first line must be: tally = {VERSION} (the version of this file's format)",
            path=place,
            line=1,
        )
    _known(place, source, "", raw, _TOP)
    cords = _table(place, "cords", raw.get("cords", {}))
    environments = _table(place, "environments", raw.get("environments", {}))
    for name, fields in cords.items():
        _check_cord(place, source, f"cords.{name}", _table(place, f"cords.{name}", fields))
    for environment, overlays in environments.items():
        for name, fields in _table(place, f"environments.{environment}", overlays).items():
            layer = f"environments.{environment}.{name}"
            if name not in cords:
                error = UnknownName("cord", name, nearest=find_nearest(name, cords))
                raise _unknown(place, source, f"environments.{environment}", name, error)
            _check_cord(place, source, layer, _table(place, layer, fields))
    services = {
        name: _table(place, f"services.{name}", fields)
        for name, fields in _table(place, "services", raw.get("services", {})).items()
    }
    accepts = {
        name: _accept(place, source, f"accepts.{name}", _table(place, f"accepts.{name}", fields))
        for name, fields in _table(place, "accepts", raw.get("accepts", {})).items()
    }
    return Tally(place.resolve(), source, cords, environments, services, accepts)  # type: ignore[arg-type]


def _accept(place: Path, source: str, layer: str, fields: Mapping[str, object]) -> Accept:
    _known(place, source, layer, fields, _ACCEPT_FIELDS)
    line = find_place(source, layer, next(iter(fields), ""))
    for name in ("path", "reason"):
        if not isinstance(fields.get(name), str) or not str(fields[name]).strip():
            where = f"{place}:{line}" if line else str(place)
            raise TallyError(
                f"{where}: [{layer}] needs a {name}: what may stay, stays for a reason", path=place, line=line
            )
    return Accept(str(fields["path"]), str(fields.get("rule", "")), str(fields["reason"]), line)


def _check_cord(place: Path, source: str, layer: str, fields: Mapping[str, object]) -> None:
    _known(place, source, layer, fields, _CORD_FIELDS)
    password = fields.get("password")
    if password is None:
        return
    try:
        parse_locator(str(password))
    except FieldError as error:
        line = find_place(source, layer, "password")
        where = f"{place}:{line}" if line else str(place)
        message = f"{where}: [{layer}] password: a tally holds no secrets: {error}"
        raise TallyError(message, path=place, line=line) from None


def _known(place: Path, source: str, layer: str, table: Mapping[str, object], known: tuple[str, ...]) -> None:
    for key in table:
        if key not in known:
            hint = f"known: {', '.join(known)}"
            error = UnknownName("field", key, nearest=find_nearest(key, known), hint=hint)
            raise _unknown(place, source, layer, key, error)


def _unknown(place: Path, source: str, layer: str, key: str, error: UnknownName) -> TallyError:
    """Say where a name stands that is not known."""
    line = find_place(source, layer, key)
    where = f"{place}:{line}" if line else str(place)
    return TallyError(
        f"{where}: {f'[{layer}]' if layer else 'the file'}: {error}", path=place, line=line, nearest=error.nearest
    )


def _table(place: Path, where: str, value: object) -> dict[str, Mapping[str, object]]:
    if not isinstance(value, dict):
        raise TallyError(f"{place}: {where} must be a table", path=place)
    return value
