"""The shapes of catalog facts, and the checks that a catalog file passes when it is loaded.

Reading the files is left to ``loading``; what the facts mean for a text is left to ``cordtally.exchange``.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields

from ..errors import CatalogError

TYPES = ("str", "int", "bool", "duration", "bytes", "word", "object")
UNITS = ("ns", "us", "ms", "s", "min", "h", "go", "iso", "suffix", "B", "KiB", "MiB")
UNKNOWN_OPTIONS = ("refused", "ignored", "sent")
ZEROES = ("unlimited", "system", "none", "refused", "skipped", "from-server")
ROLES = ("host", "port", "database", "user", "password", "socket", "service", "authentication", "realm", "instance",
         "further_host")  # fmt: skip
NEEDS = ("srv", "alias", "service", "socket", "several", "sentinel_service", "system_identifier")


@dataclass(frozen=True, slots=True, kw_only=True)
class Option:
    """One option of a driver, as its own source states it.

    ``unit`` is what a bare number counts; ``zero`` and ``negative`` say what those numbers mean to the driver;
    ``repeats`` says that it may be given several times, ``read_only`` that it is understood and never written,
    and ``refuses`` lists characters that the driver does not take in it;
    ``values`` maps the driver's words to canonical ones, the first word of each meaning being the one that is written.
    """

    name: str
    vocabulary: str
    canonical: str | None = None
    aliases: tuple[str, ...] = ()
    type: str = "str"
    unit: str | None = None
    fraction: bool = False
    default: object = None
    zero: str | None = None
    negative: str | None = None
    values: Mapping[str, str] | None = None
    minimum: int | None = None
    maximum: int | None = None
    secret: bool = False
    raw: bool = False
    repeats: bool = False
    refuses: str = ""
    read_only: bool = False
    only_in: tuple[str, ...] = ()
    since: str | None = None
    retired: str | None = None
    replacement: str | None = None
    note: str | None = None

    def is_in(self, notation: str) -> bool:
        """Whether a notation takes this option."""
        return not self.only_in or notation in self.only_in


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    """One row of a driver's table of TLS levels or log-in methods: these words, given those parts, mean this.

    ``set`` lists option values that must stand there; ``given`` and ``absent`` list options that must be present or
    missing, whatever their value; a ``read_only`` row is understood and never written; ``why`` explains a surprise.
    """

    meaning: str
    set: tuple[tuple[str, str], ...] = ()
    given: tuple[str, ...] = ()
    absent: tuple[str, ...] = ()
    read_only: bool = False
    why: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Conflict:
    """Options that a driver does not take together: all of ``given`` stand there, ``set`` with these words.

    ``needs`` is the names of both.
    """

    needs: frozenset[str]
    given: tuple[str, ...]
    set: tuple[tuple[str, str], ...]
    why: str
    hint: str


@dataclass(frozen=True, slots=True, kw_only=True)
class NotationFacts:
    """One notation that a driver takes: its grammar, the grammar's flags, and how hosts and sockets are written.

    ``schemes`` maps an engine to the prefixes that stand for it, the first one being written; ``hosts`` is ``inline``
    (``h1:1,h2:2``), ``paired`` (a list of hosts, a list of ports), ``further`` (one, and the others in an option that
    is repeated), or ``single``;
    ``host_options`` says the same of hosts that are given as options;
    a text that does not tell is read by a driver that ``claims`` it;
    ``accepts`` lists further prefixes, which are read only when the driver is named: they belong to another one;
    ``socket`` says where the path of a Unix socket goes: ``authority``, ``option``, ``host``, ``database`` (the
    path of a URL) or ``none``; ``only_for`` lists needs of a cord, one of which must be there for this notation to be
    chosen unasked;
    ``discovery`` says that the host is no host but a name to look up (``srv``, ``alias``);
    ``scheme_words`` give a prefix a meaning, as the value of the option ``(scheme)``;
    ``carries`` names an option whose value is a whole text for another target, and that target;
    with ``host_required`` a text without a host is refused, so the engine's default host is written;
    with ``database_required`` the same is true of a database, for which there is no default;
    ``names`` gives the options other names, as environment variables have, and leaves all others out;
    ``addresses`` names the codec of a host option whose value is more than a name.
    """

    id: str
    grammar: str
    schemes: Mapping[str, tuple[str, ...]]
    flags: Mapping[str, object]
    hosts: str = "single"
    host_options: str = "single"
    socket: str = "host"
    opening: tuple[tuple[str, str], ...] = ()
    accepts: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    claims: bool = True
    only_for: tuple[str, ...] = ()
    discovery: str | None = None
    scheme_words: Mapping[str, str] = field(default_factory=dict)
    carries: tuple[str, str] | None = None
    addresses: str | None = None
    host_required: bool = False
    database_required: bool = False
    names: Mapping[str, str] = field(default_factory=dict)
    tls_default: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Driver:
    """One client library and its vocabulary.

    ``passes_text`` says that arguments become text on the way, so that booleans are written in words;
    ``family`` is the name under which the first driver of an engine may be asked for, as for a toolkit whose URL
    leaves the driver out; ``nested`` names an option whose value holds further options for another target, and that
    target; ``registered`` lists the names under which a driver manager knows it.
    """

    id: str
    title: str
    language: str
    engines: tuple[str, ...]
    source: str
    checked: bool
    symbol: str
    packages: Mapping[str, str]
    notations: tuple[NotationFacts, ...]
    options: Mapping[str, Option]
    by_spelling: Mapping[str, Option]
    by_canonical: Mapping[str, Option]
    unknown_options: str
    case_sensitive: bool
    true_words: tuple[str, ...]
    false_words: tuple[str, ...]
    tls: tuple[State, ...]
    tls_default: str | None
    authentication: tuple[State, ...]
    refuses: str
    query_wins: tuple[str, ...]
    bytes_password: bool
    password_charset: str | None
    password_note: str | None
    user_charset: str | None
    user_note: str | None
    nested: tuple[str, str] | None
    family: str | None
    passes_text: bool
    conflicts: tuple[Conflict, ...] = ()
    registered: tuple[str, ...] = ()

    def option(self, spelling: str) -> Option | None:
        """Find an option by the driver's name or alias for it."""
        return self.by_spelling.get(spelling if self.case_sensitive else spelling.casefold())

    def notation(self, notation_id: str | None = None) -> NotationFacts | None:
        """Find a notation by id; the driver's first one where no id is given."""
        if notation_id is None:
            return self.notations[0]
        return next((n for n in self.notations if n.id == notation_id), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Engine:
    """One database system: what it assumes where a text is silent, and who its administrators are.

    ``service_target`` reads its file of named services, ``password_file`` says that its clients look passwords up,
    ``record_texts`` that a text record may add to a service record, ``record_service`` under which name that stands,
    and ``wallets`` that certificates are kept in one.

    Engines of one ``protocol`` may be one and the same server to their drivers.
    """

    id: str
    title: str
    source: str
    administrators: tuple[str, ...]
    test_statement: str
    protocol: str | None = None
    default_port: int | None = None
    default_host: str | None = None
    default_user: str | None = None
    default_database: str | None = None
    database_case_counts: bool = True
    service_target: str | None = None
    password_file: bool = False
    record_service: str | None = None
    record_texts: bool = False
    wallets: bool = False
    embedded: bool = False
    checked: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class CanonicalOption:
    """An option under its full, driver-independent name; ``usual`` brackets the durations that people mean.

    A default that ``matters`` changes what a program sees, so that a conversion speaks of it; what an option
    ``bears_on`` (``server``, ``database``, ``security``) is not only ``behaviour`` to a comparison.
    """

    name: str
    type: str
    meaning: str
    values: tuple[str, ...] = ()
    usual: tuple[str, ...] = ()
    secret: bool = False
    matters: bool = False
    bears_on: str = "behaviour"


@dataclass(frozen=True, slots=True, kw_only=True)
class RemarkWords:
    """The words for one case that readers remark, and the rule that reports it; see ``remarks.toml``."""

    rule: str
    message: str
    hint: str
    otherwise: str = ""
    words: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    def say(self, facts: Mapping[str, str]) -> tuple[str, str]:
        """Give the message and the hint, filled with the facts of one remark."""
        filled = {name: self.words.get(name, {}).get(value, value) for name, value in facts.items()}
        lacking = self.otherwise and any(f"{{{name}}}" in self.hint for name, value in filled.items() if not value)
        return self.message.format(**filled), (self.otherwise if lacking else self.hint).format(**filled)


@dataclass(frozen=True, slots=True, kw_only=True)
class Store:
    """A keeper of secrets behind a locator's scheme: what follows the scheme, an example, and what can be done there.

    ``asks`` says what fetching costs: ``nothing``, a ``file``, a ``process``, the ``network`` or a ``person``.
    """

    scheme: str
    title: str
    rest: str
    example: str
    asks: str
    writes: bool = False
    lists: bool = False


def option_from(name: str, vocabulary: str, raw: Mapping[str, object], canonical: Iterable[str]) -> Option:
    """Make an option from its table, checking names and types.

    Raises
    ------
    CatalogError
        When a key is unknown, or a type, unit or canonical name does not exist.
    """
    place = f"{vocabulary}: option {name}"
    known = {f.name for f in fields(Option)} - {"name", "vocabulary"}
    _check(set(raw) <= known, f"{place}: unknown keys {sorted(set(raw) - known)}")
    values = dict(raw)
    for key in ("aliases", "only_in"):
        listed = values.get(key, [])
        _check(isinstance(listed, list), f"{place}: {key} is a list")
        values[key] = tuple(listed) if isinstance(listed, list) else ()
    option = Option(name=name, vocabulary=vocabulary, **values)  # type: ignore[arg-type]
    _check(option.type in TYPES, f"{place}: type {option.type}")
    _check(option.unit is None or option.unit in UNITS, f"{place}: unit {option.unit}")
    _check(
        (option.type in {"duration", "bytes"}) == (option.unit is not None),
        f"{place}: type and unit disagree",
    )
    _check(option.zero is None or option.zero in ZEROES, f"{place}: zero {option.zero}")
    target = option.canonical
    if target is not None:
        ok = target in ROLES or target.startswith("tls.") or target in canonical
        _check(ok, f"{place}: canonical {target} does not exist")
    return option


def state_from(place: str, raw: Mapping[str, object], key: str) -> State:
    """Make a row of a TLS or log-in table."""
    known = {key, "set", "given", "absent", "read_only", "why"}
    _check(set(raw) <= known and key in raw, f"{place}: a {key} row with keys {sorted(raw)}")
    pairs = raw.get("set", {})
    given, absent = raw.get("given", []), raw.get("absent", [])
    _check(
        isinstance(pairs, dict) and isinstance(given, list) and isinstance(absent, list),
        f"{place}: {key} row",
    )
    assert isinstance(pairs, dict)
    assert isinstance(given, list)
    assert isinstance(absent, list)
    return State(
        meaning=str(raw[key]),
        set=tuple((str(k), str(v)) for k, v in pairs.items()),
        given=tuple(given),
        absent=tuple(absent),
        read_only=bool(raw.get("read_only", False)),
        why=None if raw.get("why") is None else str(raw["why"]),
    )


def conflict_from(place: str, raw: Mapping[str, object]) -> Conflict:
    """Make a row of a driver's table of options that do not go together."""
    given, pairs = raw.get("given", []), raw.get("set", {})
    ok = set(raw) <= {"given", "set", "why", "hint"} and isinstance(given, list) and isinstance(pairs, dict)
    _check(ok and "why" in raw, f"{place}: a conflict with keys {sorted(raw)}")
    assert isinstance(given, list)
    assert isinstance(pairs, dict)
    return Conflict(
        needs=frozenset(given) | frozenset(str(k) for k in pairs),
        given=tuple(given),
        set=tuple((str(k), str(v)) for k, v in pairs.items()),
        why=str(raw["why"]),
        hint=str(raw.get("hint", "keep one of them")),
    )


def _check(holds: bool, message: str) -> None:
    if not holds:
        raise CatalogError(message)
