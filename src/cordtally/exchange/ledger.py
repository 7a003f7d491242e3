"""The ledger: the line-by-line account of what became of each part in a conversion."""

from __future__ import annotations

import enum
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from ..results import Result


class Outcome(enum.Enum):
    """What became of a part."""

    KEPT = "kept"
    RENAMED = "renamed"
    RESCALED = "rescaled"
    REWORDED = "reworded"
    IMPLIED = "implied"
    APPROXIMATED = "approximated"
    DROPPED = "dropped"
    ADDED = "added"

    @property
    def is_loss(self) -> bool:
        """Whether the target means something else than the source."""
        return self in {Outcome.APPROXIMATED, Outcome.DROPPED}


class LedgerLine(NamedTuple):
    """One line: the part, how it stood in the source, how it stands in the target, what happened, and why."""

    part: str
    source: str | None
    target: str | None
    outcome: Outcome
    reason: str | None = None

    def to_dict(self) -> dict[str, object]:
        """Give the line with the keys of the machine output."""
        return {
            "part": self.part,
            "from": self.source,
            "to": self.target,
            "outcome": self.outcome.value,
            "reason": self.reason,
        }


@dataclass(frozen=True, slots=True, repr=False)
class Ledger(Result):
    """All lines of one conversion; nothing that was lost is missing here."""

    _rows = "ledger"
    lines: tuple[LedgerLine, ...]

    def to_dict(self) -> dict[str, object]:
        """Give the lines as they stand in ``cordtally/writing/1``."""
        return {"ledger": [line.to_dict() for line in self.lines]}

    def _summary(self) -> str:
        return f"{len(self.lines)} lines, {len(self.losses)} dropped or approximated"

    def __iter__(self) -> Iterator[LedgerLine]:
        return iter(self.lines)

    def __len__(self) -> int:
        return len(self.lines)

    @property
    def losses(self) -> tuple[LedgerLine, ...]:
        """The lines of what was dropped or approximated."""
        return tuple(line for line in self.lines if line.outcome.is_loss)

    def line(self, part: str) -> LedgerLine | None:
        """Find the line of a part; the worst one where there are several."""
        found = [line for line in self.lines if line.part == part]
        return next((line for line in found if line.outcome.is_loss), found[0] if found else None)

    def declares(self, part: str) -> bool:
        """Whether the ledger says that this part reads back differently."""
        openly = {Outcome.APPROXIMATED, Outcome.DROPPED, Outcome.IMPLIED}
        return any(line.part == part and line.outcome in openly for line in self.lines)
