"""What a dial yields: six rungs, each with its outcome and its time, and for the one that broke a cause and a hint."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from typing import NamedTuple

from ..results import Result

RUNGS = ("resolve", "reach", "secure", "log in", "database", "answer")


class RungOutcome(enum.Enum):
    """How a rung ended."""

    HELD = "held"
    NOT_NEEDED = "not needed"
    BROKE = "broke"
    NOT_TRIED = "not tried"


class Diagnosis(NamedTuple):
    """A likely cause, in one sentence, and what to do about it; the server's own code for it, where it is told."""

    cause: str
    hint: str
    code: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Rung:
    """One stage of a dial; ``seconds`` is the time that it took, None where it was not tried.

    ``in_clear`` says that the connection is not encrypted, and leaves this machine.
    """

    name: str
    outcome: RungOutcome
    detail: str
    seconds: float | None = None
    in_clear: bool = False

    def to_dict(self) -> dict[str, object]:
        """Give the rung as plain values."""
        return {
            "name": self.name,
            "outcome": self.outcome.value,
            "detail": self.detail,
            "seconds": self.seconds,
            "in_clear": self.in_clear,
        }


@dataclass(frozen=True, slots=True, kw_only=True, repr=False)
class DialResult(Result):
    """The result of a dial: what was dialled, through which driver, and how each rung ended."""

    _rows = "rungs"
    target: str
    engine: str
    driver: str
    rungs: tuple[Rung, ...]
    diagnosis: Diagnosis | None = None

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

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/dial/1``."""
        return {
            "schema": "cordtally/dial/1",
            "target": self.target,
            "engine": self.engine,
            "driver": self.driver,
            "held": self.held,
            "broke_at": self.broke_at,
            "cause": None if self.diagnosis is None else self.diagnosis.cause,
            "hint": None if self.diagnosis is None else self.diagnosis.hint,
            "code": None if self.diagnosis is None else self.diagnosis.code,
            "rungs": [rung.to_dict() for rung in self.rungs],
        }


class RungBroke(Exception):
    """Ends a dial at the rung that is being tried."""

    def __init__(self, diagnosis: Diagnosis) -> None:
        super().__init__(diagnosis.cause)
        self.diagnosis = diagnosis


class RungNotNeeded(Exception):
    """Says that the rung that is being tried does not apply."""


class RungInClear(Exception):
    """Says that the rung that is being tried leaves the connection in plain text."""

    def __init__(self, detail: str, outcome: RungOutcome) -> None:
        super().__init__(detail)
        self.outcome = outcome
