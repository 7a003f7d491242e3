"""Database servers as this package talks to them: one module an engine, each with the names of `EngineServer`.

Used alike by dialling, by measuring and watching pools, and by whatever asks a server something.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from importlib import import_module

from ..catalog import family_of
from ..deadline import Deadline, NoAnswer
from ..errors import FieldError, ServerError
from ..model import Cord
from ..secrets import Surroundings, with_secret
from .refusals import Refusal, no_answer, refusal_of
from .server import Activity, Answer, Capacity, Dialled, EngineServer, Reached, Session, Talking
from .wire import HungUp, Wire

ENGINES = {"postgresql": "postgresql", "mysql": "mysql", "mariadb": "mysql", "redis": "redis", "sqlite": "sqlite"}
"""The module of each engine; ``tests/servers`` runs over them."""

DIALLED: dict[str, str] = {
    **ENGINES,
    "mongodb": "mongodb",
    "sqlserver": "sqlserver",
    "oracle": "oracle",
    "clickhouse": "clickhouse",
    "duckdb": "duckdb",
    "memcached": "memcached",
    "amqp": "amqp",
    "influxdb": "influxdb",
    "h2": "jdbc",
    "hsqldb": "jdbc",
    "derby": "jdbc",
}
"""The module of each engine that can be dialled."""


def server_for(engine: str) -> EngineServer:
    """Give the module of an engine.

    Raises
    ------
    FieldError
        For an engine that has none.
    """
    name = module_of(engine, ENGINES)
    if name is None:
        raise FieldError(f"there is nothing here that talks to {engine} yet; {', '.join(ENGINES)} can be talked to")
    module: EngineServer = import_module(f".{name}", __name__)
    return module


def module_of(engine: str, known: Mapping[str, str] = DIALLED) -> str | None:
    """Give the name of an engine's module, or of that whose protocol it speaks; None where there is neither."""
    return known.get(engine) or known.get(family_of(engine) or "")


OVER_HTTP = {"clickhouse": "clickhouse_http"}
"""The module of an engine that can be dialled over HTTP, too."""


def dialler_for(engine: str, *, over_http: bool = False) -> Dialled | None:
    """Give the module through which an engine is dialled; None for one that has none."""
    name = OVER_HTTP.get(engine) if over_http else None
    name = name or module_of(engine, DIALLED)
    if name is None:
        return None
    module = import_module(f".{name}", __name__)
    found: Dialled = module.for_engine(engine) if hasattr(module, "for_engine") else module
    return found


def open_session(
    cord: Cord, deadline: Deadline, surroundings: Surroundings | None = None, *, writes: bool = False
) -> Session:
    """Log in to a cord's server, its secret fetched now.

    Raises
    ------
    ServerError
        When the server lets nobody in or does not answer in time; what it said is not quoted.
    MissingExtra
        When the engine's driver is not installed.
    """
    server = server_for(cord.engine)
    try:
        return server.log_in(with_secret(cord, surroundings), deadline, writes=writes)
    except Refusal as refusal:
        raise ServerError(f"{place_of(cord)}: {refusal.cause}; {refusal.hint}") from None


def open_prepared(
    cord: Cord, deadline: Deadline, surroundings: Surroundings | None = None, *, limit: float, writes: bool = False
) -> Session:
    """Log in, and make the session fit for load (`EngineServer.prepare`), both by the deadline.

    Raises
    ------
    ServerError, MissingExtra
        As `open_session`.
    """
    server, session = server_for(cord.engine), open_session(cord, deadline, surroundings, writes=writes)
    refused: Refusal | None = None
    try:
        deadline.run(lambda: server.prepare(session, limit=limit, writes=writes), watch=server.watch(session))
    except NoAnswer:
        refused = no_answer(deadline, cord.engine)
    except Refusal as refusal:
        refused = refusal
    except server.errors() as error:
        refused = server.cause_of(error, cord)
    if refused is not None:
        server.close(session)
        raise ServerError(f"{place_of(cord)}: {refused.cause}; {refused.hint}")
    return session


@contextmanager
def session_at(
    cord: Cord, deadline: Deadline, surroundings: Surroundings | None = None
) -> Iterator[tuple[Dialled, Session]]:
    """Log in to write, and close the session at the end; what is refused meanwhile is told of the server.

    Raises
    ------
    ServerError
        When the server lets nobody in, refuses, or does not answer in time; what it said is not quoted.
    FieldError
        For an engine that nothing here logs in to.
    """
    server = dialler_for(cord.engine)
    if server is None:
        raise FieldError(f"nothing here logs in to {cord.engine}")
    refusals: tuple[type[Exception], ...] = (Refusal, NoAnswer, *server.errors())
    session: Session = None
    try:
        session = server.log_in(with_secret(cord, surroundings), deadline, writes=True)
        yield server, session
    except refusals as error:
        refused = (
            error if isinstance(error, Refusal)
            else no_answer(deadline, cord.engine) if isinstance(error, NoAnswer)
            else server.cause_of(error, cord)
        )  # fmt: skip
        raise ServerError(f"{place_of(cord)}: {refused.cause}; {refused.hint}") from None
    finally:
        if session is not None:
            server.close(session)


def ask_capacity(cord: Cord, deadline: Deadline, surroundings: Surroundings | None = None) -> Capacity:
    """Ask a server for its limits, through one session.

    Raises
    ------
    ServerError
        As `open_session`.
    """
    server, session = server_for(cord.engine), open_session(cord, deadline, surroundings)
    try:
        return server.capacity(session, deadline)
    except Refusal as refusal:
        raise ServerError(f"{place_of(cord)}: {refusal.cause}; {refusal.hint}") from None
    finally:
        server.close(session)


def place_of(cord: Cord) -> str:
    """Name a cord's server for a message."""
    return ", ".join(str(host) for host in cord.hosts) or str(cord.database or cord.engine)


__all__ = [
    "DIALLED",
    "ENGINES",
    "OVER_HTTP",
    "Activity",
    "Answer",
    "Capacity",
    "Deadline",
    "Dialled",
    "EngineServer",
    "HungUp",
    "NoAnswer",
    "Reached",
    "Refusal",
    "Session",
    "Talking",
    "Wire",
    "ask_capacity",
    "dialler_for",
    "module_of",
    "no_answer",
    "open_prepared",
    "open_session",
    "place_of",
    "refusal_of",
    "server_for",
    "session_at",
]
