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

import time
from collections.abc import Callable
from dataclasses import replace

from ..deadline import Deadline
from ..errors import FieldError, ServerError, shielded
from ..model import Duration, Locator, Secret
from ..secrets import Surroundings, describe, drop, put, put_together
from ..secrets.drawing import USUAL, draw
from ..secrets.siblings import next_to
from ..servers import Refusal, place_of, server_for
from ..tally import Tally
from .journal import Entry, read_entry, write_entry
from .rotation import Mode, Rotation
from .work import LIMIT, Work, administer, alone, in_use, other_user, pending_of, prepare, settings_of, told

REST = 3600.0  # seconds that a user who was left is not touched


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
    work = prepare(tally, name, environment, mode, surroundings=surroundings)
    user = in_use(work)[0] if isinstance(work.cord.user, Locator) else work.cord.user_name
    to = other_user(work, user) if mode is Mode.ALTERNATE else user
    return told(work, user, to, "planned")


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
    work = prepare(tally, name, environment, mode, by=by, limit=limit, progress=progress, surroundings=surroundings)
    with alone(work):
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
    work = prepare(
        tally, name, environment, Mode.GRACE, by=by, limit=limit, progress=progress, surroundings=surroundings
    )
    with alone(work):
        entry = read_entry(work.path)
        if entry is None or entry.state != "grace":
            raise FieldError(f"{work.resolved.title}: no password before it is known to live on")
        if entry.until is not None and time.time() < entry.until:
            left = entry.until - time.time()
            raise FieldError(
                f"{work.resolved.title}: the password before lives for {left:.0f} s more, as was asked for"
            )
        user, password = in_use(work)
        session, account = administer(work, user, user, password)
        try:
            work.accounts.set_passwords(session, account, [password.unmask()], Deadline(limit))
        except Refusal as refusal:
            raise work.error(refusal) from None
        finally:
            server_for(work.cord.engine).close(session)
        work.say("the password before is ended")
        write_entry(work.path, replace(entry, state="done", when=time.time(), until=None))
        return told(work, user, user, "finished")


def _rotate(work: Work, entry: Entry | None, length: int, grace: float | None) -> Rotation:
    user, current = in_use(work)
    pending = pending_of(work)
    begun = entry is not None and entry.state == "begun"
    to = entry.to if begun and entry is not None else other_user(work, user) if work.mode is Mode.ALTERNATE else user
    if pending == current:  # it is the one in use already, whatever became of the journal
        to = user
    if begun and pending is None and work.mode is Mode.ALTERNATE and to == user:  # all was done but to say so
        return _ended(work, user, to, grace)
    if pending is None:
        if not work.proves(user, current):
            raise ServerError(f"{work.resolved.title}: the password in use does not log in: nothing is rotated")
        work.say("the password in use logs in")
        _check_rest(work, entry, to)
        session, _ = administer(work, user, to, current)
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
    if not work.proves(*in_use(work)):
        raise ServerError(
            f"{work.resolved.title}: what the store gives does not log in: the new one is kept beside it, too"
        )
    drop(next_to(work.password), work.around)
    work.say("what the store gives logs in")
    return _ended(work, user, to, grace)


def _ended(work: Work, user: str, to: str, grace: float | None) -> Rotation:
    """Say in the journal that it is done, or that the password before lives on."""
    state = "grace" if work.mode is Mode.GRACE else "done"
    until = time.time() + grace if grace is not None and state == "grace" else None
    made = Entry(
        cord=work.resolved.title, mode=work.mode.value, state=state, user=user, to=to, when=time.time(), until=until
    )
    write_entry(work.path, made)
    return replace(told(work, user, to, "rotated" if state == "done" else state), until=until)


def _check_rest(work: Work, entry: Entry | None, to: str) -> None:
    """Refuse to touch a user whom somebody may still be logging in with: it was left not long ago."""
    if work.mode is not Mode.ALTERNATE:
        return
    stated = settings_of(work.tally, work.resolved.name).get("rest")
    rest = REST if stated is None else Duration.parse(str(stated)).seconds
    left = entry.when if entry is not None and entry.state == "done" else None
    if left is None:
        left = describe(work.password, work.around).changed
    if left is not None and time.time() < left + rest:
        ago = time.time() - left
        raise FieldError(
            f"{work.resolved.title}: {to} was left {ago:.0f} s ago, and somebody may still log in with it: it rests "
            f"for {rest:g} s, by [rotations.{work.resolved.name}] rest"
        )


def _tell_server(work: Work, user: str, to: str, current: Secret, pending: Secret) -> None:
    """Let the server know the new password, and prove it; where it is refused, all is put back."""
    session, account = administer(work, user, to, current)
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
