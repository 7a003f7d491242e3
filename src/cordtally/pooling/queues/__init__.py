"""Queues of requests before a pool: exact where a formula exists, else published approximations with their error."""

from .contention import NO_CONTENTION, Contention, crowded_pool
from .erlang import blocking, mean_wait, wait_probability, wait_quantile
from .finite import FinitePool
from .general import general_pool
from .patience import OpenPool, patient_pool
from .waits import Waits

__all__ = [
    "NO_CONTENTION",
    "Contention",
    "FinitePool",
    "OpenPool",
    "Waits",
    "blocking",
    "crowded_pool",
    "general_pool",
    "mean_wait",
    "patient_pool",
    "wait_probability",
    "wait_quantile",
]
