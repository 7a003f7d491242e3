"""Pools: how many connections, computed, simulated and measured."""

from .quantities import (
    TimeoutTarget,
    WaitTarget,
    parse_rate,
    parse_target,
    show_coefficient,
)
from .queues import blocking, mean_wait, wait_probability, wait_quantile
from .queues.contention import Contention
from .sizing import PoolLoad, PoolRow, PoolSizing, hold_from_percentiles, size_pool

__all__ = [
    "Contention",
    "PoolLoad",
    "PoolRow",
    "PoolSizing",
    "TimeoutTarget",
    "WaitTarget",
    "blocking",
    "hold_from_percentiles",
    "mean_wait",
    "parse_rate",
    "parse_target",
    "show_coefficient",
    "size_pool",
    "wait_probability",
    "wait_quantile",
]
