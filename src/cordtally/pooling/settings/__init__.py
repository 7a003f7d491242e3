"""Settings of pool libraries: read, converted from one to another with a ledger, and vetted."""

from .convert import PoolConversion, convert_pool
from .reading import PoolSettings, read_settings
from .vet import ServerLimits, vet_pool

__all__ = [
    "PoolConversion",
    "PoolSettings",
    "ServerLimits",
    "convert_pool",
    "read_settings",
    "vet_pool",
]
