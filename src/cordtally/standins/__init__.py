"""Small servers that stand in for services which cannot run here: for trying things out, for the demo, for tests.

``python -m cordtally.standins keeper`` and ``… broker`` start one on loopback, with a certificate of its own authority.
They keep everything in memory and are no place for a real secret. No other part of Cord Tally imports them.
"""

from .authority import Authority
from .broker import TokenBroker
from .keeper import SecretKeeper
from .users import RedisUsers

__all__ = ["Authority", "RedisUsers", "SecretKeeper", "TokenBroker"]
