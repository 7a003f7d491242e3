"""Chooses a pool size for a load, and says why."""

from .answer import PoolRow, PoolSizing
from .load import PoolLoad, hold_from_percentiles
from .sensitivity import Headroom
from .size import size_pool

__all__ = ["Headroom", "PoolLoad", "PoolRow", "PoolSizing", "hold_from_percentiles", "size_pool"]
