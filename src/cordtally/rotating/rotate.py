"""The rotation of a cord's password, step by step; killed at any of them, it is taken up where it stood.

1. The password in use is proved: it logs in, through the cord's own host and port.
2. A new one is drawn and put into the store *beside* the one in use, before the server hears of it.
3. The server is told: a verifier or a hash, never the password.
4. The new one is proved in the same way; where it is refused, the server gets the old one back, by the same session.
5. The new one becomes the one in use, user and password in one write where both are kept there.
6. What the store now gives is proved, and the place beside is cleared.

At every instant the store has a password that logs in. Which steps are done is found out by asking store and server;
the journal adds what they cannot tell: how, and to which user.
"""

from __future__ import annotations

import enum
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

from ..deadline import Deadline
from ..errors import CordTallyError, FieldError, LocatorError, ServerError, shielded
from ..journal import note
from ..model import Cord, Locator, Secret
from ..secrets import Surroundings, describe, drop, fetch, fetch_together, put, put_together, refuse_unwritable
from ..secrets.drawing import USUAL, draw
from ..secrets.locking import locked
from ..secrets.siblings import next_to
from ..servers import Refusal, Session, place_of, server_for
from ..servers.accounts import Account, Accounts, accounts_of
from ..tally import Resolved, Tally
from .journal import Entry, journal_path, read_entry, write_entry

LIMIT = 10.0  # seconds for each question to the server
REST = 3600.0  # seconds that a user who was left is not touched
_LOCK = 2.0


class Mode(enum.Enum):
    """How it is done."""

    PLAIN = "plain"
    """The old password ends when the new one begins."""
    GRACE = "grace"
    """Both live for a while, where the engine has room for two."""
    ALTERNATE = "alternate"
    """Two users take turns: the one who is left keeps its password."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rotation:
    """What is, or was, done: the cord, how, from which user to which, the steps, and how it stands.

    ``state`` is ``planned``, ``rotated``, ``grace`` (the old password lives until it is ended, or ``until`` then), or
    ``finished``; ``resumed`` says that it was begun before.
    """

    cord: str
    engine: str
    mode: Mode
    user: str
    to: str
    kept_at: str
    state: str
    steps: tuple[str, ...] = ()
    until: float | None = None
    resumed: bool = False

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/rotation/1``."""
        return {
            "schema": "cordtally/rotation/1",
            "cord": self.cord,
            "engine": self.engine,
            "mode": self.mode.value,
            "user": self.user,
            "to": self.to,
            "kept_at": self.kept_at,
            "state": self.state,
            "steps": list(self.steps),
            "until": self.until,
            "resumed": self.resumed,
        }


@dataclass(slots=True)
class _Work:
    """What a rotation needs at hand."""

    tally: Tally
    resolved: Resolved
    mode: Mode
    password: Locator
    around: Surroundings
    by: Cord | None
    limit: float
    progress: Callable[[str], None]
    accounts: Accounts
    path: Path
    done: list[str] = field(default_factory=list)

    @property
    def cord(self) -> Cord:
        return self.resolved.cord

    def say(self, step: str) -> None:
        """Note a step that is done."""
        self.done.append(step)
        note("rotating", "%s: %s", self.resolved.title, step)
        self.progress(step)

    def log_in(self, user: str, password: Secret) -> Session:
        """Log in as the cord does, through its own hosts."""
        named = {"user": user} if user else {}
        cord = self.cord.copy_with(password=password, **named)
        return server_for(cord.engine).log_in(cord, Deadline(self.limit))

    def proves(self, user: str, password: Secret) -> bool:
        """Whether user and password log in; what else is wrong is an error."""
        try:
            session = self.log_in(user, password)
        except Refusal as refusal:
            if refusal.credentials:
                return False
            raise self.error(refusal) from None
        server_for(self.cord.engine).close(session)
        return True

    def error(self, refusal: Refusal) -> ServerError:
        """Say what a server refused."""
        return ServerError(f"{self.resolved.title}: {place_of(self.cord)}: {refusal.cause}; {refusal.hint}")


