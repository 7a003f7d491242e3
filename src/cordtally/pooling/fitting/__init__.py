"""Takes rates, holds and contention from what people have recorded."""

from .fit import FittedLoad, PoolFit, fit_pool, fit_trace, read_fit

__all__ = ["FittedLoad", "PoolFit", "fit_pool", "fit_trace", "read_fit"]
