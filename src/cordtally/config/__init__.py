"""Connections in the files of frameworks: what a file declares, and edits of one part that leave the rest alone."""

from .amending import Amendment, amend, amend_all
from .declarations import Declared, declared_as, declared_in, declared_of, secret_state
from .emitting import Emission, emit, emitted_layouts
from .folders import declared_below
from .merging import Merged, merge
from .programs import emit_program, load_programs
from .uses import Use, find_uses, names_given, names_looked_up
from .variables import read_variables

__all__ = [
    "Amendment",
    "Declared",
    "Emission",
    "Merged",
    "Use",
    "amend",
    "amend_all",
    "declared_as",
    "declared_below",
    "declared_in",
    "declared_of",
    "emit",
    "emit_program",
    "emitted_layouts",
    "find_uses",
    "load_programs",
    "merge",
    "names_given",
    "names_looked_up",
    "read_variables",
    "secret_state",
]
