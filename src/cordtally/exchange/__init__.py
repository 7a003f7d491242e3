"""Meaning: a text read as its driver reads it, a cord written for any target, and the ledger between the two."""

from .comparing import Comparison, Difference, compare
from .composing import compose, parse_host, parse_option
from .conversion import convert, convert_reading
from .gathering import OptionRow, Part
from .ledger import Ledger, LedgerLine, Outcome
from .reading import LARGEST_TEXT, Reading, read
from .targets import choose_target, load_target
from .wallets import change_wallet
from .writing import Writing, write

__all__ = [
    "LARGEST_TEXT",
    "Comparison",
    "Difference",
    "Ledger",
    "LedgerLine",
    "OptionRow",
    "Outcome",
    "Part",
    "Reading",
    "Writing",
    "change_wallet",
    "choose_target",
    "compare",
    "compose",
    "convert",
    "convert_reading",
    "load_target",
    "parse_host",
    "parse_option",
    "read",
    "write",
]
