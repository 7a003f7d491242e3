"""Queues of requests before a pool: exact where a formula exists, else published approximations with their error."""

from .bursty import BurstyPool, burst_stream, renewal_stream
from .contention import NO_CONTENTION, Contention, crowded_pool
from .erlang import blocking, mean_wait, wait_probability, wait_quantile
from .finite import FinitePool
from .general import GeneralPool
from .patience import OpenPool, patient_pool
from .waits import Waits

__all__ = [
    "NO_CONTENTION",
    "BurstyPool",
    "Contention",
    "FinitePool",
    "GeneralPool",
    "OpenPool",
    "Waits",
    "blocking",
    "burst_stream",
    "crowded_pool",
    "mean_wait",
    "patient_pool",
    "renewal_stream",
    "wait_probability",
    "wait_quantile",
]
