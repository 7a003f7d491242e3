"""Notices when this machine stands still, and tells which stretches of time to leave out for it.

A virtual machine, a laptop that saves power or a busy neighbour stops everything for a moment; what is measured then is
not the server. Stretches are chosen by the clock alone, never by what was measured in them, so that leaving them out
favours neither short nor long waits.
"""

from __future__ import annotations

from time import perf_counter, process_time, sleep
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    Array = np.ndarray[tuple[int], np.dtype[np.float64]]
    Mask = np.ndarray[tuple[int], np.dtype[np.bool_]]

_NAP = 0.01
_LATE = 0.04  # less than that is the scheduler's usual doing
_BEFORE = 0.3  # what began so shortly before may have been under way
_AFTER, _RECOVERY = 0.3, 8.0  # a queue takes ρ / (1 − ρ) times as long as a stall to drain: 8 holds up to 0.89


class Stalls:
    """The stretches to leave out, in seconds of `time.perf_counter`, in order and apart from each other."""

    def __init__(self) -> None:
        self.longest = 0.0
        self.stretches: list[tuple[float, float]] = []

    def nap(self) -> None:
        """Sleep for a moment, and notice if it takes longer although this process itself did not work meanwhile."""
        before, worked = perf_counter(), process_time()
        sleep(_NAP)
        late = perf_counter() - before - _NAP
        if late > _LATE and process_time() - worked < late / 2:
            self.longest = max(self.longest, late)
            self.add(before, before + late)

    def add(self, begin: float, end: float) -> None:
        """Note that the machine stood still from ``begin`` to ``end``; later ones come later."""
        first, last = begin - _BEFORE, end + _AFTER + _RECOVERY * (end - begin)
        if self.stretches and self.stretches[-1][1] >= first:
            first, before = self.stretches.pop()
            last = max(before, last)
        self.stretches.append((first, last))

    def lost(self, begin: float, end: float) -> float:
        """Seconds between two instants that are left out."""
        return sum(max(0.0, min(end, last) - max(begin, first)) for first, last in self.stretches)

    def outside(self, instants: Array) -> Mask:
        """Which instants are not left out."""
        kept = np.ones(len(instants), dtype=bool)
        for first, last in self.stretches:
            kept &= (instants < first) | (instants > last)
        return kept
