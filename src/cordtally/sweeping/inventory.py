"""The connections of a tree as one list: which service reaches which database, as whom, how protected, from where.

What a file declares by its layout comes first; texts that stand elsewhere are added. The same connection of one
service, in whatever files, is one row with several places.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePath

from ..config import Declared, declared_in, secret_state
from ..errors import CordTallyError
from ..exchange import read
from ..model import Cord
from ..results import Result
from ..syntax import format_of
from .crossing import Slip, cross
from .hits import Hit, Sweep
from .places import environment_of, kind_of_place
from .searching import sweep

_LARGEST = 256 << 10  # bytes of a file that is asked what it declares
# files that a service has at its top
_MANIFESTS = frozenset(
    ["package.json", "pyproject.toml", "setup.py", "setup.cfg", "requirements.txt", "manage.py", "pom.xml", "go.mod",
     "build.gradle", "build.gradle.kts", "cargo.toml", "composer.json", "gemfile", "mix.exs", "dockerfile", "artisan",
     "description", "build.sbt", "project.clj", "pubspec.yaml", "package.swift", "wp-config.php"]
)  # fmt: skip
# names of folders that say nothing of the service that they are a part of
_GENERAL = frozenset(
    ["config", "conf", "conf.d", "configs", "settings", "etc", "src", "main", "resources", "app", "lib", "java",
     "kotlin", "scala", "python", "meta-inf", "web-inf", "webapp", "db", "database", "env", "envs", "deploy", "k8s",
     "helm", "templates", "environments", "public", "initializers", "scripts", "bin"]
)  # fmt: skip
_SIZES = ("max_size", "maximumPoolSize", "maximum-pool-size", "pool_size", "maxTotal", "maxActive", "max", "pool",
          "connectionLimit", "MaxOpenConns", "maxPoolSize", "Maximum Pool Size", "Max Pool Size")  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One connection of one service. ``secret`` says where its password is; ``tls`` is the level, if one is stated."""

    service: str
    environment: str | None
    engine: str | None
    server: str
    database: str
    user: str
    secret: str
    tls: str | None
    variables: tuple[str, ...]
    pool: str | None
    places: tuple[str, ...]

    @property
    def target(self) -> str:
        """The database as a matrix names it: the server, and what is behind it."""
        return "/".join(part for part in (self.server, self.database) if part) or (self.engine or "unknown")

    def to_dict(self) -> dict[str, object]:
        """Give the row as plain values."""
        return {
            "service": self.service,
            "environment": self.environment,
            "engine": self.engine,
            "server": self.server,
            "database": self.database,
            "user": self.user,
            "secret": self.secret,
            "tls": self.tls,
            "variables": list(self.variables),
            "pool": self.pool,
            "places": list(self.places),
        }


@dataclass(slots=True, repr=False)
class Inventory(Result):
    """The rows, by service and target; what the sweep found beside them, and variables that are given or used alone."""

    _rows = "connections"
    root: Path
    rows: list[Row] = field(default_factory=list)
    sweep: Sweep | None = None
    slips: list[Slip] = field(default_factory=list)

    def _summary(self) -> str:
        services = len({row.service for row in self.rows})
        return f"{len(self.rows)} connections of {services} services in {self.root}"

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/inventory/1``."""
        return {
            "schema": "cordtally/inventory/1",
            "root": self.root.as_posix(),
            "connections": [row.to_dict() for row in self.rows],
            "slips": [slip._asdict() for slip in self.slips],
        }


def take_inventory(
    path: str | Path, *, progress: Callable[[int], None] | None = None, workers: int | None = None
) -> Inventory:
    """List the connections of a tree. Tests, documents and samples are left out.

    Parameters
    ----------
    path : str or Path
        The tree.
    progress, workers
        As `sweep`.

    Raises
    ------
    FileNotFoundError, TallyError
        As `sweep`.
    """
    root = Path(path)
    result = sweep(root, progress=progress, workers=workers)
    services = _Services(root)
    by_path: dict[Path, list[Hit]] = {}
    for hit in [*result.hits, *result.accepted]:
        if kind_of_place(hit.path) == "source" and hit.kind != "accept":
            by_path.setdefault(hit.path, []).append(hit)
    rows = list[Row]()
    for relative, hits in by_path.items():
        place = root / relative if root.is_dir() else root
        declared = _declared(place, relative)
        lines = set[int]()
        for one in declared:
            lines |= _lines_of(one)
            rows.append(_row_of_declared(one, relative, services))
        rows += [row for hit in hits if hit.kind == "cord" and hit.line not in lines for row in _rows_of(hit, services)]
    made = _folded(_completed(rows))
    made.sort(key=lambda row: (row.service, row.target, row.environment or "", row.places))
    inventory = Inventory(root, made, result)
    if root.is_dir():
        inventory.slips = cross(root, _used(inventory))
    return inventory


def _used(inventory: Inventory) -> dict[str, tuple[str, int]]:
    """The variables that are looked up, each with its first place."""
    used: dict[str, tuple[str, int]] = {}
    for hit in inventory.sweep.hits if inventory.sweep is not None else ():
        if hit.kind == "reference" and hit.name is not None:
            used.setdefault(hit.name, (hit.path.as_posix(), hit.line))
    for row in inventory.rows:
        path, _, line = row.places[0].rpartition(":")
        for name in row.variables:
            used.setdefault(name, (path, int(line)))
    return used


class _Services:
    """The service of a file: the nearest folder above that has a manifest, or else the file's own."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.known: dict[PurePath, bool] = {}

    def of(self, path: PurePath) -> str:
        for folder in path.parents:
            if folder not in self.known:
                self.known[folder] = _has_manifest(self.root / folder)
            if self.known[folder]:
                return folder.name or self.root.resolve().name
        own = next((part for part in reversed(path.parts[:-1]) if part.casefold() not in _GENERAL), "")
        return own or self.root.resolve().name


