"""Connections in the files of frameworks: what a file declares, and edits of one part that leave the rest alone."""

from .amending import Amendment, amend
from .declarations import Declared, declared_as, declared_in, secret_state

__all__ = ["Amendment", "Declared", "amend", "declared_as", "declared_in", "secret_state"]
