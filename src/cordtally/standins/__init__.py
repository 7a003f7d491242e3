"""Small servers that stand in for services which cannot run here: for trying things out, for the demo, for tests.

``python -m cordtally.standins keeper`` starts one on loopback, with a certificate of its own authority; so do
``broker``, ``mongodb``, ``sqlserver`` and ``oracle``. They keep everything in memory and are no place for a real
secret. No other part of Cord Tally imports them.
"""

from .authority import Authority
from .broker import TokenBroker
from .keeper import SecretKeeper
from .users import RedisUsers

__all__ = ["Authority", "RedisUsers", "SecretKeeper", "TokenBroker"]
