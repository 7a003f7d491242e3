"""What a sweep reports: hits with their places, and files that were passed over, each with its reason."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from ..results import Result
from ..vetting import RuleId, Severity


@dataclass(frozen=True, slots=True, kw_only=True)
class Hit:
    """One thing that a sweep found; lines and columns count from 1; ``masked`` may be shown, and holds no secret.

    ``kind`` is ``cord``, ``pair`` or ``reference``; ``name`` is what the secret is the value of, or the variable that
    is looked up. ``reason`` says in words why the severity is what it is, ``confidence`` how sure it is that this is
    what the rule says: ``certain``, ``likely`` or ``possible``. What is ``accepted`` is so for that reason. A ``mark``
    tells equal secrets from others within one run, and is nothing outside of it.
    """

    path: Path
    line: int
    column: int
    end_line: int
    end_column: int
    kind: str
    rule: RuleId
    severity: Severity
    confidence: str
    reason: str
    engine: str | None
    driver: str | None
    environment: str | None
    name: str | None
    masked: str
    accepted: str | None = None
    mark: bytes = field(default=b"", repr=False)

    def to_dict(self) -> dict[str, object]:
        """Give the hit as plain values."""
        return {
            "path": self.path.as_posix(),
            "line": self.line,
            "column": self.column,
            "end_line": self.end_line,
            "end_column": self.end_column,
            "kind": self.kind,
            "rule": self.rule.value,
            "severity": self.severity.value,
            "confidence": self.confidence,
            "reason": self.reason,
            "engine": self.engine,
            "driver": self.driver,
            "environment": self.environment,
            "name": self.name,
            "masked": self.masked,
            "accepted": self.accepted,
        }


@dataclass(slots=True, repr=False)
class Sweep(Result):
    """The result of a sweep: hits by place, those that are accepted apart, and what was passed over."""

    _rows = "hits"
    root: Path
    hits: list[Hit] = field(default_factory=list)
    accepted: list[Hit] = field(default_factory=list)
    files: int = 0
    binary: int = 0
    too_large: list[Path] = field(default_factory=list)
    unreadable: list[Path] = field(default_factory=list)

    def _summary(self) -> str:
        hits, files = len(self.hits), self.files
        return f"{hits} hit{'' if hits == 1 else 's'} in {files} file{'' if files == 1 else 's'} of {self.root}"

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/sweep/1``."""
        return {
            "schema": "cordtally/sweep/1",
            "root": self.root.as_posix(),
            "files": self.files,
            "skipped": {
                "binary": self.binary,
                "too_large": len(self.too_large),
                "unreadable": len(self.unreadable),
            },
            "not_read": [path.as_posix() for path in [*self.too_large, *self.unreadable]],
            "hits": [hit.to_dict() for hit in self.hits],
            "accepted": [hit.to_dict() for hit in self.accepted],
        }
