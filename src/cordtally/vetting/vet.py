"""Runs all checks on a text, a reading or a cord. Files and tallies are left to the layers above."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from ..exchange import Reading, read
from ..model import Cord, Secret
from .findings import Finding
from .options import check_remarks, check_units
from .security import check_files, check_login, check_password, check_split, check_tls


def vet_text(text: str | Secret, *, driver: str | None = None, folder: Path | None = None) -> tuple[Finding, ...]:
    """Read a text and vet it.

    Raises
    ------
    TextError
        When the text cannot be read.
    """
    return vet_reading(read(text, driver=driver), folder=folder)


def vet_reading(reading: Reading, *, folder: Path | None = None) -> tuple[Finding, ...]:
    """Vet what was read; the worst findings come first, then by place."""
    found = [*check_remarks(reading), *check_units(reading), *_cord_checks(reading.cord, reading, folder)]
    return _sorted(found)


def vet_cord(cord: Cord, *, folder: Path | None = None) -> tuple[Finding, ...]:
    """Vet a cord that has no text; relative paths of certificates start from ``folder``."""
    return _sorted(list(_cord_checks(cord, None, folder)))


def _cord_checks(cord: Cord, reading: Reading | None, folder: Path | None) -> Iterator[Finding]:
    yield from check_password(cord, reading)
    yield from check_split(cord, reading)
    yield from check_tls(cord, reading)
    yield from check_files(cord, reading, folder)
    yield from check_login(cord, reading)


def _sorted(found: list[Finding]) -> tuple[Finding, ...]:
    return tuple(sorted(found, key=lambda f: (-f.severity.rank, f.start if f.start is not None else -1, f.rule)))
