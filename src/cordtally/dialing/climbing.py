"""Dials a cord, rung by rung: resolve, reach, secure, log in, database, answer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from time import perf_counter
from typing import NamedTuple

from ..catalog import load_driver, load_engine
from ..errors import FieldError, shielded
from ..exchange import read
from ..journal import note
from ..model import Cord, Duration, Host, Secret, TlsLevel, as_seconds
from ..secrets import Surroundings, with_secret
from ..servers import Deadline, EngineServer, Refusal, Session, place_of, server_for
from . import files, network
from .rungs import RUNGS, Diagnosis, DialResult, Rung, RungBroke, RungInClear, RungNotNeeded, RungOutcome

DEFAULT_LIMIT = 5.0


class _Step(NamedTuple):
    rung: str
    attempt: Callable[[], str]


@shielded
def dial(
    what: Cord | str | Secret,
    *,
    driver: str | None = None,
    limit: float | str | Duration = DEFAULT_LIMIT,
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
    limit : float, str or Duration
        How long each rung may wait: seconds, or a text like ``2s``; more than 0.
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
        When the limit is not positive, or nothing here talks to the engine.
    """
    seconds = as_seconds(limit, "limit")
    if not seconds > 0:
        raise FieldError("the limit must be more than 0 s")
    cord = what if isinstance(what, Cord) else read(what, driver=driver).cord
    cord = with_secret(cord, surroundings)
    steps, target, through = _steps(cord, seconds)
    rungs: list[Rung] = []
    diagnosis: Diagnosis | None = None
    for name in RUNGS:
        step = next(s for s in steps if s.rung == name)
        if diagnosis is not None:
            rung = Rung(name=name, outcome=RungOutcome.NOT_TRIED, detail="")
        else:
            rung, diagnosis = _climb(step, rungs)
        rungs.append(rung)
        note("dialing", "%s: %s %s %s", target, rung.name, rung.outcome.value, rung.detail)
        if progress is not None:
            progress(rung)
    return DialResult(target=target, engine=cord.engine, driver=through, rungs=tuple(rungs), diagnosis=diagnosis)


def _climb(step: _Step, so_far: list[Rung]) -> tuple[Rung, Diagnosis | None]:
    start = perf_counter()
    outcome, detail, diagnosis, in_clear = RungOutcome.HELD, "", None, False
    try:
        detail = step.attempt()
    except RungNotNeeded as reason:
        outcome, detail = RungOutcome.NOT_NEEDED, str(reason)
    except RungInClear as plain:
        outcome, detail, in_clear = plain.outcome, str(plain), True
    except RungBroke as broke:
        outcome, detail, diagnosis = RungOutcome.BROKE, broke.diagnosis.cause, broke.diagnosis
    seconds = perf_counter() - start
    return Rung(name=step.rung, outcome=outcome, detail=detail, seconds=seconds, in_clear=in_clear), diagnosis


class _Climb:
    """What the rungs of one dial hand on: the session, and why the database broke though the log-in held."""

    def __init__(self, cord: Cord, server: EngineServer, limit: float) -> None:
        self.cord, self.server, self.limit = cord, server, limit
        self.session: Session = None
        self.broke: Refusal | None = None

    def log_in(self, reached: Host | None) -> str:
        """Log in, at the one of several hosts that was reached."""
        # one host at the log-in: else the driver might try a dead one again, and spend the rung's time on it
        chosen = self.cord if reached is None or len(self.cord.hosts) < 2 else replace(self.cord, hosts=(reached,))
        try:
            self.session = self.server.log_in(chosen, Deadline(self.limit))
        except Refusal as refusal:
            # servers say during log-in that there is no such database; it belongs to the next rung
            if not refusal.database:
                raise RungBroke(Diagnosis(refusal.cause, refusal.hint, refusal.code)) from None
            self.broke = refusal
        how = "with a password" if self.cord.password is not None else "without a password"
        return f"as {self.cord.user or 'the operating system user'} {how}, through {self.server.DRIVER}"

    def database(self) -> str:
        """Say which database it is, or why there is none."""
        if self.broke is not None:
            raise RungBroke(Diagnosis(self.broke.cause, self.broke.hint, self.broke.code))
        return str(self.cord.database or "the default one")

    def answer(self) -> str:
        """Ask the server who it is."""
        try:
            return str(self.server.answer(self.session, Deadline(self.limit)))
        except Refusal as refusal:
            raise RungBroke(Diagnosis(refusal.cause, refusal.hint, refusal.code)) from None
        finally:
            self.server.close(self.session)


def _steps(cord: Cord, limit: float) -> tuple[list[_Step], str, str]:
    server = server_for(cord.engine)
    climb = _Climb(cord, server, limit)
    if load_engine(cord.engine).embedded:
        return _file_steps(climb), str(cord.database or ":memory:"), server.DRIVER
    hosts = _hosts(cord)
    return _server_steps(climb, network.Line(server, hosts, limit)), place_of(replace(cord, hosts=hosts)), server.DRIVER


def _file_steps(climb: _Climb) -> list[_Step]:
    cord = climb.cord

    def not_needed() -> str:
        raise RungNotNeeded("a file")

    def answer() -> str:
        climb.log_in(None)
        return climb.answer()

    return [
        _Step("resolve", lambda: files.resolve(cord)),
        _Step("reach", lambda: files.reach(cord)),
        _Step("secure", not_needed),
        _Step("log in", not_needed),
        _Step("database", lambda: files.database(cord)),
        _Step("answer", answer),
    ]


def _hosts(cord: Cord) -> tuple[Host, ...]:
    engine = load_engine(cord.engine)
    given = cord.hosts or (Host(""),)
    return tuple(
        Host(h.address or engine.default_host or "", h.port or (None if h.is_socket else engine.default_port))
        for h in given
    )


def _server_steps(climb: _Climb, line: network.Line) -> list[_Step]:
    default = load_driver(climb.server.DRIVER).tls_default
    return [
        _Step("resolve", lambda: network.resolve(line)),
        _Step("reach", lambda: network.reach(line)),
        _Step("secure", lambda: network.secure(line, climb.cord.tls, TlsLevel(default) if default else None)),
        _Step("log in", lambda: climb.log_in(line.reached[0] if line.reached is not None else None)),
        _Step("database", climb.database),
        _Step("answer", climb.answer),
    ]
