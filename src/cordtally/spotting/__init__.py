"""Candidates inside a larger text: lines, strings of programs, values of files that hold settings."""

from .files import spot_file
from .lines import Candidate, spot
from .lookups import is_telling
from .sifting import Stretch, blocks, sift
from .spots import Spot
from .values import names_no_secret

__all__ = ["Candidate", "Spot", "Stretch", "blocks", "is_telling", "names_no_secret", "sift", "spot", "spot_file"]
