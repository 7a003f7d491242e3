"""What a connection is, whatever the notation: `Cord` and its parts. No I/O, no grammar of any text."""

from __future__ import annotations

import enum
from dataclasses import dataclass, replace

from .secret import MASK, Locator, Secret, hides_secret
from .values import ByteSize, Duration

OptionValue = str | int | bool | float | Duration | ByteSize | Secret
Pairs = tuple[tuple[str, OptionValue], ...]


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
    NONE = "none"


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

    address: str
    port: int | None = None
    instance: str | None = None

    @property
    def is_socket(self) -> bool:
        """Whether the address is a path in the file system (or an abstract socket, ``@name``)."""
        return self.address[:1] in {"/", "@"}

    @property
    def shown(self) -> str:
        """The address as it may be shown: what stands before an ``@`` in it may be the end of a password."""
        if hides_secret(self.address):
            return MASK
        head, at, tail = self.address.rpartition("@")
        return f"{MASK}@{tail}" if at and head else self.address

    def __repr__(self) -> str:
        return f"Host({self.shown!r}, port={self.port!r}, instance={self.instance!r})"

    def __str__(self) -> str:
        address = self.shown
        shown = f"[{address}]" if ":" in address and not self.is_socket else address
        shown = shown if self.instance is None else f"{shown}\\{self.instance}"
        return shown if self.port is None else f"{shown}:{self.port}"


@dataclass(frozen=True, slots=True)
class Authentication:
    """How to log in, where a text states it; ``method`` None leaves it to the credentials that are given."""

    method: AuthenticationMethod | None = None
    realm: str | None = None


@dataclass(frozen=True, slots=True)
class Tls:
    """Transport security; ``level`` None where nothing is stated and the driver's default rules."""

    level: TlsLevel | None = None
    ca: str | None = None
    certificate: str | None = None
    key: str | None = None
    key_password: Secret | None = None


@dataclass(frozen=True, slots=True)
class Discovery:
    """What is looked up first: a service record, an alias, a named service, or nothing."""

    kind: DiscoveryKind = DiscoveryKind.DIRECT
    name: str | None = None


NO_AUTHENTICATION = Authentication()
NO_TLS = Tls()
DIRECT = Discovery()


@dataclass(frozen=True, slots=True)
class Cord:
    """One described connection, independent of any notation.

    ``options`` maps canonical names to typed values; ``native`` maps ``vocabulary/name`` to what only that driver
    knows, so that a text which is read and written for the same driver loses nothing. Both are sorted tuples of pairs.
    """

    engine: str
    hosts: tuple[Host, ...] = ()
    database: str | None = None
    user: str | None = None
    password: Secret | Locator | None = None
    authentication: Authentication = NO_AUTHENTICATION
    tls: Tls = NO_TLS
    discovery: Discovery = DIRECT
    options: Pairs = ()
    native: Pairs = ()

    def option(self, name: str) -> OptionValue | None:
        """Give the value of a canonical option, or None where the cord does not state it."""
        return next((value for key, value in self.options if key == name), None)

    def copy_with(self, **changes: object) -> Cord:
        """Make a changed copy; ``options`` may be given as a mapping."""
        for key in ("options", "native"):
            if isinstance(given := changes.get(key), dict):
                changes[key] = tuple(sorted(given.items()))
        return replace(self, **changes)  # type: ignore[arg-type]

    @property
    def login(self) -> AuthenticationMethod:
        """The log-in method: the stated one, or else the one that the given credentials imply."""
        if self.authentication.method is not None:
            return self.authentication.method
        if self.password is not None:
            return AuthenticationMethod.PASSWORD
        return AuthenticationMethod.CERTIFICATE if self.tls.certificate else AuthenticationMethod.NONE

    def arguments(self, driver: str) -> dict[str, object]:
        """What to pass to the driver's connect function; the secret is fetched now.

        See `cordtally.arguments_for`.
        """
        from importlib import import_module

        made = import_module("cordtally.secrets.passing").arguments_for(self, driver)
        assert isinstance(made, dict)
        return made
