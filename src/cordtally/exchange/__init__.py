"""Meaning: a text read as its driver reads it, a cord written for any target, and the ledger between the two.

Each name is loaded when it is asked for: reading a text loads nothing that only writing needs.
"""

from __future__ import annotations

TYPE_CHECKING = False  # type checkers take it as true; nothing is imported for it
if TYPE_CHECKING:
    from .conversion import convert as convert
    from .conversion import convert_reading as convert_reading
    from .gathering import OptionRow as OptionRow
    from .gathering import Part as Part
    from .ledger import Ledger as Ledger
    from .ledger import LedgerLine as LedgerLine
    from .ledger import Outcome as Outcome
    from .reading import LARGEST_TEXT as LARGEST_TEXT
    from .reading import Reading as Reading
    from .reading import read as read
    from .targets import choose_target as choose_target
    from .targets import load_target as load_target
    from .writing import Writing as Writing
    from .writing import write as write

_HOME = {
    **dict.fromkeys(("convert", "convert_reading"), ".conversion"),
    **dict.fromkeys(("OptionRow", "Part"), ".gathering"),
    **dict.fromkeys(("Ledger", "LedgerLine", "Outcome"), ".ledger"),
    **dict.fromkeys(("LARGEST_TEXT", "Reading", "read"), ".reading"),
    **dict.fromkeys(("choose_target", "load_target"), ".targets"),
    **dict.fromkeys(("Writing", "write"), ".writing"),
}
__all__ = sorted(_HOME)  # noqa: PLE0605 -- a sorted list is a list


def __getattr__(name: str) -> object:
    if name not in _HOME:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    value = globals()[name] = getattr(import_module(_HOME[name], __name__), name)
    return value
