"""What a text leaves to the driver's defaults: where two drivers differ in them, and how to write one's own out.

Which defaults change what a program sees is marked in ``options.toml`` (``matters``); the defaults themselves are
facts of each driver.
"""

from __future__ import annotations

from functools import cache, lru_cache
from typing import NamedTuple

from ..catalog import load_canonical
from ..model import Cord, Duration, OptionValue, Tls, TlsLevel
from ..notation import as_text
from .codecs import Misread, read_value
from .ledger import LedgerLine, Outcome
from .reading import Reading
from .targets import Loaded, choose_target, load_target
from .writing import Writing


class Pinned(NamedTuple):
    """A cord with defaults written out, and the parts of the ledger that stand for them."""

    cord: Cord
    parts: frozenset[str]
    source: str

    def mark(self, line: LedgerLine) -> LedgerLine:
        """Say of a line that it is pinned, where it was written."""
        if line.part not in self.parts or line.target is None:
            return line
        reason = f"pinned: the default of {self.source}"
        if line.outcome.is_loss:
            return line._replace(reason=f"{reason}; {line.reason}")
        return LedgerLine(line.part, None, line.target, Outcome.ADDED, reason)


def pin_defaults(reading: Reading, target: str) -> Pinned:
    """Write the source driver's defaults into the cord wherever the target's are others, or not known."""
    source = load_target(f"{reading.driver}/{reading.notation}")
    other = choose_target(target, reading.cord)
    cord, parts = reading.cord, set()
    stated = dict(cord.options)
    for name, mine, theirs in _differing(source.name, other.name):
        if name not in stated and mine is not None and mine != theirs and load_canonical()[name].matters:
            stated[name] = mine
            parts.add(f"options.{name}")
    tls, level = cord.tls, _tls_default(source)
    if tls.level is None and level is not None and level != _tls_default(other) and (other.driver.tls or parts):
        tls = Tls(TlsLevel(level), tls.ca, tls.certificate, tls.key, tls.key_password)
        parts.add("tls.level")
    return Pinned(cord.copy_with(options=stated, tls=tls), frozenset(parts), source.driver.title)


def default_lines(reading: Reading, writing: Writing) -> tuple[LedgerLine, ...]:
    """Say where a text that states nothing gets another behaviour from the target's defaults."""
    stated = frozenset(line.part for line in writing.ledger)
    if reading.cord.tls.level is not None:
        stated |= {"tls.level"}
    return _unstated(f"{reading.driver}/{reading.notation}", writing.target, stated)


@lru_cache(maxsize=1024)
def _unstated(source: str, target: str, stated: frozenset[str]) -> tuple[LedgerLine, ...]:
    if source == target:
        return ()
    table = _default_table(source, target)
    return tuple(line for part, line in table if (f"options.{part}" if part != "tls" else "tls.level") not in stated)


@cache
def _default_table(source_name: str, target_name: str) -> tuple[tuple[str, LedgerLine], ...]:
    source, target = load_target(source_name), load_target(target_name)
    lines = []
    here, there = _tls_default(source), _tls_default(target)
    if here is not None and there is not None and here != there:
        lines.append(("tls", _line("tls", (source, here), (target, there), "state a level to be sure")))
    for name, mine, theirs in _differing(source_name, target_name):
        if mine is None or theirs is None or mine == theirs or not load_canonical()[name].matters:
            continue
        lines.append((name, _line(name, (source, _said(mine)), (target, _said(theirs)), "--pin writes the first one")))
    return tuple(lines)


def _line(name: str, mine: tuple[Loaded, str], theirs: tuple[Loaded, str], advice: str) -> LedgerLine:
    (source, here), (target, there) = mine, theirs
    differ = f"{source.driver.title} {here}, {target.driver.title} {there}"
    reason = f"nothing is stated, and the defaults differ: {differ}; {advice}"
    return LedgerLine(f"{name}.default", here, there, Outcome.IMPLIED, reason)


@cache
def _differing(source_name: str, target_name: str) -> tuple[tuple[str, OptionValue | None, OptionValue | None], ...]:
    """The canonical options that both know or one does, with the default of each; None where it is not known."""
    source, target = load_target(source_name), load_target(target_name)
    names = [n for n in load_canonical() if n in source.by_canonical and n in target.by_canonical]
    return tuple((name, default_of(source, name), default_of(target, name)) for name in names)


def default_of(loaded: Loaded, canonical: str) -> OptionValue | None:
    """Give a driver's default for a canonical option as a typed value; None where it is not known or left open."""
    option = loaded.by_canonical.get(canonical)
    if option is None or option.default is None or option.default == "":
        return None
    value = read_value(option, loaded.driver, as_text(option.default))
    return None if isinstance(value, Misread) else value


def _tls_default(loaded: Loaded) -> str | None:
    return loaded.facts.tls_default or loaded.driver.tls_default


def _said(value: OptionValue) -> str:
    return str(value) if isinstance(value, Duration) else as_text(value)
