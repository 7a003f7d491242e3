"""Pools: how many connections, computed."""

from .quantities import WaitTarget, parse_rate, show_seconds
from .queue import blocking, mean_wait, wait_probability, wait_quantile
from .size import PoolLoad, PoolRow, PoolSizing, size_pool

__all__ = [
    "PoolLoad",
    "PoolRow",
    "PoolSizing",
    "WaitTarget",
    "blocking",
    "mean_wait",
    "parse_rate",
    "show_seconds",
    "size_pool",
    "wait_probability",
    "wait_quantile",
]
