"""Whole searches: sweeping a tree, or what a repository ever held, for connection strings and credentials."""

from .files import sweep_text
from .history import History, Past, sweep_history
from .hits import Hit, Sweep
from .inventory import Inventory, Row, take_inventory
from .judging import SECRETS
from .places import public_folder
from .searching import sweep
from .versions import Commit, is_tracked

__all__ = [
    "SECRETS",
    "Commit",
    "History",
    "Hit",
    "Inventory",
    "Past",
    "Row",
    "Sweep",
    "is_tracked",
    "public_folder",
    "sweep",
    "sweep_history",
    "sweep_text",
    "take_inventory",
]
