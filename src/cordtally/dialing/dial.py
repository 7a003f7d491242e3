"""Dials a cord, rung by rung: resolve, reach, secure, log in, database, answer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from time import perf_counter
from types import ModuleType
from typing import NamedTuple

from ..catalog import load_driver, load_engine
from ..errors import FieldError
from ..exchange import read
from ..model import Cord, Host, Secret, TlsLevel
from ..secrets import Surroundings, with_secret
from . import mysql, network, postgresql, sqlite
from .postgresql import DatabaseBroke
from .rungs import RUNGS, Diagnosis, DialResult, Rung, RungBroke, RungNotNeeded, RungOutcome

DEFAULT_LIMIT = 5.0
_SERVERS: dict[str, ModuleType] = {"postgresql": postgresql, "mysql": mysql, "mariadb": mysql}


class _Step(NamedTuple):
    rung: str
    attempt: Callable[[], str]


def dial(
    what: Cord | str | Secret,
    *,
    driver: str | None = None,
    limit: float = DEFAULT_LIMIT,
    surroundings: Surroundings | None = None,
    progress: Callable[[Rung], None] | None = None,
) -> DialResult:
    """Try a connection, stage by stage, and say where it breaks and why.

    Nothing is written or changed, and an SQLite file is never created.

    Parameters
    ----------
    what : Cord or str
        A cord, or a connection string.
    driver : str, optional
        The driver that the string is for, where it does not tell.
    limit : float
        How long each rung may wait, in seconds; more than 0.
    surroundings : Surroundings, optional
        How a locator's secret is fetched.
    progress : callable, optional
        Called with each rung as it ends.

    Raises
    ------
    TextError
        When a string cannot be read.
    LocatorError
        When the secret cannot be fetched.
    MissingExtra
        When the engine's Python driver is not installed.
    FieldError
        When the limit is not positive, or no dialler exists for the engine.
    """
    if not limit > 0:
        raise FieldError("the limit must be more than 0 s")
    cord = what if isinstance(what, Cord) else read(what, driver=driver).cord
    cord = with_secret(cord, surroundings)
    steps, target, through = _steps(cord, limit)
    rungs: list[Rung] = []
    diagnosis: Diagnosis | None = None
    for name in RUNGS:
        step = next(s for s in steps if s.rung == name)
        if diagnosis is not None:
            rung = Rung(name=name, outcome=RungOutcome.NOT_TRIED, detail="")
        else:
            rung, diagnosis = _climb(step, rungs)
        rungs.append(rung)
        if progress is not None:
            progress(rung)
    return DialResult(target=target, engine=cord.engine, driver=through, rungs=tuple(rungs), diagnosis=diagnosis)


def _climb(step: _Step, so_far: list[Rung]) -> tuple[Rung, Diagnosis | None]:
    start = perf_counter()
    outcome, detail, diagnosis = RungOutcome.HELD, "", None
    try:
        detail = step.attempt()
    except RungNotNeeded as reason:
        outcome, detail = RungOutcome.NOT_NEEDED, str(reason)
    except RungBroke as broke:
        outcome, detail, diagnosis = RungOutcome.BROKE, broke.diagnosis.cause, broke.diagnosis
    return Rung(name=step.rung, outcome=outcome, detail=detail, seconds=perf_counter() - start), diagnosis


def _steps(cord: Cord, limit: float) -> tuple[list[_Step], str, str]:
    if load_engine(cord.engine).embedded:
        return _file_steps(cord, limit), str(cord.database or ":memory:"), "sqlite3"
    if cord.engine not in _SERVERS:
        raise FieldError(f"{cord.engine} cannot be dialled yet; these can: sqlite, {', '.join(_SERVERS)}")
    server = _SERVERS[cord.engine]
    return _server_steps(cord, limit, server), ", ".join(str(h) for h in _hosts(cord)), server.DRIVER


def _file_steps(cord: Cord, limit: float) -> list[_Step]:
    def not_needed() -> str:
        raise RungNotNeeded("a file")

    return [
        _Step("resolve", lambda: sqlite.resolve(cord)),
        _Step("reach", lambda: sqlite.reach(cord)),
        _Step("secure", not_needed),
        _Step("log in", not_needed),
        _Step("database", lambda: sqlite.database(cord)),
        _Step("answer", lambda: sqlite.answer(cord, limit)),
    ]


def _hosts(cord: Cord) -> tuple[Host, ...]:
    engine = load_engine(cord.engine)
    given = cord.hosts or (Host(""),)
    return tuple(
        Host(h.address or engine.default_host or "", h.port or (None if h.is_socket else engine.default_port))
        for h in given
    )


def _server_steps(cord: Cord, limit: float, server: ModuleType) -> list[_Step]:
    line = network.Line(_hosts(cord), limit)
    default = load_driver(server.DRIVER).tls_default
    held: dict[str, object] = {}

    def log_in() -> str:
        chosen = cord
        if line.reached is not None and len(cord.hosts) > 1:
            chosen = replace(cord, hosts=(line.reached,))
        try:
            held["connection"] = server.log_in(chosen, limit)
        except DatabaseBroke as broke:
            held["database"] = broke
        how = "with a password" if cord.password is not None else "without a password"
        return f"as {cord.user or 'the operating system user'} {how}, through {server.DRIVER}"

    def database() -> str:
        if isinstance(broke := held.get("database"), RungBroke):
            raise broke
        return cord.database or "the default one"

    return [
        _Step("resolve", lambda: network.resolve(line)),
        _Step("reach", lambda: network.reach(line, server.socket_name)),
        _Step("secure", lambda: network.secure(line, cord.tls, TlsLevel(default) if default else None, server.upgrade)),
        _Step("log in", log_in),
        _Step("database", database),
        _Step("answer", lambda: str(server.answer(held["connection"]))),
    ]
