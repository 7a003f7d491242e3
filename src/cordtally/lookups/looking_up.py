"""Follows what a cord only names: a service record, an alias, a named service, a data source, a kept password.

Each kind of file has a module of its own; this one chooses among them and puts what they say under what is stated.
"""

from __future__ import annotations

from dataclasses import dataclass

from ..catalog import load_driver, load_engine, load_index
from ..errors import LookUpError, shielded
from ..exchange import read
from ..exchange.gathering import Interpretation
from ..exchange.interpreting import interpret
from ..exchange.reading import Reading
from ..exchange.targets import load_target
from ..journal import note
from ..model import DIRECT, Cord, DiscoveryKind, Duration, as_seconds, clear
from ..model.suspicion import clear_name
from ..notation import GrammarError
from ..notation.sections import Dialect, names, parse_section
from ..results import Result
from .aliases import find_alias
from .password_file import find_password
from .places import Places, read_text
from .service_records import DEFAULT_LIMIT, Resolver, follow_record


@dataclass(frozen=True, slots=True, repr=False)
class Resolution(Result):
    """A cord with nothing left to look up, the driver that its text is for, and what was done, a sentence a step."""

    _rows = "hosts"
    cord: Cord
    driver: str | None
    steps: tuple[str, ...]

    def _summary(self) -> str:
        hosts = ", ".join(map(str, self.cord.hosts)) or "the default host"
        return f"{hosts}, in {len(self.steps)} step{'' if len(self.steps) == 1 else 's'}"

    def to_dict(self) -> dict[str, object]:
        """Give the hosts, the database and the steps, for machines."""
        hosts = [{"address": str(h.address), "port": h.port, "instance": h.instance} for h in self.cord.hosts]
        return {
            "hosts": hosts,
            "database": None if self.cord.database is None else str(self.cord.database),
            "steps": list(self.steps),
        }


@shielded
def resolve(
    found: Reading | Cord | str,
    *,
    driver: str | None = None,
    resolver: Resolver | None = None,
    places: Places | None = None,
    limit: float | str | Duration = DEFAULT_LIMIT,
) -> Resolution:
    """Follow everything that a cord only names; what its text states beside the name stays as it is.

    Parameters
    ----------
    found : Reading, Cord or str
        A text is read first.
    driver : str, optional
        The driver that a cord is for: in one of ODBC's, a name is a data source's, and not a service's.
    resolver : callable, optional
        Answers for service records instead of the system's name server.
    places : Places, optional
        The environment and home folder in which files are looked for.
    limit : float, str or Duration
        How long a name server may take: seconds, or a text like ``2s``.

    Raises
    ------
    LookUpError, RecordError
        When a name leads nowhere; the places that were tried are listed.
    """
    reading = read(found) if isinstance(found, str) else found if isinstance(found, Reading) else None
    cord = found if isinstance(found, Cord) else reading.cord if reading is not None else None
    assert cord is not None
    driver = reading.driver if reading is not None else driver
    used, steps = places or Places(), list[str]()
    kind, engine = cord.discovery.kind, load_engine(cord.engine)
    if kind is DiscoveryKind.SRV:
        cord, steps = follow_record(cord, resolver, as_seconds(limit, "limit"))
    elif kind is DiscoveryKind.ALIAS:
        cord = _follow_alias(cord, used, steps)
    elif kind is DiscoveryKind.SERVICE and engine.service_target is not None and not _is_odbc(driver):
        cord = _follow_service(cord, engine.service_target, used, steps)
    elif kind is DiscoveryKind.SERVICE:
        cord, driver = _follow_data_source(cord, driver, used, steps)
    # last: libpq looks for the host, port and user that everything else has led to
    if engine.password_file and cord.password is None and not _is_odbc(driver):
        password, said = find_password(cord, used)
        if password is not None:
            cord = cord.copy_with(password=password)
            steps.append(f"password: {said}")
    for step in steps:
        note("lookups", "followed %s", step)
    return Resolution(cord, driver, tuple(steps))


