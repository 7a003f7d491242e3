"""Vetting of any subject: a text, a cord, a tally, a file in which connection strings stand, a whole tree.

Trees are loaded when one is asked for: vetting a text needs nothing of what walks and parses files.
"""

from typing import TYPE_CHECKING

from .audit import vet
from .texts import vet_text

if TYPE_CHECKING:
    from .trees import Vetted, vet_tree

__all__ = ["Vetted", "vet", "vet_text", "vet_tree"]


def __getattr__(name: str) -> object:
    if name in {"Vetted", "vet_tree"}:
        from . import trees

        return getattr(trees, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
