"""What a connection is, whatever the notation: `Cord` and its parts. No I/O, no grammar of any text.

A part that only contains a secret becomes a `MaskedText` when its object is made, whoever makes it.
"""

from __future__ import annotations

import enum
from collections.abc import Awaitable, Callable
from dataclasses import KW_ONLY, MISSING, dataclass, fields, replace
from typing import Any

from .secret import Locator, MaskedText, Secret, clear
from .suspicion import clear_name, guard, guard_full_name, guard_host, guard_path, guard_user
from .values import ByteSize, Duration

OptionValue = str | int | bool | float | Duration | ByteSize | Secret
Pairs = tuple[tuple[str, OptionValue], ...]
Words = str | MaskedText
"""A text that is no secret; masked where it contains one. `clear` gives it as the driver reads it."""


def _put(self: object, name: str, value: object) -> None:
    """Set a field of a frozen object while it is being made."""
    object.__setattr__(self, name, value)


class TlsLevel(enum.Enum):
    """How much the transport protects, from nothing to everything; ordered."""

    OFF = "off"
    """Plain text."""
    OPPORTUNISTIC = "opportunistic"
    """Encrypted if the other side offers it, plain text if not; nobody is verified."""
    ENCRYPTED = "encrypted"
    """Encrypted or no connection; nobody is verified."""
    VERIFY_CHAIN = "verify-chain"
    """Encrypted, and a trusted authority signed the certificate, whatever name it bears."""
    VERIFY_IDENTITY = "verify-identity"
    """Encrypted, signed by a trusted authority, and issued for the host that was asked for."""

    @property
    def rank(self) -> int:
        """The place in the order, from 0 (off) to 4 (verify-identity)."""
        return _TLS_ORDER[self]

    def __lt__(self, other: object) -> bool:
        return self.rank < other.rank if isinstance(other, TlsLevel) else NotImplemented

    def __le__(self, other: object) -> bool:
        return self.rank <= other.rank if isinstance(other, TlsLevel) else NotImplemented


_TLS_ORDER = {level: rank for rank, level in enumerate(TlsLevel)}


class AuthenticationMethod(enum.Enum):
    """What proves who is calling."""

    PASSWORD = "password"
    INTEGRATED = "integrated"
    KERBEROS = "kerberos"
    CERTIFICATE = "certificate"
    TOKEN = "token"
    KEY_PAIR = "key-pair"
    SERVICE_ACCOUNT = "service-account"
    NONE = "none"


_BY_OPTION = {
    "login_token": AuthenticationMethod.TOKEN,
    "login_key": AuthenticationMethod.KEY_PAIR,
    "credentials_file": AuthenticationMethod.SERVICE_ACCOUNT,
}
"""What an option that is given says of the log-in."""


class DiscoveryKind(enum.Enum):
    """What has to be looked up before there is a host."""

    DIRECT = "direct"
    SRV = "srv"
    ALIAS = "alias"
    SERVICE = "service"


@dataclass(frozen=True, slots=True)
class Host:
    """One place to connect to.

    ``address`` is a DNS name, an IPv4 or IPv6 address (without brackets, a zone allowed), or, starting with ``/``,
    the path of a Unix socket; ``port`` is None where none is stated; ``instance`` names one of several servers there.
    """

    address: Words
    port: int | None = None
    instance: str | None = None

    def __post_init__(self) -> None:
        if type(self.address) is str and (guarded := guard_host(self.address)) is not self.address:
            _put(self, "address", guarded)

    @property
    def name(self) -> str:
        """The address as the driver reads it."""
        return self.address if isinstance(self.address, str) else self.address.unmask()

    @property
    def is_socket(self) -> bool:
        """Whether the address is a path in the file system (or an abstract socket, ``@name``)."""
        return self.name[:1] in {"/", "@"}

    @property
    def is_local(self) -> bool:
        """Whether this can only be the machine itself: a socket, a loopback address, ``localhost`` (RFC 6761, 6.3)."""
        name = self.name.lower().removesuffix(".")
        if self.is_socket or name in {"", "localhost"} or name.endswith(".localhost"):
            return True
        from ipaddress import ip_address

        try:
            return ip_address(name.partition("%")[0]).is_loopback
        except ValueError:
            return False

    def __str__(self) -> str:
        address = str(self.address)
        shown = f"[{address}]" if ":" in address and isinstance(self.address, str) and not self.is_socket else address
        shown = shown if self.instance is None else f"{shown}\\{self.instance}"
        return shown if self.port is None else f"{shown}:{self.port}"


