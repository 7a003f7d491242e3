"""Whole searches: sweeping a tree, or what a repository ever held, for connection strings and credentials.

What is not asked for is not loaded: most trees are searched without a hit.
"""

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .files import sweep_text as sweep_text
    from .history import History as History
    from .history import Past as Past
    from .history import sweep_history as sweep_history
    from .hits import Hit as Hit
    from .hits import Sweep as Sweep
    from .inventory import Inventory as Inventory
    from .inventory import Row as Row
    from .inventory import take_inventory as take_inventory
    from .judging import SECRETS as SECRETS
    from .places import public_folder as public_folder
    from .searching import sweep as sweep
    from .versions import Commit as Commit
    from .versions import is_tracked as is_tracked

_HOME = {
    **dict.fromkeys(("History", "Past", "sweep_history"), ".history"),
    **dict.fromkeys(("Inventory", "Row", "take_inventory"), ".inventory"),
    **dict.fromkeys(("Hit", "Sweep"), ".hits"),
    **dict.fromkeys(("Commit", "is_tracked"), ".versions"),
    "SECRETS": ".judging",
    "public_folder": ".places",
    "sweep": ".searching",
    "sweep_text": ".files",
}
__all__ = sorted(_HOME)  # noqa: PLE0605 -- a sorted list is a list


def __getattr__(name: str) -> object:
    if name not in _HOME:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    value = globals()[name] = getattr(import_module(_HOME[name], __name__), name)
    return value
