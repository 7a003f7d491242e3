"""The tally: a project's list of cords, with environments and without secrets."""

from .files import FILE_NAME, find_tally
from .layers import FieldOrigin, Lost
from .loading import load
from .tally import Accept, Resolved, Tally

__all__ = ["FILE_NAME", "Accept", "FieldOrigin", "Lost", "Resolved", "Tally", "find_tally", "load"]
