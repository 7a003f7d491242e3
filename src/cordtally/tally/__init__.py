"""The tally: a project's list of cords, with environments and without secrets."""

from .tally import FILE_NAME, Accept, FieldOrigin, Resolved, Tally, find_tally, load

__all__ = ["FILE_NAME", "Accept", "FieldOrigin", "Resolved", "Tally", "find_tally", "load"]
