"""What a store of secrets is, and which there are: one module a store, found by the scheme of its locators.

Other packages add stores by the entry point group ``cordtally.stores``: a name is a scheme, its object a `Store` or
what makes one.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from importlib import import_module
from pathlib import Path
from typing import NamedTuple, Protocol, runtime_checkable

from ..catalog import load_stores, plugged_stores
from ..errors import FieldError, LocatorError

LARGEST_SECRET = 65536  # bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class Surroundings:
    """What fetching may rely on: the folder that relative paths start from, the variables, and a way to ask.

    ``declared`` is what the tally of a locator declares of what it names.
    """

    folder: Path = field(default_factory=Path)
    environ: Mapping[str, str] = field(default_factory=lambda: os.environ)
    ask: Callable[[str], str] | None = None
    declared: object = None


class Described(NamedTuple):
    """What a store tells of a secret besides itself: where it is, since when, until when, and who else may read it.

    ``changed`` and ``expires`` are seconds since 1970 (time.time), None where the store does not know.
    """

    where: str
    changed: float | None = None
    expires: float | None = None
    others_may_read: bool = False
    file: str | None = None
    """The file that holds it in clear."""


@runtime_checkable
class Store(Protocol):
    """A keeper of secrets. ``rest`` is what follows the scheme of a locator and its colon.

    Each function raises LocatorError where the secret is not there or the store does not let it: the message names
    the place and what to do, never a secret.
    """

    scheme: str
    writable: bool
    expires: bool
    """Whether what it keeps ends by itself."""

    def get(self, rest: str, around: Surroundings) -> str:
        """Give a secret."""

    def put(self, rest: str, secret: str, around: Surroundings) -> None:
        """Keep a secret, in place of one that is there."""

    def drop(self, rest: str, around: Surroundings) -> None:
        """Keep a secret no longer."""

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List what a store, a folder or a file of it keeps, each as the rest of a locator."""

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell of a secret without giving it."""


@runtime_checkable
class Together(Protocol):
    """A store that reads and writes several secrets of one place in one go, so that no pair of them is torn."""

    def get_together(self, rests: Sequence[str], around: Surroundings) -> list[str]:
        """Give several secrets, all as they were at one moment where they are of one place."""

    def put_together(self, secrets: Mapping[str, str], around: Surroundings) -> None:
        """Keep several secrets, by their rests: all of one place, or none of them."""


class ReadOnly:
    """A store that cannot be written by a program."""

    scheme = ""
    writable = False
    expires = False

    def put(self, rest: str, secret: str, around: Surroundings) -> None:
        """Refuse.

        Raises
        ------
        LocatorError
            Always.
        """
        raise LocatorError(f"{self.scheme}: cannot be written from here: use another store, like envfile: or file:")

    def drop(self, rest: str, around: Surroundings) -> None:
        """Refuse.

        Raises
        ------
        LocatorError
            Always.
        """
        raise LocatorError(f"{self.scheme}: cannot be written from here")


_HOME = {
    "env": ("environment", "Environment"),
    "envfile": ("variables_files", "VariablesFiles"),
    "file": ("files", "Files"),
    "credential": ("credentials", "Credentials"),
    "keychain": ("keychains", "Keychains"),
    "chest": ("chests", "Chests"),
    "exec": ("commands", "Commands"),
    "remote": ("remotes", "Remotes"),
    "broker": ("brokers", "Brokers"),
    "ask": ("asking", "Person"),
}
_MADE: dict[str, Store] = {}


def store_of(scheme: str) -> Store:
    """Give the store of a scheme.

    Raises
    ------
    FieldError
        When there is none, or one that another package brings is no store.
    """
    if scheme not in _MADE:
        _MADE[scheme] = _made(scheme)
    return _MADE[scheme]


def _made(scheme: str) -> Store:
    if scheme in _HOME:
        module, name = _HOME[scheme]
        store: Store = getattr(import_module(f".{module}", __package__), name)()
        return store
    if scheme not in plugged_stores():
        known = ", ".join([*load_stores(), *plugged_stores()])
        raise FieldError(f"no store has the scheme of this locator; there are {known}")
    brought = plugged_stores()[scheme].load()
    made = brought() if isinstance(brought, type) else brought
    if not isinstance(made, Store):
        raise FieldError(f"{plugged_stores()[scheme].value} is no store: it has not all of {', '.join(_MEMBERS)}")
    return made


_MEMBERS = ("scheme", "writable", "expires", "get", "put", "drop", "names", "describe")
