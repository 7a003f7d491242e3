"""A tally: a project's cords in ``tally.toml``, with environments and without secrets; resolves them.

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

What may stand there is ``shape``'s, reading it ``loading``'s, how layers are laid over each other ``layers``'s. The
checks of single fields are left to ``composing``, secrets to ``cordtally.secrets``; what services mean, which share a
server's connections, is left to ``cordtally.pooling.budgeting``.
"""

from __future__ import annotations

import dataclasses
import os
from collections.abc import AsyncIterator, Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from ..catalog import find_nearest, load_driver, load_engine, load_index
from ..composing import compose, parse_locator
from ..errors import CordTallyError, TallyError, UnknownName
from ..model import Cord, Locator
from .declared import find_declared
from .files import TallyFile
from .layers import FieldOrigin, Layer, Merged, lay_over
from .texts import read_text
from .variables import read_variables

if TYPE_CHECKING:
    import asyncio

    from .watching import TallyChange, Watching

Fields = Mapping[str, object]
_OF_SERVERS = frozenset(["host", "hosts", "port", "service", "login", "realm", "tls", "ca", "certificate", "key"])


class Accept(NamedTuple):
    """What may stay that a sweep finds: where, of which rule (of any, where it is empty), and why; with its line."""

    path: str
    rule: str
    reason: str
    line: int | None = None


class Ruling(NamedTuple):
    """How much a rule of vetting matters here (``off`` switches it off), why, for which files; with its line."""

    severity: str
    because: str
    path: str = ""
    line: int | None = None


@dataclass(frozen=True, slots=True)
class Resolved:
    """A cord after all layers were laid over each other."""

    name: str
    environment: str | None
    cord: Cord
    driver: str | None
    folder: Path
    merged: Merged = dataclasses.field(repr=False, compare=False)

    @property
    def title(self) -> str:
        """The name, with its environment: ``tides@production``."""
        return self.name if self.environment is None else f"{self.name}@{self.environment}"

    @property
    def origins(self) -> tuple[FieldOrigin, ...]:
        """Each field that counts, with the layer it came from and what it won over; the engine's defaults at last."""
        origins = tuple(self.merged.origins())
        return (*origins, *_defaults(self.cord, {one.field for one in origins}))

    @property
    def surprises(self) -> tuple[str, ...]:
        """What wins over a file from outside it, in words."""
        return tuple(
            f"{one.field}: {one.layer} wins over {' and '.join(lost.layer for lost in one.lost)}"
            for one in self.origins
            if one.lost and (one.layer.startswith("variable ") or ".local." in one.layer)
        )


@dataclass(frozen=True, slots=True, repr=False)
class Tally:
    """A loaded tally file, with the one beside it that is this machine's alone."""

    file: TallyFile
    local: TallyFile | None
    cords: Mapping[str, Fields]
    environments: Mapping[str, Mapping[str, Fields]]
    services: Mapping[str, Fields] = dataclasses.field(default_factory=dict)
    accepts: Mapping[str, Accept] = dataclasses.field(default_factory=dict)
    rotations: Mapping[str, Fields] = dataclasses.field(default_factory=dict)
    rulings: Mapping[str, Ruling] = dataclasses.field(default_factory=dict)

    def __repr__(self) -> str:
        return f"<Tally: {', '.join(self.cords) or 'no cords'} of {self.path}>"

    @property
    def path(self) -> Path:
        """The file."""
        return self.file.path

    @property
    def folder(self) -> Path:
        """The folder that relative paths start from."""
        return self.path.parent

    def names(self) -> tuple[str, ...]:
        """List the cords' names, in the file's order."""
        return tuple(self.cords)

    def cord(
        self,
        name: str,
        *,
        environment: str | None = None,
        environ: Mapping[str, str] | None = None,
        **fields: object,
    ) -> Cord:
        """Resolve a cord.

        Parameters
        ----------
        name : str
            Its name in the file.
        environment : str, optional
            The environment whose fields are laid over it.
        environ : mapping, optional
            The variables that may set fields, like ``CORD_TIDES_HOST``; those of the process if absent.
        **fields
            Fields that win over all others, as `compose` takes them.

        Raises
        ------
        UnknownName
            When there is no such cord or environment.
        TallyError
            When one of its fields cannot be meant; the message names file, table and field.
        """
        return self.resolve(name, environment=environment, environ=environ, **fields).cord

    def watch(self, callback: Callable[[TallyChange], None]) -> Watching:
        """Watch the files in a thread: whenever they change, they are read, and ``callback`` is told what changed.

        A broken edit is handed over as a problem, with the tally as it was before. The callback is called in that
        thread, one change after the other.

        Returns
        -------
        Watching
            It has the ``tally`` as it is, and ends by ``stop()``, or as a context manager.

        Raises
        ------
        MissingExtra
            When watchfiles is not installed.
        """
        from .watching import Watching

        return Watching(self, callback)

    def watch_async(self, stop: asyncio.Event | None = None) -> AsyncIterator[TallyChange]:
        """Watch the files from a loop: ``async for change in tally.watch_async()``.

        Raises
        ------
        MissingExtra
            When watchfiles is not installed.
        """
        from .watching import watch_async

        return watch_async(self, stop)

    def resolve(
        self,
        name: str,
        *,
        environment: str | None = None,
        environ: Mapping[str, str] | None = None,
        **fields: object,
    ) -> Resolved:
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
        layers = self._layers(name, environment, os.environ if environ is None else environ, fields)
        layers = [_with_text(layer, _driver_of(layers)) for layer in layers]
        merged = lay_over(layers)
        unfit = _unfit(layers[0].fields, str(merged.fields.get("engine", "")))
        if unfit:
            left = {name: value for name, value in layers[0].fields.items() if name not in unfit}
            merged = lay_over([replace(layers[0], fields=left), *layers[1:]])
        stated = {key: value for key, value in merged.fields.items() if key != "text"}
        try:
            cord = compose(**stated)  # type: ignore[arg-type]
        except CordTallyError as error:
            raise _blame(merged, stated, error, self.file.problem(f"cords.{name}", "", str(error))) from None
        if merged.rest is not None:
            cord = cord.over(merged.rest)
        for part in ("user", "password"):
            if isinstance(kept := getattr(cord, part), Locator):
                try:
                    cord = cord.copy_with(**{part: self.based(kept, cord)})
                except UnknownName as error:
                    raise merged.layer_of(part).problem(part, str(error), nearest=error.nearest) from None
        driver = stated.get("driver")
        return Resolved(name, environment, cord, None if driver is None else str(driver), self.folder, merged)

    def locator(self, text: str) -> Locator:
        """Read a locator as it stands in this tally: relative paths start from its folder, names are what it declares.

        Raises
        ------
        FieldError
            When it is none.
        UnknownName
            When the tally does not declare what it names.
        """
        return self.based(parse_locator(text))

    def based(self, locator: Locator, cord: Cord | None = None) -> Locator:
        """Give a locator with the folder that it starts from, and with what the tally declares of what it names.

        Raises
        ------
        UnknownName
            When the tally does not declare it.
        """
        declared = find_declared(self.files, locator, cord)
        return replace(locator, base=str(self.folder), declared=declared)

    @property
    def files(self) -> tuple[TallyFile, ...]:
        """The file, and the one beside it that wins over it, if there is one."""
        return (self.file,) if self.local is None else (self.file, self.local)

    def _layers(self, name: str, environment: str | None, environ: Mapping[str, str], arguments: Fields) -> list[Layer]:
        layers = [_layer(self.file, "defaults", self.file.raw.get("defaults"))]
        for file in self.files:
            layers.append(_layer(file, f"cords.{name}", _below(file.raw, "cords", name)))
            if environment is not None:
                table = f"environments.{environment}.{name}"
                layers.append(_layer(file, table, _below(file.raw, "environments", environment, name)))
        variables, origin = read_variables(name, self.cords, environ)
        layers.append(Layer(variables, "", lambda field: f"variable {origin[field]}"))
        return [*layers, Layer(arguments, "", lambda _: "argument of the call")]


