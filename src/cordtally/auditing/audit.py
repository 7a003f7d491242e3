"""Vets whatever it is given: a text, a reading, a cord, a file of any kind, a tally, or a folder."""

from __future__ import annotations

from pathlib import Path

from ..errors import shielded
from ..exchange import Reading
from ..model import Cord, Secret
from ..vetting import Findings, vet_cord, vet_reading
from .pools import vet_pool_of
from .texts import vet_text


@shielded
def vet(
    what: str | Secret | Path | Reading | Cord, *, driver: str | None = None, environment: str | None = None
) -> Findings:
    """Give the findings for a connection string, a reading, a cord, a file or a folder (given as a `Path`).

    A tally's cords are vetted in each environment; in any other file every connection string is found and vetted,
    with its line and column. With ``environment="production"`` more is asked.

    Raises
    ------
    AmbiguousText
        When several drivers would read a text, each in its own way.
    TallyError
        When a tally cannot be used.
    FieldError
        When a file is no text.
    OSError
        When a file cannot be read.

    Examples
    --------
    >>> import cordtally as ct
    >>> [f.rule.value for f in ct.vet("postgresql://tide_gauge@gauge.greywick.example/tides?sslmode=require")]
    ['encrypted-not-verified', 'no-connect-timeout']
    """
    match what:
        case Reading():
            return vet_pool_of(what, vet_reading(what, environment=environment))
        case Cord():
            return vet_cord(what, environment=environment)
        case Path():
            from .trees import vet_tree

            return vet_tree(what, driver=driver, environment=environment).findings
    return vet_text(what, driver=driver, environment=environment)[0]
