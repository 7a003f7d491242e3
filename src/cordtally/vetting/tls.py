"""Rules of TLS: how much a connection is protected on its way, by what is stated and by what the driver makes of it."""

from __future__ import annotations

from collections.abc import Iterator

from ..exchange.targets import load_target
from ..model import TlsLevel
from ..patterns import pattern
from ..text import as_text
from .ids import RuleId
from .looks import Look
from .rules import Grade, Severity, Sight, Span, Told, rule

_ASK_FOR_MORE = "ask for verify-identity, and give the authority's certificate (ca)"
_OLD_VERSIONS = pattern(r"(?i)\b(?:sslv?[23](?:\.0)?|tlsv?1(?:\.[01])?)(?![.\d])")
# what a level's word promises, by what it says: to say it where the driver does less
_PROMISES = (
    (pattern(r"(?i)full|identity"), TlsLevel.VERIFY_IDENTITY),
    (pattern(r"(?i)verify|_ca\b|-ca\b"), TlsLevel.VERIFY_CHAIN),
)


def _says(stated: bool) -> str:
    return "" if stated else "nothing is stated, and by default "


def _level_place(look: Look) -> Span:
    return look.place("tls.level")


@rule(
    RuleId.NOT_ENCRYPTED,
    Severity.ERROR,
    Sight.TLS_OFF,
    grade=Grade.BY_PLACE,
    title="no TLS",
    why="Everything, often the password too, crosses the network in the clear.",
    about="Nothing is said of this machine; in a private network, as its addresses and names tell, it is a warning.",
    bad=("postgresql://gauge.greywick.example/tides?sslmode=disable", "jdbc:mariadb://berths.greywick.example/berths"),
    good=(
        "postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system",
        "postgresql://localhost/tides?sslmode=disable",
    ),
)
def not_encrypted(look: Look) -> Iterator[Told]:
    level, stated = look.tls_level()
    if level is TlsLevel.OFF:
        yield Told(f"{_says(stated)}TLS is off", _ASK_FOR_MORE, _level_place(look))


@rule(
    RuleId.TLS_ONLY_IF_OFFERED,
    Severity.WARNING,
    Sight.TLS_OFFERED,
    grade=Grade.BY_PLACE,
    title="TLS only if the server offers it",
    why="Whoever stands on the way says that it does not, and reads along.",
    about="What prefer means, and what most drivers do where nothing is stated.",
    bad=("postgresql://gauge.greywick.example/tides?sslmode=prefer", "postgresql://gauge.greywick.example/tides"),
    good="postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system",
)
def tls_only_if_offered(look: Look) -> Iterator[Told]:
    level, stated = look.tls_level()
    if level is TlsLevel.OPPORTUNISTIC:
        message = f"{_says(stated)}TLS is used only if the server offers it, and verifies nobody"
        yield Told(message, _ASK_FOR_MORE, _level_place(look))


def _trust_switch(look: Look) -> tuple[str, Span] | None:
    """The switch that makes the driver trust any server, where it is set."""
    if look.driver is None or not look.driver.trust_switches or look.reading is None:
        return None
    for row in look.reading.rows:
        if row.option is None or (words := look.driver.trust_switches.get(row.option.name)) is None:
            continue
        given = "true" if row.value is True else "false" if row.value is False else as_text(row.raw)
        if given.casefold() in {word.casefold() for word in words}:
            return f"{row.name}={given}", look.place("option", row.name) or look.place("tls.level", row.name)
    return None


@rule(
    RuleId.ENCRYPTED_NOT_VERIFIED,
    Severity.WARNING,
    Sight.TLS_ENCRYPTED,
    grade=Grade.BY_PLACE,
    title="TLS that verifies nobody",
    why="Anyone on the way can pose as the server and read along, password included.",
    about="Encryption alone keeps out who listens, and not who answers.",
    bad="postgresql://gauge.greywick.example/tides?sslmode=require",
    good="postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system",
)
def encrypted_not_verified(look: Look) -> Iterator[Told]:
    level, stated = look.tls_level()
    if level is TlsLevel.ENCRYPTED and _trust_switch(look) is None:
        message = f"{_says(stated)}the connection is encrypted, and the server not verified"
        yield Told(message, _ASK_FOR_MORE, _level_place(look))


@rule(
    RuleId.TRUSTS_EVERYTHING,
    Severity.ERROR,
    Sight.TLS_ENCRYPTED,
    grade=Grade.BY_PLACE,
    title="a switch that trusts every server",
    why="It was set to get rid of an error, and the error was right: nobody knows who answers.",
    about="TrustServerCertificate, tlsInsecure, rejectUnauthorized and their kin, by the catalog of each driver.",
    bad=(
        "Server=customs.greywick.example;Database=declarations;User ID=desk;Encrypt=True;TrustServerCertificate=True",
        "keeper@tcp(berths.greywick.example:3306)/berths?tls=skip-verify",
        "mongodb://roster.greywick.example/pilots?tls=true&tlsInsecure=true",
    ),
    good="Server=customs.greywick.example;Database=declarations;User ID=desk;Encrypt=Strict",
)
def trusts_everything(look: Look) -> Iterator[Told]:
    switch = _trust_switch(look)
    if switch is not None:
        said, span = switch
        hint = "take it out, and give the authority that signed the server's certificate"
        yield Told(f"{said} makes the driver trust whoever answers", hint, span)


