"""Which level of TLS a driver will take for a cord."""

from __future__ import annotations

from ..catalog import load_driver
from ..model import Cord, TlsLevel


def level_of(cord: Cord, driver: str) -> TlsLevel:
    """The level that the driver will take: unstated means what it does by itself."""
    default = load_driver(driver).tls_default
    return cord.tls.level or (TlsLevel(default) if default else TlsLevel.OPPORTUNISTIC)
