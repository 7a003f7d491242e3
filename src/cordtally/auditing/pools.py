"""Vets the settings of a pool that stand in a connection string, by the rules of ``pool vet``."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache

from ..catalog.pool_libraries import PoolLibrary, list_pools, load_pool
from ..errors import FieldError, UnknownName
from ..exchange import Reading
from ..model import clear
from ..vetting import Findings, Severity
from ..vetting.findings import by_severity, finding
from ..vetting.ids import RuleId


@cache
def _library_of(driver: str) -> PoolLibrary | None:
    """The pool whose settings are options of a driver's texts."""
    return next((pool for one in list_pools() if driver in (pool := load_pool(one)).in_text_of), None)


def vet_pool_of(reading: Reading, found: Findings) -> Findings:
    """Give the findings of a text with those of the pool that it sets."""
    library = _library_of(reading.driver) if reading.cord.options else None
    if library is None:
        return found
    rows = [row for row in reading.rows if row.option is not None and row.option.name in library.settings]
    if not rows:
        return found
    settings = {row.option.name: clear(row.raw) for row in rows if row.option is not None}
    place = next(((p.start, p.end) for p in reading.parts if p.name == rows[0].name), None)
    told = vet_settings(library.id, settings)
    start, end = place if place is not None else (None, None)
    # what is a default of the library is told of where its settings are vetted by themselves
    named = [one for one in told if any(name in one.message for name in settings) and one.severity is not Severity.NOTE]
    return by_severity([*found, *(replace(one, start=start, end=end) for one in named)])


def vet_settings(library: str, settings: Mapping[str, str]) -> Findings:
    """Vet the settings of a pool library; that it cannot be given them is a finding, too."""
    from ..pooling.settings import read_settings, vet_pool  # few texts and files set a pool

    try:
        return vet_pool(read_settings(library, settings))
    except (FieldError, UnknownName) as error:
        message, hint = str(error).partition("\n")[0], "see: cordtally pool convert --list"
        return Findings([finding(RuleId.REFUSED_VALUE, message, hint)])
