"""Converts a text from one driver to another: read, write, and a ledger that quotes both sides."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from ..errors import check_type, shielded
from ..model import MASK, Secret
from .ledger import Ledger, LedgerLine, Outcome
from .pinning import pin_defaults, unstated_lines
from .reading import Reading, read
from .sheet import Origin
from .writing import Writing, write_from

_LONGEST_NUMBER = 10  # digits; a longer one is kept by no cord


@shielded
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
    check_type(to, str, "the name of a target")
    return convert_reading(read(text, driver=driver), to=to, pin=pin)


def convert_reading(reading: Reading, *, to: str, pin: bool = False) -> Writing:
    """Write what was read for another driver; the ledger's source side quotes the text's own words."""
    origins = _origins(reading)
    cord = reading.cord
    if pin:
        cord, pinned = pin_defaults(reading, to)
        origins |= pinned
    writing = write_from(cord, to, origins)
    stated = frozenset(line.part for line in writing.ledger)
    lines = (*_misread_ports(reading), *unstated_lines(reading, writing.target, stated))
    return replace(writing, ledger=Ledger(writing.ledger.lines + lines)) if lines else writing


def _misread_ports(reading: Reading) -> Iterator[LedgerLine]:
    """The ports of a text that are no numbers: no cord can hold one, so that it is lost on the way to any target."""
    for part in reading.parts:
        if part.role == "port":
            shown = reading.shown(part)
            for piece in shown.split(","):
                number = piece.strip()
                if number and not (number.isascii() and number.isdigit() and len(number) < _LONGEST_NUMBER):
                    source = f"{part.name}={shown}" if part.name else shown
                    yield LedgerLine("port", source, None, Outcome.DROPPED, "a port is a number from 1 to 65535")


def _origins(reading: Reading) -> dict[str, Origin]:
    """How each part that has a name stands in the text."""
    origins: dict[str, Origin] = {}
    levels = []
    for row in reading.rows:
        option = row.option
        if option is None or option.canonical is None:
            continue
        origin = Origin(row.name, MASK if option.secret else str(row.raw))
        if option.canonical == "tls.level":
            levels.append(origin)
        elif "." not in option.canonical:
            origins[f"options.{option.canonical}"] = origin
    if levels:
        several = Origin(None, ", ".join(origin.shown for origin in levels))
        origins["tls.level"] = levels[0] if len(levels) == 1 else several
    for part in reading.parts:
        if part.name is not None and part.role not in {"option", "host", "port", "tls.level", "ignored"}:
            value = reading.shown(part)
            if value:
                origins[part.role] = Origin(part.name, value)
    return origins