@shielded
def plan(
    tally: Tally,
    name: str,
    *,
    environment: str | None = None,
    mode: Mode = Mode.PLAIN,
    surroundings: Surroundings | None = None,
) -> Rotation:
    """Say what a rotation would do, without asking the server.

    Raises
    ------
    FieldError, LocatorError
        As `rotate`.
    """
    work = _prepare(tally, name, environment, mode, surroundings=surroundings)
    user = _in_use(work)[0] if isinstance(work.cord.user, Locator) else work.cord.user_name
    to = _other(work, user) if mode is Mode.ALTERNATE else user
    return _told(work, user, to, "planned")


@shielded
def rotate(
    tally: Tally,
    name: str,
    *,
    environment: str | None = None,
    mode: Mode = Mode.PLAIN,
    by: str | None = None,
    grace: float | None = None,
    length: int = USUAL,
    limit: float = LIMIT,
    progress: Callable[[str], None] = lambda _: None,
    surroundings: Surroundings | None = None,
) -> Rotation:
    """Give a cord another password: on its server, and in its store; a rotation that was begun is taken up.

    Parameters
    ----------
    tally : Tally
        The tally.
    name : str
        The cord.
    environment : str, optional
        Its environment.
    mode : Mode
        How; the tally's ``[rotations.NAME]`` has the two users that take turns.
    by : str, optional
        The cord of an administrator who may change the password; the user itself if absent.
    grace : float, optional
        With `Mode.GRACE`, for how many seconds the old password lives at least; it is ended by `finish`.
    length : int
        Characters of the new password.
    limit : float
        Seconds that each question to the server may take.
    progress : callable
        Told each step as it is done.
    surroundings : Surroundings, optional
        How secrets are fetched.

    Raises
    ------
    UnknownName, TallyError
        Where the tally has no such cord.
    FieldError
        Where the engine, or the way that the secret is kept, does not allow it.
    LocatorError
        Where the store does not, or somebody else rotates it.
    ServerError
        Where the server refuses; then the store has the password that logs in, and the next call goes on.
    """
    work = _prepare(tally, name, environment, mode, by=by, limit=limit, progress=progress, surroundings=surroundings)
    with _alone(work):
        entry = read_entry(work.path)
        if entry is not None and entry.state == "grace":
            raise FieldError(f"{work.resolved.title}: the password before lives on: end it first, with --finish")
        begun = entry is not None and entry.state == "begun"
        if begun and entry is not None:
            work.mode = Mode(entry.mode)
        rotation = _rotate(work, entry, length, grace)
        return replace(rotation, resumed=begun)


@shielded
def finish(
    tally: Tally,
    name: str,
    *,
    environment: str | None = None,
    by: str | None = None,
    limit: float = LIMIT,
    progress: Callable[[str], None] = lambda _: None,
    surroundings: Surroundings | None = None,
) -> Rotation:
    """End the password before, which lives beside the one in use since a rotation with grace.

    Raises
    ------
    FieldError
        Where no such rotation was made, or its time is not over.
    ServerError
        Where the server refuses.
    """
    work = _prepare(
        tally, name, environment, Mode.GRACE, by=by, limit=limit, progress=progress, surroundings=surroundings
    )
    with _alone(work):
        entry = read_entry(work.path)
        if entry is None or entry.state != "grace":
            raise FieldError(f"{work.resolved.title}: no password before it is known to live on")
        if entry.until is not None and time.time() < entry.until:
            left = entry.until - time.time()
            raise FieldError(
                f"{work.resolved.title}: the password before lives for {left:.0f} s more, as was asked for"
            )
        user, password = _in_use(work)
        session, account = _administer(work, user, user, password)
        try:
            work.accounts.set_passwords(session, account, [password.unmask()], Deadline(limit))
        except Refusal as refusal:
            raise work.error(refusal) from None
        finally:
            server_for(work.cord.engine).close(session)
        work.say("the password before is ended")
        write_entry(work.path, replace(entry, state="done", when=time.time(), until=None))
        return _told(work, user, user, "finished")


