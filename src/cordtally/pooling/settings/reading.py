"""Reads settings as they are written for one pool library, and says what they mean, whatever the library calls it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ...catalog import find_nearest
from ...catalog.pool_libraries import UNITS, PoolLibrary, Setting, load_pool
from ...errors import FieldError, UnknownName, quoted
from ...lines import DIALECTS, read_lines
from ...model import Duration
from ...syntax import format_of, open_tree

_TRUE, _FALSE = {"true", "yes", "on", "1"}, {"false", "no", "off", "0"}
_NOTHING = {"none", "null", "nil", "infinity", "unlimited"}

# the value of a setting by its meaning: a count, a Duration, a truth value, a word; None is no limit
Value = int | Duration | bool | str | None


@dataclass(frozen=True)
class PoolSettings:
    """Settings by what they mean; ``given`` holds what was written, ``all`` the library's defaults as well.

    A number of 0 or −1 that stands for something else is already that; None means no limit. The largest size counts all
    connections, those that overflow included.
    """

    library: PoolLibrary
    texts: Mapping[str, str]
    given: Mapping[str, Value]
    all: Mapping[str, Value]
    refused: Mapping[str, str] = field(default_factory=dict)

    def value(self, means: str) -> Value:
        """A value by its meaning; None where there is no limit, and where the library has no such setting.

        Parameters
        ----------
        means : str
            One of the meanings in ``catalog/pool_libraries``: ``max_size``, ``acquire_timeout``.
        """
        return self.all.get(means)

    def count(self, means: str) -> int | None:
        """A count by its meaning.

        Parameters
        ----------
        means : str
            A meaning whose value is a number of connections.

        Returns
        -------
        int or None
            None where it is not set, or no count.
        """
        value = self.all.get(means)
        return value if isinstance(value, int) and not isinstance(value, bool) else None

    def seconds(self, means: str) -> float | None:
        """A time in seconds by its meaning.

        Parameters
        ----------
        means : str
            A meaning whose value is a time.

        Returns
        -------
        float or None
            Seconds; None where it is not set, or has no end.
        """
        value = self.all.get(means)
        return value.seconds if isinstance(value, Duration) and value.nanoseconds is not None else None


def read_settings_file(path: Path) -> dict[str, str]:
    """Give what a configuration file sets, by dotted names: ``spring.datasource.hikari.maximum-pool-size``.

    Parameters
    ----------
    path : Path
        A file of a known format, or one of lines ``name = value`` or ``name: value``.

    Raises
    ------
    FieldError
        For a line that is no setting, named by its number; for a file that is no text.
    MissingExtra
        When the grammar of the file's format is not installed.
    OSError
        When it cannot be read.
    """
    tree = open_tree(path, format_of(path) or "loose")
    if tree.format == "loose":
        for line in read_lines(tree.source.text, DIALECTS["loose"]):
            if not (line.pair or line.section):
                raise FieldError(f"line {tree.source.place(line.start)[0]} is no setting: write name = value")
    named = [(".".join(part.strip("'\"`") for part in slot.path), slot.node.value) for slot in tree.slots()]
    return {name: value for name, value in named if name and value is not None}


def _folded(name: str) -> str:
    """A name as all write it: ``maximum-pool-size``, ``MAXIMUM_POOL_SIZE`` and ``maximumPoolSize`` are one."""
    return name.casefold().replace("-", "").replace("_", "")


def own_settings(library: PoolLibrary | str, texts: Mapping[str, str]) -> tuple[dict[str, str], list[str]]:
    """Keep of a whole configuration file what is the library's; gives the other names as well.

    Where a part of a name is the library's own (``spring.datasource.hikari.…``), only those names are looked at.
    """
    facts = load_pool(library) if isinstance(library, str) else library
    own = {_folded(name) for name in facts.settings}
    known = {name: text for name, text in texts.items() if _folded(name.rpartition(".")[2]) in own}
    named = {name: text for name, text in known.items() if facts.id[:5] in _folded(name.rpartition(".")[0])}
    kept = named or known
    return kept, [name for name in texts if name not in kept]


def read_settings(library: PoolLibrary | str, texts: Mapping[str, str]) -> PoolSettings:
    """Read settings of a pool library.

    Parameters
    ----------
    library : PoolLibrary or str
        The library, or its id.
    texts : mapping
        Values as they are written, by the library's own names.

    Raises
    ------
    UnknownName
        For a name that the library does not have; carries the nearest.
    FieldError
        For a value that it cannot have.
    """
    facts = load_pool(library) if isinstance(library, str) else library
    by_fold = {_folded(name): setting for name, setting in facts.settings.items()}
    given: dict[str, Value] = {}
    refused: dict[str, str] = {}
    kept: dict[str, str] = {}
    for name, text in texts.items():
        setting = by_fold.get(_folded(name.rpartition(".")[2])) or by_fold.get(_folded(name))
        if setting is None:
            known = list(facts.settings)
            raise UnknownName(f"setting of {facts.title}", name, nearest=find_nearest(name, known),
                              hint="it has " + ", ".join(known))  # fmt: skip
        if setting.name in kept:
            raise FieldError(f"{setting.name} stands there twice")
        kept[setting.name] = text
        value, special = parse_value(setting, text)
        if special == "refused":
            refused[setting.name] = text
        if special != "default":
            given[setting.means] = value
    every = given | {s.means: _default(facts, s, given) for s in facts.settings.values() if s.means not in given}
    for values in (given, every):
        _count_overflow(facts, values, every)
    return PoolSettings(facts, kept, given, every, refused)


def _default(facts: PoolLibrary, setting: Setting, given: Mapping[str, Value]) -> Value:
    """A setting's default; a word that is the name of another meaning follows what is given for that."""
    default = setting.default
    if default is None or default == "unlimited":
        return None
    if isinstance(default, str) and setting.type == "count":
        followed = facts.setting(default)
        return given[default] if default in given else None if followed is None else _default(facts, followed, given)
    return parse_value(setting, str(default))[0]


