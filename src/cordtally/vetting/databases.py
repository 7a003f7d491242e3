"""Rules of the database's name: what the engine refuses, cuts, folds, or takes where none is stated."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import DiscoveryKind, clear
from ..notation import Case
from .ids import RuleId
from .looks import Look
from .remarked import remarked
from .rules import Severity, Sight, Told, rule


def _shown(look: Look) -> str:
    """The name as it may be shown."""
    return str(look.cord.database)


@rule(
    RuleId.DATABASE_NAME_TOO_LONG,
    Severity.ERROR,
    Sight.DATABASE,
    title="a database's name that is too long",
    why="The engine refuses it, or cuts it and takes another database.",
    about="Counted as the engine counts: PostgreSQL and MongoDB in bytes of UTF-8, MySQL and SQL Server in characters.",
    bad="postgresql://gauge.greywick.example/tides_of_all_the_harbours_of_the_northern_coast_and_of_the_islands",
    good="postgresql://gauge.greywick.example/tides_of_the_northern_coast",
)
def database_name_too_long(look: Look) -> Iterator[Told]:
    engine, name = look.engine, clear(look.cord.database or "")
    if engine.name_length is None:
        return
    length = len(name.encode("utf-8", "surrogatepass")) if engine.name_counts == "bytes" else len(name)
    if length > engine.name_length:
        message = f"the name has {length} {engine.name_counts}, and {engine.title} takes {engine.name_length}"
        yield Told(message, "shorten it", look.place("database"))


@rule(
    RuleId.DATABASE_NAME_REFUSED,
    Severity.ERROR,
    Sight.DATABASE,
    title="a name that no database can have here",
    why="The server answers that there is no such database, or that nobody may connect to it.",
    about="Characters and names that the engine refuses. A slash, where the engine would take one, is most often a "
    "schema or a table behind the name, and is a warning.",
    bad=(
        "postgresql://gauge.greywick.example/template0",
        "postgresql://gauge.greywick.example/tides/readings",
    ),
    good=(
        "mongodb://roster.greywick.example/pilots?tls=true",
        "firebird-driver: buoys.greywick.example:/data/buoys.fdb",
    ),
)
def database_name_refused(look: Look) -> Iterator[Told]:
    engine, name = look.engine, clear(look.cord.database or "")
    if engine.embedded or not name:
        return
    span = look.place("database")
    if name in engine.refused_databases:
        yield Told(f"nobody may connect to {name}", "name another database", span)
        return
    odd = next((c for c in name if c in engine.name_refuses), None)
    if odd is not None and odd not in "\"'" and "{" not in name:
        what = "a blank" if odd == " " else odd
        yield Told(f"{engine.title} takes no {what} in a database's name", "write the name alone", span)
    elif "/" in name and not engine.database_is_path and "@" not in name and "?" not in name:
        message = "the database's name holds a /: a schema or a table seems to follow it"
        yield Told(message, "write the database alone", span, Severity.WARNING)


@rule(
    RuleId.DATABASE_NAME_FOLDS,
    Severity.NOTE,
    Sight.DATABASE,
    title="capital letters in a name that the engine folds",
    why="Such a database is there only if its name was quoted when it was created.",
    about="PostgreSQL makes names in SQL small unless they are quoted; the name in a connection string it takes as "
    "it is.",
    bad="postgresql://gauge.greywick.example/Tides",
    good="postgresql://gauge.greywick.example/tides",
)
def database_name_folds(look: Look) -> Iterator[Told]:
    name = clear(look.cord.database or "")
    if look.engine.folds_names and name.isascii() and name != name.lower() and name.isidentifier():
        message = "capital letters in the database's name count here, and CREATE DATABASE makes them small"
        yield Told(message, f"write {name.lower()}, unless it was created in quotes", look.place("database"))


database_has_number = remarked(
    RuleId.DATABASE_HAS_NUMBER,
    Severity.ERROR,
    (Case.NO_SUCH_NUMBER, Case.NOT_NUMBERED),
    title="a database's name where it has a number",
    why="The driver passes over it, and goes to database 0, or the server refuses it.",
    bad="redis://lights.greywick.example:6379/lamps",
    good="redis://lights.greywick.example:6379/2",
    warns=(Case.NOT_NUMBERED,),
)


@rule(
    RuleId.SYSTEM_DATABASE,
    Severity.NOTE,
    Sight.DATABASE,
    title="a database of the system",
    why="Tables of an application do not belong there: upgrades and other programs share it.",
    about="Where an administrator's tool connects there, that is what it is for.",
    bad=("postgresql://keeper@gauge.greywick.example/postgres", "mysql://keeper@berths.greywick.example/mysql"),
    good="postgresql://keeper@gauge.greywick.example/tides",
)
def system_database(look: Look) -> Iterator[Told]:
    if clear(look.cord.database or "") in look.engine.system_databases:
        message = f"{_shown(look)} is a database of {look.engine.title} itself"
        yield Told(message, "create one for the application", look.place("database"))


@rule(
    RuleId.DATABASE_OF_USER,
    Severity.NOTE,
    Sight.NO_DATABASE,
    title="no database, so that the user's name is taken for it",
    why="Another user, and the program looks for another database.",
    about="PostgreSQL's servers take the user's name where a client names no database.",
    bad="postgresql://keeper@gauge.greywick.example",
    good=("postgresql://keeper@gauge.greywick.example/tides", "service=tides"),
)
def database_of_user(look: Look) -> Iterator[Told]:
    cord = look.cord
    direct = cord.discovery.kind is DiscoveryKind.DIRECT and cord.discovery.name is None and bool(cord.hosts)
    if cord.database is None and look.engine.database_of_user and direct:
        yield Told("no database is stated: the user's name is taken for it", "name the database")


@rule(
    RuleId.OLD_SERVICE_IDENTIFIER,
    Severity.WARNING,
    Sight.OPTIONS,
    options=("system_identifier",),
    title="a system identifier where a service name is expected",
    why="It names an instance of one machine: no pluggable database, no failover, no balancing.",
    about="Oracle's listeners still take it; since 12c databases are reached by their service names.",
    bad="jdbc:oracle:thin:@tariff.greywick.example:1521:TARIFF",
    good="jdbc:oracle:thin:@//tariff.greywick.example:1521/tariff.greywick.example",
)
def old_service_identifier(look: Look) -> Iterator[Told]:
    if look.cord.option("system_identifier") is not None:
        hint = "write the service name behind a slash: //HOST:PORT/SERVICE"
        yield Told("the database is named by its system identifier (SID)", hint, look.option_place("system_identifier"))
