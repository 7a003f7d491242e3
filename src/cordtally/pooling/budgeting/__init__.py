"""Shares one server's connections among services: who may use how much, the worst case, and the best shares."""

from .allocation import Allocation, allocate
from .budget import Budget, BudgetRow, make_budget
from .services import Pooler, Server, Service, read_services

__all__ = [
    "Allocation",
    "Budget",
    "BudgetRow",
    "Pooler",
    "Server",
    "Service",
    "allocate",
    "make_budget",
    "read_services",
]