def _unfit(defaults: Fields, engine: str) -> frozenset[str]:
    """The fields of the defaults that say nothing of an engine: a file has no server, a driver its own engines."""
    known = engine in load_index()["engines"]
    unfit = _OF_SERVERS & defaults.keys() if known and load_engine(engine).embedded else frozenset()
    driver = str(defaults.get("driver", "")).partition("/")[0]
    other = known and driver and engine not in load_driver(driver).engines
    return unfit | {"driver"} if other else frozenset(unfit)


def _driver_of(layers: list[Layer]) -> str | None:
    return next((str(one.fields["driver"]) for one in reversed(layers) if "driver" in one.fields), None)


def _with_text(layer: Layer, driver: str | None) -> Layer:
    """The layer with the text read that it starts from; a file's holds no secret."""
    text = layer.fields.get("text")
    if text is None:
        return layer
    try:
        own = str(layer.fields.get("driver") or "") or driver
        return replace(layer, text=read_text(str(text), own, may_hold_secret=layer.file is None))
    except CordTallyError as error:
        raise layer.problem("text", f"text: {error}", nearest=error.nearest) from None


def _blame(merged: Merged, stated: dict[str, object], error: CordTallyError, otherwise: TallyError) -> TallyError:
    """Say where the field stands without which the error would be another one, or none."""
    given = stated.get("options")
    options: Fields = given if isinstance(given, dict) else {}
    without = {f"options.{name}": {**stated, "options": _without(options, name)} for name in options}
    names = [name for name in stated if name not in {"options", "engine"}]
    without |= {name: _without(stated, name) for name in [*names, "engine"]}  # without the last all is refused
    for name, fields in without.items():
        try:
            compose(**fields)  # type: ignore[arg-type]
        except CordTallyError as other:
            if str(other) == str(error):
                continue
        if name in merged.counts:
            return merged.layer_of(name).problem(name, f"{name}: {error}", nearest=error.nearest)
    return otherwise


def _without(fields: Fields, name: str) -> dict[str, object]:
    return {key: value for key, value in fields.items() if key != name}


def _below(raw: Fields, *path: str) -> object:
    for key in path:
        found = raw.get(key, {})
        raw = found if isinstance(found, dict) else {}
    return raw


def _layer(file: TallyFile, table: str, fields: object) -> Layer:
    shown = {"defaults": "defaults", "cords": f"cord {table.partition('.')[2]}"}.get(table.partition(".")[0])
    called = shown or table.split(".")[1]

    def place(field: str) -> str:
        line = file.line(table, field)
        where = f"{file.path.name}" if ".local." in file.path.name else called
        return f"{where}, line {line}" if line else where

    return Layer(fields if isinstance(fields, dict) else {}, table, place, file)


def _defaults(cord: Cord, stated: set[str]) -> list[FieldOrigin]:
    engine = load_engine(cord.engine)
    layer = f"default of {engine.title}"
    found = []
    if engine.default_host is not None and not {"host", "hosts", "service"} & stated and not cord.hosts:
        found.append(FieldOrigin("host", engine.default_host, layer))
    if engine.default_port is not None and not {"port", "hosts", "service"} & stated:
        found.append(FieldOrigin("port", str(engine.default_port), layer))
    if engine.default_user is not None and not {"user", "service"} & stated:
        found.append(FieldOrigin("user", engine.default_user, layer))
    return found
