"""Least privilege: the statements that make a user who may do what a cord needs and nothing else."""

from .creating import create_database, creation_of
from .grants import Grants, apply_grants, grants_for
from .statements import ACCESS, ENGINES

__all__ = ["ACCESS", "ENGINES", "Grants", "apply_grants", "create_database", "creation_of", "grants_for"]