@dataclass(frozen=True, slots=True)
class Authentication:
    """How to log in, where a text states it; ``method`` None leaves it to the credentials that are given."""

    method: AuthenticationMethod | None = None
    realm: Words | None = None

    def __post_init__(self) -> None:
        if type(self.realm) is str and (guarded := guard(self.realm)) is not self.realm:
            _put(self, "realm", guarded)


@dataclass(frozen=True, slots=True)
class Tls:
    """Transport security; ``level`` None where nothing is stated and the driver's default rules."""

    level: TlsLevel | None = None
    ca: Words | None = None
    certificate: Words | None = None
    key: Words | None = None
    key_password: Secret | None = None

    def __post_init__(self) -> None:
        for name in ("ca", "certificate", "key"):
            value = getattr(self, name)
            if type(value) is str and (guarded := guard(value)) is not value:
                _put(self, name, guarded)


@dataclass(frozen=True, slots=True)
class Discovery:
    """What is looked up first: a service record, an alias, a named service, or nothing."""

    kind: DiscoveryKind = DiscoveryKind.DIRECT
    name: Words | None = None

    def __post_init__(self) -> None:
        if type(self.name) is str and (guarded := guard_path(self.name)) is not self.name:
            _put(self, "name", guarded)


NO_AUTHENTICATION = Authentication()
NO_TLS = Tls()
DIRECT = Discovery()


