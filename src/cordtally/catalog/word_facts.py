"""The shapes of what the catalog has words for: options, remarks, stores of secrets, causes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from ..records import Record
from .facts import NOTHING


class CanonicalOption(Record):
    """An option under its full, driver-independent name; ``usual`` brackets the durations that people mean.

    A default that ``matters`` changes what a program sees, so that a conversion speaks of it; what an option
    ``bears_on`` (``server``, ``database``, ``security``) is not only ``behaviour`` to a comparison. A word that a
    driver lacks may be written as one that is ``near``, which is an approximation.
    """

    name: str
    type: Literal["str", "int", "bool", "duration", "bytes", "word", "object"]
    meaning: str
    values: tuple[str, ...] = ()
    near: Mapping[str, str] | None = None
    usual: tuple[str, ...] = ()
    secret: bool = False
    matters: bool = False
    bears_on: Literal["server", "database", "user", "security", "behaviour"] = "behaviour"


class RemarkWords(Record):
    """The words for one case that readers remark; see ``remarks.toml``."""

    message: str
    hint: str
    otherwise: str = ""
    words: Mapping[str, Mapping[str, str]] = NOTHING

    def say(self, facts: Mapping[str, str]) -> tuple[str, str]:
        """Give the message and the hint, filled with the facts of one remark."""
        filled = {name: self.words.get(name, {}).get(value, value) for name, value in facts.items()}
        lacking = self.otherwise and any(f"{{{name}}}" in self.hint for name, value in filled.items() if not value)
        return self.message.format(**filled), (self.otherwise if lacking else self.hint).format(**filled)


class Store(Record):
    """A keeper of secrets behind a locator's scheme: what follows the scheme, an example, and what can be done there.

    ``asks`` says what fetching costs: ``nothing``, a ``file``, a ``process``, the ``network`` or a ``person``.
    ``beside`` is put behind the rest of a locator for the secret that comes after it; with ``one_read`` several
    secrets of one place come out of one read and go in with one write.
    """

    scheme: str
    title: str
    rest: str
    example: str
    asks: Literal["nothing", "file", "process", "network", "person"]
    writes: bool = False
    lists: bool = False
    expires: bool = False
    beside: str = ""
    one_read: bool = False


class Saying(Record):
    """Words of a server's that tell where its code does not: the whole message, untranslated, ``*`` for any name."""

    of: str
    says: str


class Cause(Record):
    """Why a dial broke.

    ``title`` is one sentence, with holes for what was dialled; ``means`` what the codes say and no more, ``reasons``
    what is likely, the likeliest first, ``do`` the first thing to do, and ``on`` what to do on an engine; ``codes``
    and ``words`` lead here; ``alike`` says what cannot be told apart from outside, and how to find out; of
    ``credentials`` are causes that lie with user and password, ``full`` those where all connections are taken, and
    where ``tls_may_help`` it is looked whether TLS would.
    """

    id: str
    rung: str
    title: str
    means: str
    reasons: tuple[str, ...]
    do: str
    codes: tuple[str, ...] = ()
    words: tuple[Saying, ...] = ()
    on: Mapping[str, str] = NOTHING
    alike: str | None = None
    credentials: bool = False
    full: bool = False
    tls_may_help: bool = False
