"""Converts a text from one driver to another: read, write, and a ledger that quotes both sides."""

from __future__ import annotations

from collections.abc import Mapping

from ..catalog import load_driver
from ..model import MASK, Secret
from .ledger import Ledger, LedgerLine, Outcome
from .reading import Reading, read
from .sheet import compare_sides
from .writing import Writing, write


def convert(text: str | Secret | Mapping[str, object], *, to: str, driver: str | None = None) -> Writing:
    """Read a text and write it for another driver.

    Parameters
    ----------
    text : str or mapping
        What `read` takes.
    to : str
        The target: ``npgsql``, ``psycopg/arguments``.
    driver : str, optional
        The driver that the text is for, where it does not tell.

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
    return convert_reading(read(text, driver=driver), to=to)


def convert_reading(reading: Reading, *, to: str) -> Writing:
    """Write what was read for another driver; the ledger's source side quotes the text's own words."""
    writing = write(reading.cord, to)
    origins = _origins(reading)
    lines = [_with_origin(line, origins) for line in writing.ledger]
    lines += _default_lines(reading, writing)
    return Writing(writing.target, writing.text, Ledger(tuple(lines)), writing.arguments)


def _origins(reading: Reading) -> dict[str, str]:
    source = reading.text.reveal()
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


def _with_origin(line: LedgerLine, origins: dict[str, str]) -> LedgerLine:
    origin = origins.get(line.part)
    if origin is None:
        return line
    moved = line.outcome in {Outcome.KEPT, Outcome.RENAMED, Outcome.RESCALED, Outcome.REWORDED}
    outcome = compare_sides(origin, line.target) if moved and line.target is not None else line.outcome
    if outcome is Outcome.KEPT and line.target is not None and origin != line.target and "=" in line.target:
        outcome = Outcome.RENAMED
    reason = line.reason if outcome is not Outcome.KEPT else None
    return LedgerLine(line.part, origin, line.target, outcome, reason)


def _default_lines(reading: Reading, writing: Writing) -> list[LedgerLine]:
    """Say where a text that states no TLS level gets another one from the target's default."""
    if reading.cord.tls.level is not None or any(line.part == "tls.level" for line in writing.ledger):
        return []
    source, target = load_driver(reading.driver), load_driver(writing.target.partition("/")[0])
    if source.tls_default == target.tls_default or source.tls_default is None or target.tls_default is None:
        return []
    reason = (
        f"nothing is stated, and the defaults differ: {source.title} {source.tls_default}, "
        f"{target.title} {target.tls_default}; state a level to be sure"
    )
    return [LedgerLine("tls.default", source.tls_default, target.tls_default, Outcome.IMPLIED, reason)]