@rule(
    RuleId.NAME_NOT_COMPARED,
    Severity.NOTE,
    Sight.TLS_CHAIN,
    grade=Grade.BY_PLACE,
    title="a certificate whose name is not compared",
    why="Whoever has any certificate of the same authority can pose as the server.",
    about="With an authority of one's own for the databases alone, that is few; with a public one, everybody.",
    bad="postgresql://gauge.greywick.example/tides?sslmode=verify-ca&sslrootcert=ca.pem",
    good="postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system",
)
def name_not_compared(look: Look) -> Iterator[Told]:
    level, stated = look.tls_level()
    if level is TlsLevel.VERIFY_CHAIN:
        message = f"{_says(stated)}the certificate's chain is verified, but not that it was issued for this host"
        yield Told(message, _ASK_FOR_MORE, _level_place(look))


@rule(
    RuleId.NOT_AS_ASKED,
    Severity.WARNING,
    Sight.TLS_LESS,
    grade=Grade.BY_PLACE,
    title="less TLS than the word promises",
    why="The text says that the server is verified, and this driver does not do it.",
    about="Some drivers take the word and do less: MariaDB's library goes on in plain text where the server offers no "
    "TLS, others never compare the name.",
    bad="Driver={MariaDB ODBC 3.1 Driver};Server=berths.greywick.example;Database=berths;UID=keeper;FORCETLS=1",
    good="postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system",
)
def not_as_asked(look: Look) -> Iterator[Told]:
    level, reading = look.cord.tls.level, look.reading
    if level is None or reading is None or look.driver is None or level >= TlsLevel.VERIFY_IDENTITY:
        return
    words = {(row.option.name, as_text(row.raw)) for row in reading.rows if row.option is not None}
    words |= {
        (name, "true") for name, _ in words if (option := look.driver.options.get(name)) and option.type == "bool"
    }
    for state in look.driver.tls:
        if state.why is None or state.meaning != level.value or not state.set or not words.issuperset(state.set):
            continue
        # a word that promises no more than it does needs no second finding beside the level's own
        promised = max((one for _, word in state.set for one in _promised(look, word)), default=None)
        if promised is not None and promised > level:
            yield Told(state.why, _ASK_FOR_MORE, _level_place(look))
            return


def _promised(look: Look, word: str) -> Iterator[TlsLevel]:
    if word in {"true", "REQUIRED", "require"}:
        yield TlsLevel.ENCRYPTED
    for promise, level in _PROMISES:
        if promise.search(word):
            yield level
            return


@rule(
    RuleId.AUTHORITY_MISSING,
    Severity.WARNING,
    Sight.TLS_ALONE,
    title="verification without an authority",
    why="This driver knows none by itself: the connection fails where its own default file is not there.",
    about="libpq, asyncpg and pgJDBC look into ~/.postgresql/root.crt and nowhere else, unless a file is named; libpq "
    "takes sslrootcert=system, too.",
    bad="postgresql://gauge.greywick.example/tides?sslmode=verify-full",
    good=(
        "postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system",
        "Host=gauge.greywick.example;Username=keeper;SSL Mode=VerifyFull",
    ),
)
def authority_missing(look: Look) -> Iterator[Told]:
    level = look.cord.tls.level
    if level is None or level < TlsLevel.VERIFY_CHAIN or look.cord.tls.ca is not None:
        return
    if look.driver is not None and look.driver.system_trust is False and _takes_authority(look):
        option = load_target(look.reading.target).by_canonical.get("tls.ca") if look.reading is not None else None
        into = option.default if option is not None and option.default else "a file of its own"
        message = f"{look.driver.title} verifies, and is given no authority: it looks into {into}"
        hint = f"name the authority's file: {option.name}=…" if option is not None else "name the authority's file"
        yield Told(message, hint, _level_place(look))


def _takes_authority(look: Look) -> bool:
    """Whether an authority can be named at all in this notation, and none is in words of the driver's own."""
    if look.reading is None:
        return False
    named = any(row.name.casefold() in {"sslfactory", "sslcontext"} for row in look.reading.rows)
    return not named and "tls.ca" in load_target(look.reading.target).by_canonical


@rule(
    RuleId.AUTHORITY_WITHOUT_EFFECT,
    Severity.WARNING,
    Sight.FILES,
    title="an authority that nobody is verified by",
    why="Whoever sees the file named takes the connection for verified.",
    about="TLS is off, or opportunistic, or verifies nobody, and a CA is named beside it.",
    bad="postgresql://gauge.greywick.example/tides?sslmode=disable&sslrootcert=ca.pem",
    good="postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=ca.pem",
)
def authority_without_effect(look: Look) -> Iterator[Told]:
    level = look.cord.tls.level
    if look.cord.tls.ca is None or level is None or level > TlsLevel.ENCRYPTED:
        return
    message = f"a CA is named, and at this level ({level.value}) it verifies nobody"
    yield Told(message, "ask for verify-identity, or leave the file out", look.place("tls.ca"))


@rule(
    RuleId.OLD_TLS_VERSION,
    Severity.WARNING,
    Sight.OPTIONS,
    options=("tls_minimum_version",),
    grade=Grade.STRICT,
    title="an old version of TLS",
    why="It is broken, and forbidden since RFC 8996 (2021).",
    about="SSL 2 and 3, TLS 1.0 and 1.1, where the text allows or wants them.",
    bad="postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system&ssl_min_protocol_version=TLSv1",
    good="postgresql://gauge.greywick.example/tides?sslmode=verify-full&sslrootcert=system&ssl_min_protocol_version=TLSv1.3",
)
def old_tls_version(look: Look) -> Iterator[Told]:
    value = look.cord.option("tls_minimum_version")
    match = _OLD_VERSIONS.search(as_text(value)) if isinstance(value, str) else None
    if match is not None:
        yield Told(
            f"{match[0]} is an old version of TLS", "ask for TLSv1.2 or newer", look.option_place("tls_minimum_version")
        )
