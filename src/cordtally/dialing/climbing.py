"""Dials a cord, rung by rung: resolve, reach, secure, log in, database, answer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from time import perf_counter
from typing import NamedTuple

from ..catalog import driver_ids, load_driver, load_engine, own_engines
from ..catalog.causes import load_cause
from ..deadline import NoAnswer
from ..errors import CordTallyError, FieldError, LocatorError, LookUpError, MissingExtra, quoted, shielded
from ..exchange import read
from ..journal import note
from ..model import DIRECT, Cord, DiscoveryKind, Duration, Host, Locator, Secret, TlsLevel, as_seconds
from ..secrets import Surroundings, with_secret
from ..servers import (
    Answer,
    Deadline,
    Reached,
    Refusal,
    Session,
    Talking,
    dialler_for,
    no_answer,
    odbc,
    place_of,
    plain,
    refusal_of,
)
from . import files, network, tls
from .holding import ask_holders, holders_at, is_nearly_full
from .levels import level_of
from .noting import notes_on, told_of, untold
from .refused import more_of
from .rungs import RUNGS, Diagnosis, DialResult, RoundTrips, Rung, RungInClear, RungNotNeeded, RungOutcome

DEFAULT_LIMIT = 5.0
_QUESTIONS = range(3, 6)  # round trips that are timed: a median needs no more
_SHARE = 0.2  # of the time of the log-in, that more than the fewest of them may take: a server may be far away


class _Step(NamedTuple):
    rung: str
    attempt: Callable[[], str | list[str]]


@shielded
def dial(
    what: Cord | str | Secret,
    *,
    driver: str | None = None,
    limit: float | str | Duration = DEFAULT_LIMIT,
    surroundings: Surroundings | None = None,
    through: str | None = None,
    administrator: Cord | None = None,
    progress: Callable[[Rung], None] | None = None,
) -> DialResult:
    """Try a connection, stage by stage, and say where it breaks and why.

    Nothing is written or changed, and an SQLite file is never created.

    Parameters
    ----------
    what : Cord or str
        A cord, or a connection string.
    driver : str, optional
        The driver that the string is for, where it does not tell; or that the cord is for, which may tell its protocol.
    limit : float, str or Duration
        How long each rung may wait: seconds, or a text like ``2s``; more than 0.
    surroundings : Surroundings, optional
        How a locator's secret is fetched.
    through : str, optional
        ``odbc`` logs in through an ODBC driver that is installed here, for any engine that has one.
    administrator : Cord, optional
        Who is asked, where no place is left on the server, who holds its connections: it keeps one for administrators.
    progress : callable, optional
        Called with each rung as it ends.

    Raises
    ------
    TextError
        When a string cannot be read.
    FieldError
        When the limit is not positive, or nothing here talks to the engine.
    """
    seconds = as_seconds(limit, "limit")
    if not seconds > 0:
        raise FieldError("the limit must be more than 0 s")
    cord = what
    if not isinstance(cord, Cord):
        reading = read(cord, driver=driver)
        cord, driver = reading.cord, reading.driver
    over_http = _goes_over_http(cord, driver)
    # a data source is known to the driver manager alone
    known = driver in driver_ids() and load_driver(str(driver)).language == "odbc"
    if cord.discovery.kind is DiscoveryKind.SERVICE and known:
        through = through or "odbc"
    talker = _talker(cord.engine, through, over_http=over_http)
    climb = _Climb(cord, talker, dialler_for(cord.engine, over_http=over_http) or plain, seconds, surroundings)
    rungs: list[Rung] = []
    diagnosis: Diagnosis | None = None
    notes: tuple[str, ...] = ()
    try:
        for step in climb.steps:
            if diagnosis is not None:
                rung = Rung(name=step.rung, outcome=RungOutcome.NOT_TRIED, detail="")
            else:
                rung, diagnosis = _climb(step, cord.engine)
            rungs.append(rung)
            note("dialing", "%s: %s %s %s", climb.target, rung.name, rung.outcome.value, rung.detail)
            if progress is not None:
                progress(rung)
        if climb.tried:
            notes = untold(climb.cord, climb.driver)
        if diagnosis is None:
            notes += notes_on(climb.answered, climb.trips, climb.held_by)
        elif administrator is not None and load_cause(diagnosis.id).full:
            notes += (ask_holders(administrator, seconds, surroundings),)
    finally:
        climb.end()
    return DialResult(
        target=climb.target,
        engine=climb.cord.engine,
        driver=climb.driver,
        rungs=tuple(rungs),
        diagnosis=diagnosis,
        answer=climb.answered,
        verified=climb.seen.verified,
        round_trips=climb.trips,
        notes=notes,
    )


def _goes_over_http(cord: Cord, driver: str | None) -> bool:
    """Whether a cord goes over HTTP, where its engine has a protocol of its own, too.

    A driver of that engine alone speaks one of the two, whatever port it is given; for any other the port tells.
    """
    ports = load_engine(cord.engine).http_ports
    if ports and driver in driver_ids() and own_engines(str(driver)) == [cord.engine]:
        return load_driver(str(driver)).over_http
    return any(host.port in ports for host in cord.hosts)


def _talker(engine: str, through: str | None, *, over_http: bool) -> Talking | None:
    """The module through which one logs in; None where there is none for the engine."""
    if through not in {None, "odbc"}:
        raise FieldError(f"through is odbc, or left out, and not {quoted(str(through))}")
    return odbc if through == "odbc" else dialler_for(engine, over_http=over_http)


def _climb(step: _Step, engine: str) -> tuple[Rung, Diagnosis | None]:
    start = perf_counter()
    outcome, detail, diagnosis, in_clear = RungOutcome.HELD, "", None, False
    more: list[str] = []
    try:
        told = step.attempt()
        detail, *more = [told] if isinstance(told, str) else told
    except RungNotNeeded as reason:
        outcome, detail = RungOutcome.NOT_NEEDED, str(reason)
    except RungInClear as plain:
        outcome, detail, in_clear = plain.outcome, str(plain), True
    except Refusal as refusal:
        diagnosis = Diagnosis.of(refusal)
        outcome, detail = RungOutcome.BROKE, refusal.cause
    except CordTallyError:
        raise
    except Exception as error:  # drivers raise whatever they like at an answer that makes no sense
        note("dialing", "%s: %s", step.rung, type(error).__name__)
        used_up = isinstance(error, OSError) and error.errno in network.FILES_USED_UP
        diagnosis = Diagnosis.of(refusal_of("errno:EMFILE" if used_up else "own:hung-up", engine=engine))
        outcome, detail = RungOutcome.BROKE, diagnosis.cause
    seconds = perf_counter() - start
    return (
        Rung(name=step.rung, outcome=outcome, detail=detail, seconds=seconds, in_clear=in_clear, more=tuple(more)),
        diagnosis,
    )


class _Climb:
    """What the rungs of one dial hand on: the line, what TLS has shown, the session, and what was answered."""

    def __init__(
        self, cord: Cord, talker: Talking | None, reached: Reached, limit: float, surroundings: Surroundings | None
    ) -> None:
        self.cord, self.limit, self.surroundings = cord, limit, surroundings
        self.talker, self.missing = talker, self._load(talker)
        self.driver = "" if talker is None else talker.DRIVER
        meant = odbc.driver_for(cord.engine) if talker is odbc and self.missing is None else reached.DRIVER
        self.line = network.Line(reached, meant, cord, _hosts(cord, reached, meant), limit)
        self.seen = tls.Seen()
        self.session: Session = None
        self.broke: Refusal | None = None
        self.answered: Answer | None = None
        self.trips: RoundTrips | None = None
        self.held_by = ""
        self.tried, self.log_in_seconds = False, 0.0
        embedded = load_engine(cord.engine).embedded
        self.steps = self._file_steps() if embedded else self._server_steps()
        self.target = str(cord.database or ":memory:") if embedded else place_of(replace(cord, hosts=self.line.hosts))

    @staticmethod
    def _load(talker: Talking | None) -> MissingExtra | None:
        """Load the driver, which is no part of logging in."""
        try:
            if talker is not None:
                talker.errors()
        except MissingExtra as error:
            return error
        return None

    @property
    def server(self) -> Talking:
        """The module through which one logs in, where there is one."""
        if self.talker is None:
            raise refusal_of("own:no-dialler", engine=self.cord.engine)
        if self.missing is not None:
            raise refusal_of("own:driver-missing", engine=self.cord.engine, name=self.missing.package)
        return self.talker

    def end(self) -> None:
        """Close whatever is open."""
        self.line.open.close()
        if self.session is not None:
            self.server.close(self.session)

    def _file_steps(self) -> list[_Step]:
        def not_needed() -> str:
            raise RungNotNeeded("a file")

        def answer() -> list[str]:
            self.log_in()
            return self.answer()

        steps: list[Callable[[], str | list[str]]] = [
            lambda: [files.resolve(self.cord), *self.fetch()], lambda: files.reach(self.cord), not_needed, not_needed,
            lambda: files.database(self.cord), answer,
        ]  # fmt: skip
        return [_Step(rung, attempt) for rung, attempt in zip(RUNGS, steps, strict=True)]

    def _server_steps(self) -> list[_Step]:
        steps: list[Callable[[], str | list[str]]] = [
            lambda: [*self.fetch(), *self.follow(), *network.resolve(self.line)],
            lambda: network.reach(self._known_line()), lambda: tls.secure(self._known_line(), self.seen),
            self.log_in, self.database, self.answer,
        ]  # fmt: skip
        return [_Step(rung, attempt) for rung, attempt in zip(RUNGS, steps, strict=True)]

    def fetch(self) -> list[str]:
        """Fetch the secret from where its locator points, and say where that was."""
        locator = self.cord.password
        if not isinstance(locator, Locator) and not isinstance(self.cord.user, Locator):
            return []
        asked = isinstance(locator, Locator) and locator.scheme == "ask"  # a person may take longer
        try:
            if asked:
                self.cord = with_secret(self.cord, self.surroundings)
            else:
                self.cord = Deadline(self.limit).run(lambda: with_secret(self.cord, self.surroundings))
            self.line.cord = self.cord
        except LocatorError as error:
            refused = refusal_of("locator", engine=self.cord.engine, place=locator)
            raise Refusal(refused.cause, str(error).replace("\n    ", "; "), known=refused.known) from None
        except NoAnswer:
            refused = refusal_of("locator", engine=self.cord.engine, place=locator)
            told = f"{refused.cause}: nothing came within {self.limit:g} s"
            raise Refusal(told, refused.hint, known=refused.known) from None
        return [f"the secret from {locator}"] if isinstance(locator, Locator) else []

    def follow(self) -> list[str]:
        """Follow what stands for hosts: a service record, an alias, a named service; the driver follows it again."""
        discovery = self.cord.discovery
        if discovery.kind is DiscoveryKind.DIRECT:
            return []
        from ..lookups import resolve

        try:
            meant = odbc.DRIVER if self.talker is odbc else None
            found = Deadline(self.limit).run(lambda: resolve(self.cord, driver=meant, limit=self.limit))
        except LookUpError as error:
            code = "srv" if discovery.kind is DiscoveryKind.SRV else "alias"
            refused = refusal_of(code, engine=self.cord.engine, place=discovery.name)
            raise Refusal(str(error).partition("\n")[0], refused.hint, known=refused.known) from None
        except NoAnswer:
            raise self.line.refuse("timeout:resolve", place=discovery.name) from None
        engine = found.cord.engine
        if self.talker is odbc:
            self.cord = replace(self.cord, engine=engine)
            self.line.server = dialler_for(engine) or plain
            named = found.driver is not None and found.driver != odbc.DRIVER
            self.line.driver = str(found.driver) if named else odbc.driver_for(engine)
        self.line.cord = replace(found.cord, discovery=DIRECT)
        lost = self.talker is odbc and not found.cord.hosts
        self.line.hosts = () if lost else _hosts(self.line.cord, self.line.server, self.line.driver)
        return list(found.steps)

    def _known_line(self) -> network.Line:
        """Give the line, where it is known whither it leads."""
        if not self.line.hosts:
            raise RungNotNeeded("the data source's driver knows the way")
        return self.line

    def log_in(self) -> str:
        """Log in through the driver, at those of several hosts that were reached."""
        server = self.server
        # at the log-in a dead host would be tried again, and spend the rung's time
        alive = tuple(one.host for one in self.line.reached)
        several = len(self.cord.hosts) > 1 and len(alive) < len(self.cord.hosts)
        chosen = replace(self.cord, hosts=alive) if several else self.cord
        deadline = Deadline(self.limit)
        self.tried = True
        begun = perf_counter()
        try:
            self.session = server.log_in(chosen, deadline)
            self.log_in_seconds = perf_counter() - begun
        except Refusal as refusal:
            told = more_of(refusal, self.line, self.seen, deadline)
            # servers say during log-in that there is no such database; it belongs to the next rung
            if not told.database:
                raise told from None
            self.broke = told
        how = "with a password" if self.line.cord.password is not None else "without a password"
        method = "" if self.session is None else server.used_method(self.session)
        method = method or self.seen.method
        method = f" ({method})" if method else ""
        user = self.line.cord.user or load_engine(self.cord.engine).default_user or "nobody by name"
        return f"as {user} {how}{method}, through {server.DRIVER}"

    def database(self) -> str:
        """Say which database it is, or why there is none."""
        if self.broke is not None:
            raise self.broke
        return str(self.line.cord.database or "the default one")

    def answer(self) -> list[str]:
        """Ask the server who it is, and how long a question takes."""
        deadline = Deadline(self.limit)
        self.answered = self.server.answer(self.session, deadline)
        self.trips = self._timed(deadline)
        if is_nearly_full(self.answered.opened, self.answered.limit):
            self.held_by = holders_at(self.cord.engine, self.session, deadline)
        return [*told_of(self.answered, self.trips), *self._roles(deadline)]

    def _roles(self, deadline: Deadline) -> list[str]:
        """Ask each of several hosts for its role, and say which one the driver has chosen."""
        hosts = [one.host for one in self.line.reached]
        if len(hosts) < 2 or self.answered is None or self.answered.role is None:
            return []
        options = tuple(pair for pair in self.cord.options if pair[0] != "target_role")
        outcomes = deadline.run_all(
            [lambda h=h: self._role(replace(self.cord, hosts=(h,), options=options), deadline) for h in hosts]  # type: ignore[misc]
        )
        told = []
        for host, found in zip(hosts, outcomes, strict=True):
            role = found if isinstance(found, str) else "does not let this user in"
            chosen = ", chosen by the driver" if str(host) == self.answered.place else ""
            told.append(f"{host}: {role}{chosen}")
        return told

    def _role(self, cord: Cord, deadline: Deadline) -> str:
        session = self.server.log_in(cord, deadline)
        try:
            return self.server.answer(session, deadline).role or "its role is not told"
        finally:
            self.server.close(session)

    def _timed(self, deadline: Deadline) -> RoundTrips:
        """Ask the same small question a few times."""
        server = self.server

        def ask() -> tuple[float, ...]:
            times = list[float]()
            while len(times) < _QUESTIONS.start or (
                len(times) < _QUESTIONS[-1] and sum(times) < self.log_in_seconds * _SHARE
            ):
                start = perf_counter()
                server.run(self.session, server.STATEMENT)
                times.append(perf_counter() - start)
            return tuple(times)

        try:
            return RoundTrips(deadline.run(ask, watch=server.watch(self.session)))
        except NoAnswer:
            raise no_answer(deadline, self.cord.engine) from None
        except server.errors() as error:
            raise server.cause_of(error) from None


def _hosts(cord: Cord, reached: Reached, driver: str) -> tuple[Host, ...]:
    engine = load_engine(cord.engine)
    usual = engine.default_port
    ports = engine.http_ports if load_driver(reached.DRIVER).over_http else engine.native_ports
    if usual is None and ports:  # without TLS, and with it
        usual = ports[level_of(cord, driver) is not TlsLevel.OFF]
    given = cord.hosts or (Host(""),)
    return tuple(
        Host(h.address or engine.default_host or "", h.port or (None if h.is_socket else usual)) for h in given
    )
