"""``broker:NAME``: a token that a service issues for a while, used as a password; ``#user`` is whom it is for.

A token is kept in memory and renewed ahead of its end. However many threads and tasks ask, one renewal is under way at
a time, and nobody waits for it who can still have a valid token. Where it fails, the valid one is kept, and the failure
is told through ``logging``; where there is none, the failure is remembered for a moment.
"""

from __future__ import annotations

import asyncio
import logging
import os
import random
import re
import threading
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, field
from datetime import datetime
from email.utils import parsedate_to_datetime
from urllib.parse import urlsplit

from ..errors import CordTallyError, LocatorError
from ..model import Secret
from .declarations import About, Broker
from .pointers import parse_json, text_at, value_at
from .stores import Described, ReadOnly, Surroundings
from .web import Answer, Request, ask

_REST = re.compile(r"[A-Za-z][\w-]*(?P<user>#user)?")
_RENEWED_AT = (0.65, 0.75)  # of its life; spread, so that many programs do not ask at one moment
_REMEMBERED = 1.0  # seconds that a failure is told again without asking
_CLOCK = getattr(time, "CLOCK_BOOTTIME", None)  # runs on while a machine sleeps, as the broker's clock does


@dataclass(frozen=True, slots=True)
class Token:
    """What was issued: the token, its user, when it is renewed and ends (by `now`), and its end by the calendar."""

    value: Secret
    user: str
    renewed: float
    ends: float
    expires: float


@dataclass(slots=True)
class _Kept:
    """What is known of one broker's tokens for one connection."""

    token: Token | None = None
    renewal: Future[Token] | None = None
    failed: LocatorError | None = None
    again: float = 0.0
    lock: threading.Lock = field(default_factory=threading.Lock)


@dataclass(slots=True)
class _Registry:
    kept: dict[Broker, _Kept] = field(default_factory=dict)
    lock: threading.Lock = field(default_factory=threading.Lock)


_REGISTRY = _Registry()


def now() -> float:
    """Seconds of a clock that nobody sets."""
    return time.monotonic() if _CLOCK is None else time.clock_gettime(_CLOCK)


def forget_tokens() -> None:
    """Forget all tokens, so that the next of each is asked for anew: in a process that was forked, and for tests."""
    _REGISTRY.lock = threading.Lock()
    _REGISTRY.kept.clear()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=forget_tokens)  # the thread that renews is not in the child


class Brokers(ReadOnly):
    """Tokens that brokers issue."""

    scheme = "broker"
    expires = True

    def get(self, rest: str, around: Surroundings) -> str:
        """Give a token that is still valid."""
        return self.get_together([rest], around)[0]

    def get_together(self, rests: Sequence[str], around: Surroundings) -> list[str]:
        """Give parts of one token."""
        token = _token(_broker(around), around)
        return [_part(token, rest) for rest in rests]

    async def get_together_async(self, rests: Sequence[str], around: Surroundings) -> list[str]:
        """Give parts of one token without keeping a thread or the loop waiting."""
        found = _valid_or_coming(_broker(around), around)
        token = await asyncio.wrap_future(found) if isinstance(found, Future) else found
        return [_part(token, rest) for rest in rests]

    def put_together(self, secrets: Mapping[str, str], around: Surroundings) -> None:
        """Refuse."""
        self.put(next(iter(secrets)), "", around)

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List nothing: a token is issued when it is asked for."""
        return []

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell who issues it and when the present one ends."""
        broker = _broker(around)
        where = f"{urlsplit(broker.url).netloc}, by [brokers.{broker.name}]"
        return Described(where, expires=_token(broker, around).expires)


def _broker(around: Surroundings) -> Broker:
    if not isinstance(around.declared, Broker):
        message = "broker: no tally declares the broker: broker: locators are for a tally with [brokers.NAME]"
        raise LocatorError(message)
    return around.declared


def _part(token: Token, rest: str) -> str:
    match = _REST.fullmatch(rest)
    if match is None:
        raise LocatorError("broker: wants NAME, or NAME#user")
    if match["user"] and not token.user:
        raise LocatorError('broker: the answer names no user: say where it stands, like user = "/user"')
    return token.user if match["user"] else token.value.unmask()