def _prepare(
    tally: Tally,
    name: str,
    environment: str | None,
    mode: Mode,
    *,
    by: str | None = None,
    limit: float = LIMIT,
    progress: Callable[[str], None] = lambda _: None,
    surroundings: Surroundings | None = None,
) -> _Work:
    resolved = tally.resolve(name, environment=environment)
    password = resolved.cord.password
    if not isinstance(password, Locator):
        raise FieldError(f"{resolved.title} says nowhere where its password is kept: there is nothing to rotate")
    accounts = accounts_of(resolved.cord.engine)
    next_to(password)
    refuse_unwritable(password, surroundings)
    if mode is Mode.ALTERNATE:
        _check_pair(resolved, password)
    if mode is Mode.GRACE and not accounts.TWO_PASSWORDS:
        engine = resolved.cord.engine
        raise FieldError(f"an account of {engine} has one password; two users take turns with --alternate")
    around = surroundings or Surroundings(folder=tally.folder)
    chosen = by or _settings(tally, name).get("by")
    administrator = None
    if chosen is not None:
        within = environment if environment and str(chosen) in tally.environments[environment] else None
        administrator = tally.cord(str(chosen), environment=within)
    path = journal_path(tally.path, resolved.title)
    return _Work(tally, resolved, mode, password, around, administrator, limit, progress, accounts, path)


def _settings(tally: Tally, name: str) -> dict[str, object]:
    return dict(tally.rotations.get(name, {}))


def _check_pair(resolved: Resolved, password: Locator) -> None:
    user = resolved.cord.user
    if not isinstance(user, Locator):
        raise FieldError(
            f'{resolved.title}: two users take turns where the user is kept in the store, too: user = "LOCATOR"'
        )
    together = user.scheme == password.scheme and user.scheme in {"envfile", "chest", "remote"}
    if not together or (user.scheme != "chest" and _place(user) != _place(password)):
        raise FieldError(
            f"{resolved.title}: user and password are kept in two places, and somebody could read one before and one "
            "after the change: keep both in one file, chest or document"
        )


def _place(locator: Locator) -> str:
    return locator.rest.partition("#")[0]


@contextmanager
def _alone(work: _Work) -> Iterator[None]:
    """Keep other rotations of the cord away."""
    work.path.parent.mkdir(0o700, parents=True, exist_ok=True)
    with ExitStack() as stack:
        try:
            stack.enter_context(locked(work.path, limit=_LOCK))
        except LocatorError:
            raise FieldError(f"{work.resolved.title} is being rotated by somebody else") from None
        yield


def _in_use(work: _Work) -> tuple[str, Secret]:
    """User and password as the store has them, out of one read."""
    user = work.cord.user
    if isinstance(user, Locator):
        name, password = fetch_together([user, work.password], work.around)
        return name.unmask(), password
    return work.cord.user_name, fetch(work.password, work.around)


def _pending(work: _Work) -> Secret | None:
    """The password that waits beside the one in use, if a rotation was begun."""
    try:
        return fetch(next_to(work.password), work.around)
    except LocatorError:
        return None


def _other(work: _Work, user: str) -> str:
    users = _settings(work.tally, work.resolved.name).get("users")
    if not isinstance(users, list) or len(users) != 2 or user not in users:
        raise FieldError(
            f"{work.resolved.title}: say who take turns, the one in use among them: [rotations.{work.resolved.name}] "
            f'users = ["gauge_a", "gauge_b"]'
        )
    return str(users[1 - users.index(user)])


def _rotate(work: _Work, entry: Entry | None, length: int, grace: float | None) -> Rotation:
    user, current = _in_use(work)
    pending = _pending(work)
    begun = entry is not None and entry.state == "begun"
    to = entry.to if begun and entry is not None else _other(work, user) if work.mode is Mode.ALTERNATE else user
    if begun and pending is None and work.mode is Mode.ALTERNATE and to == user:  # all was done but to say so
        return _ended(work, user, to, grace)
    if pending is None:
        if not work.proves(user, current):
            raise ServerError(f"{work.resolved.title}: the password in use does not log in: nothing is rotated")
        work.say("the password in use logs in")
        _check_rest(work, entry, to)
        session, _ = _administer(work, user, to, current)
        server_for(work.cord.engine).close(session)
        write_entry(
            work.path,
            Entry(cord=work.resolved.title, mode=work.mode.value, state="begun", user=user, to=to, when=time.time()),
        )
        pending = draw(length)
        put(next_to(work.password), pending, work.around)
        work.say("a new one is drawn, and kept beside it")
    if not work.proves(to, pending):
        _tell_server(work, user, to, current, pending)
    work.say("the new one logs in")
    if isinstance(work.cord.user, Locator):
        put_together({work.cord.user: Secret(to), work.password: pending}, work.around)
    else:
        put(work.password, pending, work.around)
    work.say("it is the one in use")
    if not work.proves(*_in_use(work)):
        raise ServerError(
            f"{work.resolved.title}: what the store gives does not log in: the new one is kept beside it, too"
        )
    drop(next_to(work.password), work.around)
    work.say("what the store gives logs in")
    return _ended(work, user, to, grace)