def _is_odbc(driver: str | None) -> bool:
    return driver is not None and load_driver(driver).language == "odbc"


def _follow_alias(cord: Cord, places: Places, steps: list[str]) -> Cord:
    name, shown = clear(cord.discovery.name or ""), str(cord.discovery.name)
    folder = cord.option("admin_folder")
    tried = places.alias_files(None if folder is None else str(folder))
    for path in tried:
        text = find_alias(name, path)
        if text is not None:
            steps.append(f"alias {shown}: {path}")
            inner = read(text, driver="oracle-net").cord
            return cord.copy_with(discovery=DIRECT).over(inner)
    if not tried:
        raise LookUpError(f"there is no folder to look the alias {shown} up in: state one, or set TNS_ADMIN")
    listed = ", ".join(map(str, tried))
    raise LookUpError(f"the alias {shown} is not in any tnsnames.ora; looked in {listed}")


def _follow_service(cord: Cord, target: str, places: Places, steps: list[str]) -> Cord:
    name, shown = clear(cord.discovery.name or ""), str(cord.discovery.name)
    tried = places.service_files()
    for path in tried:
        text = read_text(path)
        if text is None or name not in names(text):
            continue
        steps.append(f"service {shown}: {path}")
        return cord.copy_with(discovery=DIRECT).over(_section(text, name, target).cord)
    raise LookUpError(f"the service {shown} is in none of {', '.join(map(str, tried))}")


def _dialect(target: str) -> Dialect:
    dialect = load_target(target).dialect
    assert isinstance(dialect, Dialect)
    return dialect


def _section(text: str, name: str, target: str) -> Interpretation:
    """Read a section, whose name stands in the file that was looked into: it is none that was only asked for."""
    loaded = load_target(target)
    try:
        parsed = parse_section(text, _dialect(target), name)
    except GrammarError as error:
        raise LookUpError(f"section {name}: {error.problem}") from None
    return interpret(parsed, loaded, engine=None)


def _follow_data_source(cord: Cord, driver: str | None, places: Places, steps: list[str]) -> tuple[Cord, str | None]:
    name, shown = clear(cord.discovery.name or ""), str(cord.discovery.name)
    tried = places.data_source_files()
    for path in tried:
        text = read_text(path)
        if text is None or name.casefold() not in (n.casefold() for n in names(text)):
            continue
        section = next(n for n in names(text) if n.casefold() == name.casefold())
        registered = _driver_of(text, section)
        found = _known_driver(registered, places) or driver or "odbc"
        steps.append(f"data source {shown}: {path} (driver {registered or 'not named'})")
        # a registered driver that the catalog knows only from connection strings: generic keys are all there is
        if load_driver(found).notation("data-source") is None:
            found = "odbc"
        inner = _section(text, section, f"{found}/data-source").cord
        engine = load_driver(found).engines[0] if found != "odbc" else cord.engine
        native = tuple((k, v) for k, v in inner.native if not clear_name(k).upper().endswith("/DRIVER"))
        made = cord.copy_with(discovery=DIRECT).over(inner.copy_with(native=native))
        return made.copy_with(engine=engine), found
    raise LookUpError(f"the data source {shown} is in none of {', '.join(map(str, tried))}")


def _driver_of(text: str, section: str) -> str | None:
    fields = parse_section(text, _dialect("odbc/data-source"), section).fields
    return next((str(f.value) for f in fields if (f.name or "").casefold() == "driver"), None)


def _known_driver(registered: str | None, places: Places) -> str | None:
    """The catalog's driver for a registered name, or for the file that the registration names."""
    if registered is None:
        return None
    known: dict[str, str] = load_index()["registered"]
    if (found := known.get(registered.casefold())) is not None:
        return found
    for path in places.driver_files():
        text = read_text(path) or ""
        for section in names(text):
            fields = parse_section(text, _dialect("odbc/data-source"), section).fields
            if any(f.name and f.name.casefold() in {"driver", "driver64"} and f.value == registered for f in fields):
                return known.get(section.casefold())
    return None
