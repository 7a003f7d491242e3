"""What a dial yields: six rungs, each with its outcome and its time, and for the one that broke a cause and a hint."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from typing import NamedTuple

from ..catalog import load_engine
from ..figures import show_seconds
from ..results import Result
from ..servers import Answer, Refusal

RUNGS = ("resolve", "reach", "secure", "log in", "database", "answer")


class RungOutcome(enum.Enum):
    """How a rung ended."""

    HELD = "held"
    NOT_NEEDED = "not needed"
    BROKE = "broke"
    NOT_TRIED = "not tried"


class Diagnosis(NamedTuple):
    """A cause, in one sentence, and what to do about it; the server's own code for it, where it is told.

    ``id`` is the cause's in the catalog: ``cordtally dial --explain`` prints what is known of it.
    """

    cause: str
    hint: str
    code: str | None = None
    id: str = "not-known"

    @classmethod
    def of(cls, refusal: Refusal) -> Diagnosis:
        """Make the diagnosis of a refusal."""
        known = refusal.known.id if refusal.known is not None else "not-known"
        return cls(refusal.cause, refusal.hint, refusal.code, known)


@dataclass(frozen=True, slots=True, kw_only=True)
class Rung:
    """One stage of a dial; ``more`` is further detail, ``seconds`` the time that it took, None where it was not tried.

    ``in_clear`` says that the connection is not encrypted, and leaves this machine.
    """

    name: str
    outcome: RungOutcome
    detail: str
    seconds: float | None = None
    in_clear: bool = False
    more: tuple[str, ...] = ()

    def to_dict(self) -> dict[str, object]:
        """Give the rung as plain values."""
        return {
            "name": self.name,
            "outcome": self.outcome.value,
            "detail": self.detail,
            "more": list(self.more),
            "seconds": self.seconds,
            "in_clear": self.in_clear,
        }


class RoundTrips(NamedTuple):
    """How long some questions took (s): each one's time, in their order."""

    seconds: tuple[float, ...]

    @property
    def median(self) -> float:
        """The middle one."""
        return sorted(self.seconds)[len(self.seconds) // 2]

    @property
    def p99(self) -> float:
        """The longest but one in a hundred; of fewer the longest."""
        return sorted(self.seconds)[min(len(self.seconds) - 1, int(len(self.seconds) * 0.99))]


@dataclass(frozen=True, slots=True, kw_only=True, repr=False)
class DialResult(Result):
    """The result of a dial: what was dialled, through which driver, how each rung ended, and what the server says.

    ``verified`` is how far the server was verified, None where the connection is not encrypted, ``host`` or ``chain``,
    or empty; ``notes`` are what does not break, and is good to know.
    """

    _rows = "rungs"
    target: str
    engine: str
    driver: str
    rungs: tuple[Rung, ...]
    diagnosis: Diagnosis | None = None
    answer: Answer | None = None
    verified: str | None = None
    round_trips: RoundTrips | None = None
    notes: tuple[str, ...] = ()

    def _summary(self) -> str:
        told = "answers" if self.diagnosis is None else f"broke at {self.broke_at}: {self.diagnosis.cause}"
        return f"{self.target} {told}"

    def __bool__(self) -> bool:
        """Whether every rung held."""
        return self.held

    @property
    def held(self) -> bool:
        """Whether every rung held."""
        return self.diagnosis is None

    @property
    def broke_at(self) -> str | None:
        """The rung that broke, None where all held."""
        return next((r.name for r in self.rungs if r.outcome is RungOutcome.BROKE), None)

    @property
    def seconds(self) -> float:
        """How long all rungs took together."""
        return sum(rung.seconds or 0.0 for rung in self.rungs)

    @property
    def connecting(self) -> float:
        """How long all rungs but the last took together: until the first question could be asked."""
        return sum(rung.seconds or 0.0 for rung in self.rungs if rung.name != "answer")

    @property
    def sentence(self) -> str:
        """The end of it all, in one sentence."""
        if self.diagnosis is not None or self.answer is None:
            return self._summary()
        answer, time = self.answer, f"in {show_seconds(self.seconds)}"
        if load_engine(self.engine).embedded:
            return f"Opened {self.target} with {answer.called}, {time}."
        whom = f" as {answer.user}" if answer.user else ""
        where = f" to {answer.database}" if answer.database else ""
        if answer.encrypted:
            word = {"host": "encrypted and verified", "chain": "encrypted, the host's name not compared"}
            how = word.get(self.verified or "", "encrypted, and nobody verified")
        elif self.verified is not None and answer.encrypted is None:
            how = "encrypted and verified" if self.verified == "host" else "encrypted"
        else:
            how = "not encrypted"
        through = f" through {answer.through}" if answer.through else ""
        return f"Connected{whom}{where} on {answer.called}{through}, {how}, {time}."

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/dial/1``."""
        trips = self.round_trips
        return {
            "schema": "cordtally/dial/1",
            "target": self.target,
            "engine": self.engine,
            "driver": self.driver,
            "held": self.held,
            "broke_at": self.broke_at,
            "cause": None if self.diagnosis is None else self.diagnosis.cause,
            "cause_id": None if self.diagnosis is None else self.diagnosis.id,
            "hint": None if self.diagnosis is None else self.diagnosis.hint,
            "code": None if self.diagnosis is None else self.diagnosis.code,
            "seconds": self.seconds,
            "rungs": [rung.to_dict() for rung in self.rungs],
            "verified": self.verified,
            "answer": None if self.answer is None else self.answer.to_dict(),
            "round_trip_seconds": None if trips is None else {"median": trips.median, "p99": trips.p99},
            "notes": list(self.notes),
        }


class RungNotNeeded(Exception):
    """Says that the rung that is being tried does not apply."""


class RungInClear(Exception):
    """Says that the rung that is being tried leaves the connection in plain text."""

    def __init__(self, detail: str, outcome: RungOutcome) -> None:
        super().__init__(detail)
        self.outcome = outcome
