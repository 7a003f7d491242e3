"""What a tally declares of commands, services and brokers that its locators name: checked, and fixed from then on."""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from ..errors import FieldError
from ..model import Duration, Locator
from .pointers import check_pointer

KINDS = {"exec": "commands", "remote": "remotes", "broker": "brokers"}
"""The table of a tally that a scheme's names stand in."""


class Misdeclared(FieldError):
    """A value of a declaration that cannot be meant, with its key."""

    def __init__(self, key: str, message: str) -> None:
        self.key = key
        super().__init__(message)


@dataclass(frozen=True, slots=True, kw_only=True)
class Command:
    """A program with its arguments, and the seconds that it has; relative paths start from the ``folder``."""

    name: str
    folder: str
    run: tuple[str, ...]
    time_limit: float = 10.0
    writable = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Service:
    """Whom to ask over HTTP, and how: what remotes and brokers have in common."""

    name: str
    url: str
    headers: tuple[tuple[str, str], ...] = ()
    header: str = "Authorization"
    scheme: str = "Bearer "
    token: Locator | None = None
    ca: str | None = None
    time_limit: float = 5.0
    attempts: int = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Remote(Service):
    """A service that keeps values by path and key; it is written by the method that it has."""

    pointer: str = ""
    body: str = ""
    write: str | None = None

    @property
    def writable(self) -> bool:
        """Whether it takes values."""
        return self.write is not None


@dataclass(frozen=True, slots=True, kw_only=True)
class About:
    """The connection that a token is for."""

    user: str = ""
    host: str = ""
    port: int | None = None
    database: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Broker(Service):
    """A service that issues tokens which expire, and what for."""

    method: str = "POST"
    request: tuple[tuple[str, object], ...] = ()
    value: str = "/token"
    expires_in: str = "/expires_in"
    expires_at: str = "/expires_at"
    user: str = ""
    about: About = About()
    writable = False


Declared = Command | Remote | Broker


def declare(
    kind: str, name: str, fields: Mapping[str, object], folder: Path, locator: Callable[[str], Locator]
) -> Declared:
    """Make a declaration of a table of a tally.

    Parameters
    ----------
    kind : str
        ``commands``, ``remotes`` or ``brokers``.
    name : str
        What it is called.
    fields : mapping
        The table; its keys are known to be such as the table may have.
    folder : Path
        Where relative paths start.
    locator : callable
        Reads the locator of a token.

    Raises
    ------
    Misdeclared
        Where a value cannot be meant.
    """
    given = {key: _value(key, value, folder, locator) for key, value in fields.items()}
    if kind == "commands":
        if not given.get("run"):
            raise Misdeclared("run", 'run is the program with its arguments: ["harbour-keys", "tides"]')
        return Command(name=name, folder=str(folder), **given)  # type: ignore[arg-type]
    if not given.get("url"):
        raise Misdeclared("url", "url is the address of the service")
    return (Remote if kind == "remotes" else Broker)(name=name, **given)  # type: ignore[arg-type]


def _value(key: str, value: object, folder: Path, locator: Callable[[str], Locator]) -> object:
    try:
        match key:
            case "run":
                if not isinstance(value, list) or not value or not all(isinstance(one, str) for one in value):
                    raise FieldError('it is a list of texts, without a shell: ["harbour-keys", "tides"]')
                return tuple(value)
            case "time_limit":
                seconds = Duration.parse(str(value)).seconds
                if not 0 < seconds <= 3600:
                    raise FieldError("it is more than 0 and at most 1h")
                return seconds
            case "attempts":
                if not isinstance(value, int) or not 1 <= value <= 10:
                    raise FieldError("it is a number from 1 to 10")
                return value
            case "url":
                return _url(_text(value))
            case "headers" | "request":
                if not isinstance(value, dict):
                    raise FieldError("it is a table")
                return tuple(sorted(value.items()))
            case "token":
                return locator(_text(value))
            case "ca":
                return str((folder / Path(_text(value)).expanduser()).resolve())
            case "pointer" | "body" | "value" | "expires_in" | "expires_at" | "user":
                return check_pointer(_text(value))
            case "write" | "method":
                known = ("PUT", "POST", "PATCH") if key == "write" else ("GET", "POST", "PUT")
                if value not in known:
                    raise FieldError(f"it is one of {', '.join(known)}")
                return value
    except ValueError as error:
        raise Misdeclared(key, f"{key}: {error}") from None
    return _text(value)


def _text(value: object) -> str:
    if not isinstance(value, str):
        raise FieldError("it is a text")
    return value


def _url(url: str) -> str:
    """An address that nobody between can read: of https, or of this machine."""
    parts = urlsplit(url)
    if parts.username is not None or parts.password is not None:
        raise FieldError("it holds a secret, or a user: give token, which says where the token is kept")
    if parts.scheme not in {"http", "https"} or not parts.hostname:
        raise FieldError("it begins with https:// and a host")
    if parts.scheme == "http" and not _is_here(parts.hostname):
        raise FieldError("it begins with https://: without it others between could read the secret")
    return url


def _is_here(host: str) -> bool:
    try:
        return host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False