def _count_overflow(facts: PoolLibrary, values: dict[str, Value], every: Mapping[str, Value]) -> None:
    """Count what comes on top of the connections that are kept into the largest size."""
    if facts.setting("overflow") is not None and ("overflow" in values or "max_idle" in values):
        kept, more = every.get("max_idle"), every.get("overflow", 0)
        values["max_size"] = kept + more if isinstance(kept, int) and isinstance(more, int) else None
        if values is not every:
            values.pop("overflow", None)


def parse_value(setting: Setting, text: str) -> tuple[Value, str | None]:
    """Read one value; gives it with what its 0 or −1 stands for, if anything.

    Parameters
    ----------
    setting : Setting
        With its type and its unit, as the catalog has it.
    text : str
        As it is written for the library.

    Raises
    ------
    FieldError
        For a value that the setting cannot have.
    """
    if setting.words is not None:
        word = text.strip().casefold()
        if word not in setting.words:
            nearest = find_nearest(word, setting.words, most=1)
            meant = f"; did you mean {nearest[0]}?" if nearest else f": it must be {', '.join(setting.words)}"
            raise FieldError(f"{setting.name} is {quoted(text)}{meant}")
        return setting.words[word], None
    shown = text.strip().replace("_", "")
    if shown.casefold() in _NOTHING:
        return None, "unlimited"
    if setting.type == "flag":
        if shown.casefold() not in _TRUE | _FALSE:
            raise FieldError(f"{setting.name} is {quoted(text)}: it must be true or false")
        return shown.casefold() in _TRUE, None
    if setting.type == "duration" and not _is_number(shown):
        try:
            return Duration.parse(text), None
        except FieldError as problem:
            raise FieldError(f"{setting.name}: {problem}") from None
    if not _is_number(shown):
        raise FieldError(f"{setting.name} is {quoted(text)}: it must be a number")
    # whole numbers stay exact, however long
    number = int(shown) if shown.removeprefix("-").isdigit() and len(shown) < 19 else float(shown)
    if setting.unit == "word" and number != 0:
        raise FieldError(f"{setting.name} is {quoted(text)}: it needs a unit: 1h, 30m, 5s")
    special = setting.zero if number == 0 else setting.minus_one if number == -1 else None
    if number < 0 and special is None:
        raise FieldError(f"{setting.name} is {quoted(text)}: it must be 0 or more")
    if special in {"unlimited", "default"}:
        return None, special
    if setting.type == "duration":
        return Duration.of(number * UNITS[setting.unit or "s"]), special
    if number != int(number):
        raise FieldError(f"{setting.name} is {quoted(text)}: it must be a whole number")
    return int(number), special


def _is_number(text: str) -> bool:
    whole, _, fraction = text.removeprefix("-").partition(".")
    return text.isascii() and whole.isdigit() and (fraction.isdigit() or not fraction)
