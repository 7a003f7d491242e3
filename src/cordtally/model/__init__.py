"""The model: what a connection is. Frozen values without I/O and without any text grammar."""

from .cord import (
    DIRECT,
    NO_AUTHENTICATION,
    NO_TLS,
    Authentication,
    AuthenticationMethod,
    Cord,
    Discovery,
    DiscoveryKind,
    Host,
    OptionValue,
    Tls,
    TlsLevel,
    Words,
)
from .secret import MASK, Locator, MaskedText, Secret, clear
from .values import ByteSize, Duration, as_seconds

__all__ = [
    "DIRECT",
    "MASK",
    "NO_AUTHENTICATION",
    "NO_TLS",
    "Authentication",
    "AuthenticationMethod",
    "ByteSize",
    "Cord",
    "Discovery",
    "DiscoveryKind",
    "Duration",
    "Host",
    "Locator",
    "MaskedText",
    "OptionValue",
    "Secret",
    "Tls",
    "TlsLevel",
    "Words",
    "as_seconds",
    "clear",
]
