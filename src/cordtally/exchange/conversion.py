"""Converts a text from one driver to another: read, write, and a ledger that quotes both sides."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from ..model import MASK, Secret
from .defaults import default_lines, pin_defaults
from .ledger import Ledger, LedgerLine, Outcome
from .reading import Reading, read
from .sheet import compare_sides
from .writing import Writing, write


def convert(
    text: str | Secret | Mapping[str, object], *, to: str, driver: str | None = None, pin: bool = False
) -> Writing:
    """Read a text and write it for another driver.

    Parameters
    ----------
    text : str or mapping
        What `read` takes.
    to : str
        The target: ``npgsql``, ``psycopg/arguments``.
    driver : str, optional
        The driver that the text is for, where it does not tell.
    pin : bool
        Write the source driver's defaults explicitly where the target's are others.

    Raises
    ------
    TextError, UnknownName, FieldError
        As `read` and `write`.

    Examples
    --------
    >>> import cordtally as ct
    >>> writing = ct.convert("jdbc:mariadb://berths.greywick.example/berths?connectTimeout=1500", to="go-mysql")
    >>> print(writing.text)
    tcp(berths.greywick.example)/berths?timeout=1500ms
    >>> writing.ledger.line("options.connect_timeout").outcome.value
    'rescaled'
    """
    return convert_reading(read(text, driver=driver), to=to, pin=pin)


def convert_reading(reading: Reading, *, to: str, pin: bool = False) -> Writing:
    """Write what was read for another driver; the ledger's source side quotes the text's own words."""
    cord = reading.cord
    pinned = pin_defaults(reading, to) if pin else None
    writing = write(cord if pinned is None else pinned.cord, to)
    origins = _origins(reading)
    lines = [_moved(line, origins[line.part]) if line.part in origins else line for line in writing.ledger]
    if pinned is not None:
        lines = [pinned.mark(line) for line in lines]
    lines += default_lines(reading, writing)
    return Writing(writing.target, writing.text, Ledger(tuple(lines)), writing.arguments)


def _origins(reading: Reading) -> dict[str, str]:
    source = reading.text.unmask()
    origins: dict[str, str] = {}
    levels = []
    for row in reading.rows:
        option = row.option
        if option is None or option.canonical is None:
            continue
        shown = f"{row.name}={MASK if option.secret else row.raw}"
        if option.canonical == "tls.level":
            levels.append(shown)
        elif "." not in option.canonical:
            origins[f"options.{option.canonical}"] = shown
    if levels:
        origins["tls.level"] = ", ".join(levels)
    for part in reading.parts:
        if (
            part.name is not None
            and part.role != "option"
            and part.role not in {"host", "port", "tls.level", "ignored"}
        ):
            value = MASK if part.secret else source[part.start : part.end]
            if value:
                origins[part.role] = f"{part.name}={value}"
    return origins


@lru_cache(maxsize=4096)
def _moved(line: LedgerLine, origin: str) -> LedgerLine:
    """Quote the text's own words on the source side of a line."""
    moved = line.outcome in {Outcome.KEPT, Outcome.RENAMED, Outcome.RESCALED, Outcome.REWORDED}
    outcome = compare_sides(origin, line.target) if moved and line.target is not None else line.outcome
    if outcome is Outcome.KEPT and line.target is not None and origin != line.target and "=" in line.target:
        outcome = Outcome.RENAMED
    reason = line.reason if outcome is not Outcome.KEPT else None
    return LedgerLine(line.part, origin, line.target, outcome, reason)