def _token(broker: Broker, around: Surroundings) -> Token:
    found = _valid_or_coming(broker, around)
    return found.result() if isinstance(found, Future) else found


def _valid_or_coming(broker: Broker, around: Surroundings) -> Token | Future[Token]:
    """A token that is valid, or the one that is on its way."""
    kept = _REGISTRY.kept.get(broker)
    if kept is None:
        with _REGISTRY.lock:
            kept = _REGISTRY.kept.setdefault(broker, _Kept())
    token, moment = kept.token, now()
    if token is not None and moment < token.renewed:
        return token
    with kept.lock:
        token = kept.token
        valid = token is not None and moment < token.ends
        if kept.renewal is None and moment >= kept.again:
            kept.renewal = Future()
            threading.Thread(
                target=_renew, args=(broker, kept, around), name=f"broker {broker.name}", daemon=True
            ).start()
        if valid:
            assert token is not None
            return token
        if kept.renewal is not None:
            return kept.renewal
        assert kept.failed is not None
        raise LocatorError(str(kept.failed))


def _renew(broker: Broker, kept: _Kept, around: Surroundings) -> None:
    renewal = kept.renewal
    assert renewal is not None
    try:
        token = _issued(broker, around)
    except BaseException as error:  # whoever waits is told, whatever it is
        known = isinstance(error, CordTallyError)
        failed = LocatorError(str(error) if known else f"broker: {broker.name}: {type(error).__name__}")
        again = now() + _REMEMBERED * random.uniform(1, 1.5)  # spread, so that many programs do not ask at one moment
        with kept.lock:
            kept.renewal, kept.failed, kept.again = None, failed, again
        valid = kept.token is not None and now() < kept.token.ends
        if valid:
            logging.getLogger("cordtally.secrets").warning("the token is still valid and kept, but: %s", failed)
        renewal.set_exception(failed)
        return
    with kept.lock:
        kept.token, kept.renewal, kept.failed = token, None, None
    renewal.set_result(token)


def _issued(broker: Broker, around: Surroundings) -> Token:
    from .fetching import fetch  # which asks this store

    what = f"broker: {broker.name}"
    secret = None if broker.token is None else fetch(broker.token, around).unmask()
    document = {key: _filled(value, broker.about) for key, value in broker.request} or None
    asked, clock = now(), time.time()
    answer = ask(broker, Request(broker.method, broker.url, secret, document), what)
    told = parse_json(answer.text, what)
    life = _life(told, broker, answer, clock, what)
    if life <= 0:
        raise LocatorError(f"{what}: the token had expired when it came: look at the clocks")
    user = value_at(told, broker.user) if broker.user else None
    return Token(
        Secret(text_at(told, broker.value, what)),
        user if isinstance(user, str) else "",
        asked + life * random.uniform(*_RENEWED_AT),
        asked + life,
        clock + life,
    )


def _filled(value: object, about: About) -> object:
    """A value of the request with what it says of the connection put in."""
    if not isinstance(value, str):
        return value
    if value == "{port}":
        return about.port
    for name in ("user", "host", "port", "database"):
        found = getattr(about, name)
        value = value.replace(f"{{{name}}}", "" if found is None else str(found))
    return value


def _life(told: object, broker: Broker, answer: Answer, clock: float, what: str) -> float:
    """The seconds that a token is valid; by the service's clock where only its end is told."""
    for_seconds = value_at(told, broker.expires_in)
    if isinstance(for_seconds, int | float) or (isinstance(for_seconds, str) and for_seconds.isdigit()):
        return float(for_seconds)
    until = value_at(told, broker.expires_at)
    try:
        end = float(until) if isinstance(until, int | float) else datetime.fromisoformat(str(until)).timestamp()
    except ValueError:
        raise LocatorError(
            f"{what}: the answer does not say when the token ends, at {broker.expires_in} or {broker.expires_at}"
        ) from None
    try:
        return end - parsedate_to_datetime(answer.date).timestamp()
    except ValueError:
        return end - clock
