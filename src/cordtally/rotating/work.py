"""What a rotation needs at hand: the cord and its account, what the store has, and a server that is asked and told."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from ..catalog import load_stores
from ..deadline import Deadline
from ..errors import CordTallyError, FieldError, LocatorError, ServerError
from ..journal import note
from ..model import Cord, Locator, Secret
from ..secrets import Surroundings, fetch, fetch_together, refuse_unwritable, with_secret
from ..secrets.locking import locked
from ..secrets.siblings import next_to
from ..servers import Refusal, Session, place_of, server_for
from ..servers.accounts import Account, Accounts, accounts_of
from ..tally import Resolved, Tally
from .journal import journal_path
from .rotation import Mode, Rotation

LIMIT = 10.0  # seconds for each question to the server
_LOCK = 2.0


@dataclass(slots=True)
class Work:
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
        """The cord."""
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


def prepare(
    tally: Tally,
    name: str,
    environment: str | None,
    mode: Mode,
    *,
    by: str | None = None,
    limit: float = LIMIT,
    progress: Callable[[str], None] = lambda _: None,
    surroundings: Surroundings | None = None,
) -> Work:
    """Look at what is asked for, and refuse what the engine, or the way that the secret is kept, does not allow.

    Raises
    ------
    FieldError, LocatorError
        Saying what to do instead.
    """
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
    chosen = by or settings_of(tally, name).get("by")
    administrator = None
    if chosen is not None:
        within = environment if environment and str(chosen) in tally.environments[environment] else None
        administrator = tally.cord(str(chosen), environment=within)
    path = journal_path(tally.path, resolved.title)
    return Work(tally, resolved, mode, password, around, administrator, limit, progress, accounts, path)


def settings_of(tally: Tally, name: str) -> dict[str, object]:
    """The table ``[rotations.NAME]`` of a cord."""
    return dict(tally.rotations.get(name, {}))


def _check_pair(resolved: Resolved, password: Locator) -> None:
    user = resolved.cord.user
    if not isinstance(user, Locator):
        raise FieldError(
            f'{resolved.title}: two users take turns where the user is kept in the store, too: user = "LOCATOR"'
        )
    together = user.scheme == password.scheme and load_stores()[user.scheme].one_read
    if not together or _place(user) != _place(password):
        raise FieldError(
            f"{resolved.title}: user and password are kept in two places, and somebody could read one before and one "
            "after the change: keep both in one file, chest or document"
        )


def _place(locator: Locator) -> str:
    """The file or document of a locator, which stands before its #; empty where it is the store's usual one."""
    return locator.rest.rpartition("#")[0]


@contextmanager
def alone(work: Work) -> Iterator[None]:
    """Keep other rotations of the cord away."""
    work.path.parent.mkdir(0o700, parents=True, exist_ok=True)
    with ExitStack() as stack:
        try:
            stack.enter_context(locked(work.path, limit=_LOCK))
        except LocatorError:
            raise FieldError(f"{work.resolved.title} is being rotated by somebody else") from None
        yield


def in_use(work: Work) -> tuple[str, Secret]:
    """User and password as the store has them, out of one read."""
    user = work.cord.user
    if isinstance(user, Locator):
        name, password = fetch_together([user, work.password], work.around)
        return name.unmask(), password
    return work.cord.user_name, fetch(work.password, work.around)


def pending_of(work: Work) -> Secret | None:
    """The password that waits beside the one in use, if a rotation was begun."""
    try:
        return fetch(next_to(work.password), work.around)
    except LocatorError:
        return None


def other_user(work: Work, user: str) -> str:
    """The one of two users whose turn it is.

    Raises
    ------
    FieldError
        Where the tally does not say who they are.
    """
    users = settings_of(work.tally, work.resolved.name).get("users")
    if not isinstance(users, list) or len(users) != 2 or user not in users:
        raise FieldError(
            f"{work.resolved.title}: say who take turns, the one in use among them: [rotations.{work.resolved.name}] "
            f'users = ["gauge_a", "gauge_b"]'
        )
    return str(users[1 - users.index(user)])


def administer(work: Work, user: str, to: str, password: Secret) -> tuple[Session, Account]:
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


def told(work: Work, user: str, to: str, state: str) -> Rotation:
    """Say how a rotation stands."""
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
