"""The shapes of facts about drivers; their words are closed sets, which ``building`` holds every file to.

What the facts mean for a text is left to ``cordtally.exchange``. Each fact is built once and kept, so facts are
compared by identity, and may be keys of a cache.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, Literal, get_args

from ..records import Record

Level = Literal["off", "opportunistic", "encrypted", "verify-chain", "verify-identity"]
Meaning = Literal[
    "off", "opportunistic", "encrypted", "verify-chain", "verify-identity",
    "password", "integrated", "kerberos", "certificate", "token", "key-pair", "service-account", "none",
]  # fmt: skip
Role = Literal[
    "host", "port", "database", "user", "password", "socket", "service", "authentication", "realm", "instance",
    "further_host",
]  # fmt: skip
Need = Literal["srv", "alias", "service", "socket", "several", "sentinel_service", "system_identifier", "nothing"]
Special = Literal["unlimited", "system", "none", "refused", "skipped", "from-server"]
HostStyle = Literal["inline", "paired", "mixed", "lists", "further", "single"]
ROLES: tuple[str, ...] = get_args(Role)
WRAPPERS = ("db+", "database+", "sqla+", "sqlalchemy+")
"""What stands before a URL of SQLAlchemy in settings of Celery and Kombu (celery 5.7: by_url; kombu 5.7)."""
NOTHING: Mapping[str, Any] = MappingProxyType({})
"""A table without an entry."""


class Option(Record):
    """One option of a driver, as its own source states it.

    ``unit`` is what a bare number counts; ``zero`` and ``negative`` say what those numbers mean to the driver;
    ``repeats`` says that it may be given several times, ``read_only`` that it is understood and never written, and
    ``refuses`` lists characters that the driver does not take in it; with a ``shape``, a regular expression, the
    driver takes no other value, and ``wants`` says in words which ones; with ``canonical_if``, another one, only
    a value of that form has the canonical meaning; ``other_words`` is what any other word counts
    as, where the driver takes them; a number ``outside`` its bounds is ``refused`` or ``clamped`` to them; ``needs``
    names an option without which the driver refuses this one;
    ``values`` maps the driver's words to canonical ones, the first word of each meaning being the one that is written.
    """

    name: str
    vocabulary: str
    canonical: str | None = None
    canonical_if: str | None = None
    aliases: tuple[str, ...] = ()
    type: Literal["str", "int", "bool", "duration", "bytes", "word", "object"] = "str"
    unit: Literal["ns", "us", "ms", "s", "min", "h", "go", "iso", "suffix", "B", "KiB", "MiB"] | None = None
    fraction: bool = False
    default: object = None
    zero: Special | None = None
    negative: Special | None = None
    values: Mapping[str, str] | None = None
    minimum: int | None = None
    maximum: int | None = None
    secret: bool = False
    repeats: bool = False
    refuses: str = ""
    shape: str | None = None
    other_words: str = ""
    outside: Literal["refused", "clamped"] = "refused"
    wants: str | None = None
    needs: str | None = None
    read_only: bool = False
    only_in: tuple[str, ...] = ()
    since: str | None = None
    retired: str | None = None
    replacement: str | None = None
    note: str | None = None

    def is_in(self, notation: str) -> bool:
        """Whether a notation takes this option."""
        return not self.only_in or notation in self.only_in


class State(Record):
    """One row of a driver's table of TLS levels or log-in methods: these words, given those parts, mean this.

    ``set`` lists option values that must stand there; ``given`` and ``absent`` list options that must be present or
    missing, whatever their value; a ``read_only`` row is understood and never written, and one that is ``only_in``
    some notations is written in those; ``at_once`` says that TLS starts before the protocol does (TDS 8.0: Microsoft's
    MS-TDS, 2.2.6.5), for which a row is written where it was meant; ``why`` explains a surprise.
    """

    meaning: Meaning
    set: tuple[tuple[str, str], ...] = ()
    given: tuple[str, ...] = ()
    absent: tuple[str, ...] = ()
    read_only: bool = False
    at_once: bool = False
    only_in: tuple[str, ...] = ()
    why: str | None = None


class Conflict(Record):
    """Options that a driver does not take together: all of ``given`` stand there, ``set`` with these words.

    None of ``absent`` may stand there, and the notation is one of ``only_in``, where that lists any. ``several hosts``
    is a name, too, and so is an alias, which then means that spelling alone. Where they are not ``refused``, one of
    them is heeded.
    """

    why: str
    refused: bool = False
    hint: str = "keep one of them"
    given: tuple[str, ...] = ()
    set: tuple[tuple[str, str], ...] = ()
    absent: tuple[str, ...] = ()
    only_in: tuple[str, ...] = ()

    @property
    def needs(self) -> frozenset[str]:
        """The names of all the options that must be there."""
        return frozenset(self.given) | {name for name, _ in self.set}


class NotationFacts(Record):
    """One notation that a driver takes: its grammar, the grammar's flags, and how hosts and sockets are written.

    ``schemes`` maps an engine to the prefixes that stand for it, the first one being written; ``hosts`` is ``inline``
    (``h1:1,h2:2``), ``paired`` (a list of hosts, a list of ports), ``mixed`` (either), ``lists`` (paired, as arguments
    that are lists), ``further`` (one, and the others in an option that is repeated), or ``single``; ``host_options``
    says the same of hosts that are given as options; with ``every_port`` several are refused unless each has a port,
    so that the engine's default one is written; a text that does not tell is read by a driver that ``claims`` it;
    ``also`` lists beginnings that lead here unasked and are no prefix of the text, each with a character that must
    stand behind it (none where it is empty); ``accepts`` lists further prefixes, which are read only when the driver
    is named: they belong to another one; ``socket`` says where the path of a Unix socket goes: ``authority``,
    ``option``, ``host``, ``database`` (the path of a URL) or ``none``; ``only_for`` lists needs of a cord, one of
    which must be there for this notation to be chosen unasked; ``discovery`` says that the host is no host but a name
    to look up (``srv``, ``alias``), and ``alias_without`` that it is an alias where none of these parts stands beside
    it; ``scheme_words`` give a prefix a meaning, as the value of the option ``(scheme)``, and ``scheme_ports`` the port
    behind it, where a text states none and the engine's usual one is not taken; ``carries`` names an option
    whose value is a whole text for another target, and that target; with ``instead`` a text that has this option is
    read as that other notation of the driver; with ``host_required`` a text without a host is
    refused, so the engine's default host is written, and with
    ``port_required`` its port; with ``database_required`` the same is true of a database, for
    which there is no default; ``names`` gives the options other names, as environment variables have, and leaves all
    others out; ``respelled`` gives some of them other names; a bare text without any of the keys that it is
    ``known_by`` is not taken for one of its; ``addresses`` names the codec of a host option whose
    value is more than a name.
    """

    id: str
    grammar: Literal[
        "url", "keyword", "semicolon", "dsn", "arguments", "path", "comma", "hostpairs",
        "descriptor", "easyconnect", "oraclejdbc", "firebird", "environment", "sections", "pathpairs",
    ]  # fmt: skip
    schemes: Mapping[str, tuple[str, ...]] = NOTHING
    flags: Mapping[str, object] = NOTHING
    hosts: HostStyle = "single"
    host_options: HostStyle = "single"
    every_port: bool = False
    socket: Literal["authority", "option", "host", "database", "none"] = "host"
    opening: tuple[tuple[str, str], ...] = ()
    accepts: Mapping[str, tuple[str, ...]] = NOTHING
    also: Mapping[str, str] = NOTHING
    claims: bool = True
    only_for: tuple[Need, ...] = ()
    discovery: Literal["srv", "alias"] | None = None
    alias_without: tuple[str, ...] = ()
    scheme_words: Mapping[str, str] = NOTHING
    scheme_ports: Mapping[str, int] = NOTHING
    carries: tuple[str, str] | None = None
    instead: tuple[str, str] | None = None
    addresses: Literal[
        "server", "server-instance", "objects", "stream", "authority",
        "host-port", "host-ports", "host-port-list", "host-list", "web",
    ] | None = None  # fmt: skip
    host_required: bool = False
    port_required: bool = False
    known_by: tuple[str, ...] = ()
    database_required: bool = False
    names: Mapping[str, str] = NOTHING
    respelled: Mapping[str, str] = NOTHING
    tls_default: Level | None = None


class Driver(Record):
    """One client library and its vocabulary.

    With ``exact_words`` the case of an option's word counts, with ``exact_switches`` that of a boolean one; it
    ``passes_over`` unknown names that begin with ``capitals``; what it cannot read in an option is ``refused`` or
    ``ignored``, as ``misreads`` says, and ``other_words`` are what a switch takes any other word for; ``odd_ports``
    that do not fit their hosts are ``refused`` or ``ignored``; ``passes_text`` says that arguments become text on the
    way, so that booleans are written in words; ``family`` is the name under which the first driver of an engine may be
    asked for, as for a toolkit whose URL leaves the driver out; ``nested`` names an option whose value holds further
    options for another target, and that target; ``file_uris`` says that a database may be a ``file:`` URI, once an
    option of this name is on (none where it is empty), and which target reads it; ``query_wins`` over what stands in a
    URL for these roles, and ``query_fills`` what is left out there; where ``query_order`` is ``sorted``, the greater
    of a part and the option that stands for it counts; ``registered`` lists the names under which a driver manager
    knows it, with ``*`` for what differs by version; where a socket is given by its file and not by its folder,
    ``socket_file`` is how that file is called, up to the port; ``localhost_is_socket`` says that this name never leads
    to a port, and that another one is reached over the network, whatever socket is given; ``settled_login`` says that
    once a user or a password stands before the @, no option gives the other one; ``trust_switches`` are options with
    the words that make the driver trust any server; ``system_trust`` says whether it verifies by the system's
    authorities where no other ones are named (None where that is not known); ``port_levels`` are the TLS levels that
    follow from a port where no word states one; a driver that ``prepares`` statements by
    itself does so ``always``, or ``later``, when one comes again, unless an option has the word that says
    ``prepare_off``; ``debug_switches`` are options for a developer's machine alone; where an engine has a protocol of
    its own, too, it goes ``over_http``; ``engine_files`` tell by the end of a database's file which engine is meant.
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
    by_spelling: Mapping[str, Option] = NOTHING
    by_canonical: Mapping[str, Option] = NOTHING
    unknown_options: Literal["refused", "ignored", "sent"] = "refused"
    over_http: bool = False
    passes_over: Literal["", "capitals"] = ""
    exact_words: bool = False
    exact_switches: bool = False
    misreads: Literal["refused", "ignored"] = "refused"
    odd_ports: Literal["refused", "ignored"] = "refused"
    other_words: Literal["", "true", "false"] = ""
    case_sensitive: bool = True
    true_words: tuple[str, ...] = ("true",)
    false_words: tuple[str, ...] = ("false",)
    tls: tuple[State, ...] = ()
    tls_default: Level | None = None
    port_levels: Mapping[str, Level] = NOTHING
    authentication: tuple[State, ...] = ()
    refuses: str = ""
    query_wins: tuple[Role, ...] = ()
    query_fills: tuple[Role, ...] = ()
    query_order: Literal["", "sorted"] = ""
    bytes_password: bool = False
    password_charset: Literal["ascii", "saslprep"] | None = None
    password_note: str | None = None
    user_charset: Literal["ascii", "saslprep", "basic"] | None = None
    user_note: str | None = None
    nested: tuple[str, str] | None = None
    file_uris: tuple[str, str] | None = None
    family: str | None = None
    passes_text: bool = False
    conflicts: tuple[Conflict, ...] = ()
    registered: tuple[str, ...] = ()
    socket_file: str | None = None
    localhost_is_socket: bool = False
    settled_login: bool = False
    trust_switches: Mapping[str, tuple[str, ...]] = NOTHING
    system_trust: bool | None = None
    prepares: Literal["", "always", "later"] = ""
    prepare_off: tuple[str, ...] = ()
    debug_switches: tuple[str, ...] = ()
    engine_files: Mapping[str, str] = NOTHING

    def engine_of(self, database: str | None) -> str:
        """Give the engine that is meant where nothing names it: by the end of a file's name, or the first one."""
        for end, engine in self.engine_files.items():
            if database is not None and database.lower().endswith(end):
                return engine
        return self.engines[0]

    def option(self, spelling: str) -> Option | None:
        """Find an option by the driver's name or alias for it."""
        return self.by_spelling.get(spelling if self.case_sensitive else spelling.casefold())

    def notation(self, notation_id: str | None = None) -> NotationFacts | None:
        """Find a notation by id; the driver's first one where no id is given."""
        if notation_id is None:
            return self.notations[0]
        return next((n for n in self.notations if n.id == notation_id), None)
