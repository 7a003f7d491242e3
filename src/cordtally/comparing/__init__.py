"""Two cords, in whatever notation they were written: do they lead to the same place?"""

from .comparison import QUESTIONS, Comparison, Difference, compare

__all__ = ["QUESTIONS", "Comparison", "Difference", "compare"]