def _has_manifest(folder: Path) -> bool:
    try:
        names = {entry.name.casefold() for entry in folder.iterdir()}
    except OSError:
        return False
    return not _MANIFESTS.isdisjoint(names) or any(name.endswith((".csproj", ".fsproj", ".sln")) for name in names)


def _declared(place: Path, relative: Path) -> list[Declared]:
    try:
        if format_of(relative) in {None, "markdown"} or place.stat().st_size > _LARGEST:
            return []
        return [one for one in declared_in(place) if one.cord is not None or "text" in one.from_variables]
    except (CordTallyError, OSError):
        return []


def _lines_of(declared: Declared) -> set[int]:
    place = declared.tree.source.place
    return {
        line
        for slot in declared.slots.values()
        for line in range(place(slot.node.start)[0], place(slot.node.end)[0] + 1)
    }


def _row_of_declared(one: Declared, path: Path, services: _Services) -> Row:
    cord = one.cord
    line = min(one.tree.source.place(slot.node.start)[0] for slot in one.slots.values())
    state = secret_state(one)
    return Row(
        service=services.of(path),
        environment=one.environment or environment_of(path, (one.name,)),
        engine=None if cord is None else cord.engine,
        secret="in the file" if state.startswith("line ") else "none" if state == "–" else state,
        variables=tuple(sorted(set(one.from_variables.values()))),
        pool=_pool_of(one),
        places=(f"{path.as_posix()}:{line}",),
        **_places_of(cord),
    )


def _places_of(cord: Cord | None) -> dict[str, str]:
    if cord is None:
        return {"server": "", "database": "", "user": "", "tls": None}  # type: ignore[dict-item]
    server = ",".join(str(host) for host in cord.hosts)
    return {
        "server": server,
        "database": "" if cord.database is None else str(cord.database),
        "user": "" if cord.user is None else str(cord.user),
        "tls": None if cord.tls.level is None else cord.tls.level.value,  # type: ignore[dict-item]
    }


def _pool_of(one: Declared) -> str | None:
    if one.pool is None:
        return None
    library, settings = one.pool
    size = next((f", at most {settings[name]}" for name in _SIZES if name in settings), "")
    return f"{library}{size}"


def _rows_of(hit: Hit, services: _Services) -> Iterator[Row]:
    try:
        cord = read(hit.masked, driver=hit.driver).cord
    except CordTallyError:
        return
    states = {"cord-with-password": "in the file", "cord-with-placeholder": "a placeholder"}
    yield Row(
        service=services.of(hit.path),
        environment=hit.environment,
        engine=hit.engine or cord.engine,
        secret=states.get(hit.rule.value, "none"),
        variables=(),
        pool=None,
        places=(f"{hit.path.as_posix()}:{hit.line}",),
        **_places_of(cord),
    )


def _completed(rows: Iterable[Row]) -> list[Row]:
    """Rows in which at least something is told of where a connection leads."""
    return [row for row in rows if row.server or row.database or row.variables]


def _folded(rows: Iterable[Row]) -> list[Row]:
    """One row for each connection of a service: equal ones have all their places."""
    made: dict[tuple[object, ...], Row] = {}
    for row in rows:
        # a variable alone is another connection than one that is told
        key = (row.service, row.environment, row.engine, row.server, row.database, row.user,
               row.variables if not row.server and not row.database else ())  # fmt: skip
        other = made.get(key)
        made[key] = row if other is None else _both(other, row)
    return list(made.values())


_WORST = ("in the file", "a placeholder", "none")


def _both(one: Row, other: Row) -> Row:
    secret = next((state for state in _WORST if state in {one.secret, other.secret}), one.secret)
    return replace(
        one,
        secret="in the file" if "in the file" in {one.secret, other.secret} else secret,
        tls=one.tls or other.tls,
        pool=one.pool or other.pool,
        variables=tuple(sorted({*one.variables, *other.variables})),
        places=tuple(dict.fromkeys((*one.places, *other.places))),
    )