@dataclass(frozen=True, slots=True)
class Cord:
    """One described connection, independent of any notation.

    ``options`` maps canonical names to typed values; ``native`` maps ``vocabulary/name`` to what only that driver
    knows, so that a text which is read and written for the same driver loses nothing. Both are sorted tuples of pairs.
    User and password may be kept elsewhere: then they are locators.
    """

    engine: str
    hosts: tuple[Host, ...] = ()
    database: Words | None = None
    user: Words | Locator | None = None
    password: Secret | Locator | None = None
    _: KW_ONLY
    authentication: Authentication = NO_AUTHENTICATION
    tls: Tls = NO_TLS
    discovery: Discovery = DIRECT
    options: Pairs = ()
    native: Pairs = ()

    def __post_init__(self) -> None:
        if type(self.database) is str and (guarded := guard_path(self.database)) is not self.database:
            _put(self, "database", guarded)
        if type(self.user) is str and (guarded := guard_user(self.user)) is not self.user:
            _put(self, "user", guarded)
        for _, value in self.options:
            if type(value) is str and guard(value) is not value:
                _put(self, "options", tuple((n, guard(v) if type(v) is str else v) for n, v in self.options))
                break
        if self.native:
            _put(self, "native", _guarded_native(self.native))

    def option(self, name: str) -> OptionValue | None:
        """Give the value of a canonical option, or None where the cord does not state it."""
        return next((value for key, value in self.options if key == name), None)

    def copy_with(self, **changes: object) -> Cord:
        """Make a changed copy; ``options`` may be given as a mapping."""
        for key in ("options", "native"):
            if isinstance(given := changes.get(key), dict):
                changes[key] = tuple(sorted(given.items()))
        return replace(self, **changes)  # type: ignore[arg-type]

    def over(self, other: Cord) -> Cord:
        """Lay this cord over another one: what is stated here counts, and the engine and the rest are the other's."""
        stated: dict[str, object] = {}
        for name, unstated in _UNSTATED.items():
            mine = getattr(self, name)
            if name in {"options", "native"}:
                stated[name] = tuple(sorted({**dict(getattr(other, name)), **dict(mine)}.items()))
            elif name in {"tls", "authentication"}:
                told = {n: v for n in type(mine).__slots__ if (v := getattr(mine, n)) is not None}
                stated[name] = replace(getattr(other, name), **told)
            elif mine != unstated:
                stated[name] = mine
        return replace(other, **stated)  # type: ignore[arg-type]

    def split(self, belongs: Callable[[str], bool]) -> tuple[Cord, Cord]:
        """Part the cord in two: what ``belongs``, asked by the ledger's names of parts, and the rest."""
        mine: dict[str, object] = {}
        rest: dict[str, object] = {}
        for name in ("database", "user", "password", "discovery"):
            (mine if belongs(name) else rest)[name] = getattr(self, name)
        (mine if belongs("host") else rest)["hosts"] = self.hosts
        for name in ("authentication", "tls"):
            whole = getattr(self, name)
            for half, wanted in ((mine, True), (rest, False)):
                chosen = {n: getattr(whole, n) for n in type(whole).__slots__ if belongs(f"{name}.{n}") is wanted}
                half[name] = type(whole)(**chosen)
        for name in ("options", "native"):
            for half, wanted in ((mine, True), (rest, False)):
                half[name] = tuple(p for p in getattr(self, name) if belongs(f"{name}.{clear_name(p[0])}") is wanted)
        return Cord(self.engine, **mine), Cord(self.engine, **rest)  # type: ignore[arg-type]

    @property
    def user_name(self) -> str:
        """The user as the driver reads it; empty where none is stated, or where the name is kept elsewhere."""
        return "" if self.user is None or isinstance(self.user, Locator) else clear(self.user)

    @property
    def login(self) -> AuthenticationMethod:
        """The log-in method: the stated one, or else the one that the given credentials imply."""
        if self.authentication.method is not None:
            return self.authentication.method
        if self.password is not None:
            return AuthenticationMethod.PASSWORD
        if self.tls.certificate:
            return AuthenticationMethod.CERTIFICATE
        stated = {name for name, _ in self.options}
        return next((method for name, method in _BY_OPTION.items() if name in stated), AuthenticationMethod.NONE)

    def arguments(self, driver: str) -> dict[str, object]:
        """What to pass to the driver's connect function; the secret is fetched now.

        See `cordtally.arguments_for`.
        """
        from .. import arguments_for  # the face, which knows where each function lives

        return arguments_for(self, driver)

    def text(self, target: str) -> str:
        """What to hand to a driver or a toolkit as its connection string; the secret is fetched now, and in clear.

        See `cordtally.text_for`.
        """
        from .. import text_for

        return text_for(self, target)

    def environment(self, driver: str) -> dict[str, str]:
        """Give the variables of the environment that a client reads, its secret fetched now, and in clear.

        See `cordtally.environment_for`.
        """
        from .. import environment_for

        return environment_for(self, driver)

    def opener(self, driver: str, **more: object) -> Callable[[], Any]:
        """A callable of no arguments that opens a connection, each time with the secret as it is then.

        See `cordtally.opener_for`.
        """
        from .. import opener_for

        return opener_for(self, driver, None, **more)

    def async_opener(self, driver: str, **more: object) -> Callable[[], Awaitable[Any]]:
        """Like `opener`, to be awaited: the secret is fetched without keeping the loop waiting.

        See `cordtally.async_opener_for`.
        """
        from .. import async_opener_for

        return async_opener_for(self, driver, None, **more)

    def connect(self, driver: str, **more: object) -> Any:  # noqa: ANN401 -- a connection of whichever driver
        """Open one connection; an asynchronous driver's is to be awaited.

        See `cordtally.opener_for`.
        """
        return self.opener(driver, **more)()

    def log_in(self) -> tuple[str, str]:
        """User and password in clear, fetched now.

        See `cordtally.log_in_of`.
        """
        from .. import log_in_of

        return log_in_of(self)


_UNSTATED = {f.name: f.default for f in fields(Cord) if f.default is not MISSING}


def _guarded_native(pairs: Pairs) -> Pairs:
    """Guard names and values: the names, too, are those of a text that may have been misread."""
    return tuple((guard_full_name(name), guard(value) if type(value) is str else value) for name, value in pairs)
