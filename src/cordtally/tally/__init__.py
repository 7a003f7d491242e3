"""The tally: a project's list of cords, with environments and without secrets."""

from typing import TYPE_CHECKING

from .files import FILE_NAME, find_tally
from .layers import FieldOrigin, Lost
from .loading import load
from .tally import Accept, Resolved, Ruling, Tally

if TYPE_CHECKING:
    from .watching import TallyChange, Watching

__all__ = [
    "FILE_NAME",
    "Accept",
    "FieldOrigin",
    "Lost",
    "Resolved",
    "Ruling",
    "Tally",
    "TallyChange",
    "Watching",
    "find_tally",
    "load",
]


def __getattr__(name: str) -> object:
    if name in {"TallyChange", "Watching"}:  # which need threads, and are seldom wanted
        from . import watching

        return getattr(watching, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