def _ended(work: _Work, user: str, to: str, grace: float | None) -> Rotation:
    """Say in the journal that it is done, or that the password before lives on."""
    state = "grace" if work.mode is Mode.GRACE else "done"
    until = time.time() + grace if grace is not None and state == "grace" else None
    made = Entry(
        cord=work.resolved.title, mode=work.mode.value, state=state, user=user, to=to, when=time.time(), until=until
    )
    write_entry(work.path, made)
    return replace(_told(work, user, to, "rotated" if state == "done" else state), until=until)


def _check_rest(work: _Work, entry: Entry | None, to: str) -> None:
    """Refuse to touch a user whom somebody may still be logging in with: it was left not long ago."""
    if work.mode is not Mode.ALTERNATE:
        return
    stated = _settings(work.tally, work.resolved.name).get("rest")
    rest = REST if stated is None else _seconds(str(stated))
    left = entry.when if entry is not None and entry.state == "done" else None
    if left is None:
        left = describe(work.password, work.around).changed
    if left is not None and time.time() < left + rest:
        ago = time.time() - left
        raise FieldError(
            f"{work.resolved.title}: {to} was left {ago:.0f} s ago, and somebody may still log in with it: it rests "
            f"for {rest:g} s, by [rotations.{work.resolved.name}] rest"
        )


def _seconds(text: str) -> float:
    from ..model import Duration

    return Duration.parse(text).seconds


def _administer(work: _Work, user: str, to: str, password: Secret) -> tuple[Session, Account]:
    """A session that may change the password, and the account; refused where it would not last."""
    server = server_for(work.cord.engine)
    deadline = Deadline(work.limit)
    try:
        own = work.log_in(user, password)
    except Refusal as refusal:
        raise work.error(refusal) from None
    session = own
    try:
        account = work.accounts.account_of(own, to, deadline)
        if work.by is not None:
            from ..secrets import with_secret

            session = server.log_in(with_secret(work.by, work.around), deadline)
            server.close(own)
        work.accounts.refuse(session, account, deadline, two=work.mode is Mode.GRACE)
    except Refusal as refusal:
        server.close(session)
        raise work.error(refusal) from None
    except CordTallyError:
        server.close(session)
        raise
    return session, account


def _tell_server(work: _Work, user: str, to: str, current: Secret, pending: Secret) -> None:
    """Let the server know the new password, and prove it; where it is refused, all is put back."""
    session, account = _administer(work, user, to, current)
    deadline = Deadline(work.limit)
    both = [current.unmask(), pending.unmask()] if work.mode is Mode.GRACE else [pending.unmask()]
    try:
        work.accounts.set_passwords(session, account, both, deadline)
        work.say("the server knows it")
        if work.proves(to, pending):
            return
        if work.mode is Mode.ALTERNATE:
            back = "its password is another one now, and nobody uses it"
        else:
            work.accounts.set_passwords(session, account, [current.unmask()], Deadline(work.limit))
            back = "the server has the old one again"
        drop(next_to(work.password), work.around)
        write_entry(
            work.path,
            Entry(cord=work.resolved.title, mode=work.mode.value, state="done", user=user, to=user, when=0.0),
        )
        raise ServerError(
            f"{work.resolved.title}: the server took the new password, and a log-in through {place_of(work.cord)} is "
            f"refused: perhaps a pooler with passwords of its own stands between; {back}"
        )
    except Refusal as refusal:
        raise work.error(refusal) from None
    finally:
        server_for(work.cord.engine).close(session)


def _told(work: _Work, user: str, to: str, state: str) -> Rotation:
    return Rotation(
        cord=work.resolved.title,
        engine=work.cord.engine,
        mode=work.mode,
        user=user,
        to=to,
        kept_at=str(work.password),
        state=state,
        steps=tuple(work.done),
    )
