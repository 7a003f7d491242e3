"""Vets a text: reads it, and reports what is wrong with it, that it cannot be read above all."""

from __future__ import annotations

from pathlib import Path

from ..errors import AmbiguousText, TextError
from ..exchange import Reading, read
from ..model import Secret
from ..vetting import Findings, report_unread, vet_reading
from .pools import vet_pool_of


def vet_text(
    text: str | Secret, *, driver: str | None = None, folder: Path | None = None, environment: str | None = None
) -> tuple[Findings, Reading | None]:
    """Give the findings for a text, and its reading; None where it cannot be read, which is a finding, too.

    Raises
    ------
    AmbiguousText
        When several drivers would read it, each in its own way.
    TextError
        When it has the form of no notation at all.
    UnknownName
        When there is no such driver.
    """
    try:
        reading = read(text, driver=driver)
    except AmbiguousText:
        raise
    except TextError as error:
        source = text.unmask() if isinstance(text, Secret) else text
        return Findings(report_unread(source, driver, error)), None
    found = vet_reading(reading, folder=folder, environment=environment)
    return vet_pool_of(reading, found), reading
