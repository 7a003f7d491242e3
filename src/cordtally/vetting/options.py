"""Rules of options: names and values that a driver does not take, and what they do to an application."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

from ..catalog import Driver, Option, driver_ids, load_driver, load_index, load_remarks
from ..catalog.services import service_of
from ..exchange import Reading
from ..model import clear
from ..model.suspicion import MaskedName
from ..notation import Case, Remark
from .edits import Edit
from .ids import RuleId
from .leading import POOLER, POOLER_PORT
from .logins import is_log_in_word
from .looks import Look
from .remarked import remarked, replaced
from .rules import Grade, Severity, Sight, Told, rule

_MOST_ADVICE = 50  # every driver is asked for each unknown option: not for every line of a hostile text


def _unknown(look: Look) -> Iterator[tuple[Remark, Driver, tuple[Driver, Option] | None]]:
    """The unknown options, each with the other driver that knows it, where there is one."""
    if look.reading is None:
        return
    asked = 0
    for remark in look.reading.remarks:
        if remark.case is Case.UNKNOWN:
            asked += 1
            owner = _owner(remark.facts["name"], look.reading) if asked <= _MOST_ADVICE else None
            yield remark, load_driver(remark.facts["id"]), owner


def _owner(name: str, reading: Reading) -> tuple[Driver, Option] | None:
    found = _owner_of(name, reading.cord.engine, reading.driver)
    return None if found is None else (load_driver(found), load_driver(found).option(name))  # type: ignore[return-value]


@cache
def _known_elsewhere(engine: str) -> dict[str, list[str]]:
    """The drivers of an engine by the names of their options, small: each is loaded once for all."""
    made: dict[str, list[str]] = {}
    for driver_id in driver_ids():
        if engine in load_index()["drivers"][driver_id]["engines"]:
            for name in load_driver(driver_id).options:
                made.setdefault(name.casefold(), []).append(driver_id)
    return made


def _owner_of(name: str, engine: str, driver: str) -> str | None:
    for driver_id in _known_elsewhere(engine).get(name.casefold(), ()):
        option = load_driver(driver_id).option(name) if driver_id != driver else None
        if option is not None and option.name.casefold() == name.casefold():
            return driver_id
    return None


@rule(
    RuleId.UNKNOWN_OPTION,
    Severity.WARNING,
    Sight.REMARKS,
    title="an option that the driver does not know",
    why="Many drivers ignore what they do not know, without a word.",
    about="An error where this driver refuses the text for it.",
    bad="postgresql://gauge.greywick.example/tides?aplication_name=gauge",
    good="postgresql://gauge.greywick.example/tides?application_name=gauge",
)
def unknown_option(look: Look) -> Iterator[Told]:
    for remark, driver, owner in _unknown(look):
        if owner is None:
            words = load_remarks()[remark.case.value].say(remark.facts)
            severity = Severity.ERROR if remark.facts["fate"] == "refused" else Severity.WARNING
            edit = _renamed(look, remark, remark.facts.get("nearest", ""), driver)
            yield Told(*words, (remark.start, remark.end), severity, edit)


def _renamed(look: Look, remark: Remark, name: str, driver: Driver) -> Edit | None:
    """Write another name for an option, where its name stands as the remark has it, and nobody has the other one."""
    wrong = remark.facts["name"]
    if not name or isinstance(wrong, MaskedName) or look.text[remark.start : remark.start + len(wrong)] != wrong:
        return None
    if any(part.name == name for part in look.reading.parts if look.reading is not None):  # type: ignore[union-attr]
        return None
    return Edit(remark.start, remark.start + len(wrong), name)


@rule(
    RuleId.OPTION_OF_OTHER_DRIVER,
    Severity.WARNING,
    Sight.REMARKS,
    title="an option that belongs to another driver",
    why="It says nothing to this one, so what you meant is not in force.",
    about="The message names the driver whose it is, and how this one says it, where it does.",
    bad="jdbc:postgresql://gauge.greywick.example/tides?connect_timeout=5",
    good="jdbc:postgresql://gauge.greywick.example/tides?connectTimeout=5",
)
def option_of_other_driver(look: Look) -> Iterator[Told]:
    for remark, driver, owner in _unknown(look):
        if owner is not None:
            severity = Severity.ERROR if remark.facts["fate"] == "refused" else Severity.WARNING
            message, hint, own = _of_other(remark.facts["name"], owner, driver)
            same_unit = own is not None and (own.type, own.unit, own.values) == (
                owner[1].type,
                owner[1].unit,
                owner[1].values,
            )
            edit = _renamed(look, remark, own.name, driver) if own is not None and same_unit else None
            yield Told(message, hint, (remark.start, remark.end), severity, edit)


def _of_other(name: str, owner: tuple[Driver, Option], driver: Driver) -> tuple[str, str, Option | None]:
    other, option = owner
    own = driver.by_canonical.get(option.canonical or "")
    message = f"{name} is an option of {other.title}; {driver.title} does not know it"
    if own is not None:
        return message, f"{driver.title} calls it {own.name}", own
    if option.canonical == "tls.level" and driver.tls:
        words = "; ".join(f"{s.meaning}: {_said(s.set)}" for s in driver.tls if s.set and not s.read_only)
        return message, f"{driver.title} says it so: {words}", None
    return message, "leave it out here, or set it where this driver takes it", None


def _said(pairs: tuple[tuple[str, str], ...]) -> str:
    return ", ".join(f"{k}={v}" for k, v in pairs)


@rule(
    RuleId.RETIRED_OPTION,
    Severity.WARNING,
    Sight.OPTIONS,
    title="an option that is retired",
    why="The driver still takes it, or passes over it, and the next version refuses it.",
    about="As the driver's own documentation says; the hint names what has taken its place.",
    bad="jdbc:mysql://berths.greywick.example/berths?sslMode=VERIFY_IDENTITY&useSSL=true",
    good="jdbc:mysql://berths.greywick.example/berths?sslMode=VERIFY_IDENTITY",
)
def retired_option(look: Look) -> Iterator[Told]:
    for row in look.reading.rows if look.reading is not None else ():
        if row.option is not None and row.option.retired is not None:
            message = f"{row.option.name} is retired since {row.option.retired}"
            hint = f"write {row.option.replacement}" if row.option.replacement else "leave it out"
            yield Told(message, hint, look.place("option", row.name) or look.place("tls.level", row.name))


value_not_taken = remarked(
    RuleId.VALUE_NOT_TAKEN,
    Severity.ERROR,
    (Case.WORD, Case.SHAPE, Case.WHOLE_NUMBER, Case.DURATION),
    title="a value that the driver does not take",
    why="The driver refuses it, or puts something else in its place.",
    about="A word that it does not know, a text where it wants a number, a unit where it wants none. A warning where "
    "the driver warns and goes on.",
    bad=(
        "postgresql://gauge.greywick.example/tides?sslmode=verify-ful",
        "postgresql://gauge.greywick.example/tides?connect_timeout=5s",
    ),
    good="postgresql://gauge.greywick.example/tides?sslmode=verify-full",
    only=lambda look, remark: not is_log_in_word(look, remark),
    mend=replaced,
)

value_out_of_range = remarked(
    RuleId.VALUE_OUT_OF_RANGE,
    Severity.ERROR,
    (Case.BOUNDS, Case.SPECIAL_NUMBER),
    title="a number outside of what the driver takes",
    why="The driver refuses the whole text, or takes its own default.",
    bad="Server=customs.greywick.example;Database=declarations;Encrypt=Strict;Max Pool Size=0",
    good="Server=customs.greywick.example;Database=declarations;Encrypt=Strict;Max Pool Size=20",
)

value_replaced = remarked(
    RuleId.VALUE_REPLACED,
    Severity.WARNING,
    (Case.CLAMPED, Case.OTHER_THAN_KNOWN, Case.OTHER_WORD),
    title="a value in whose place the driver takes another one",
    why="No error says so, and what was meant is not in force.",
    about="Any word but those that it knows counts as one of them; a number outside is drawn to the nearest bound.",
    bad="postgresql://gauge.greywick.example/tides?sslsni=maybe",
    good="postgresql://gauge.greywick.example/tides?sslsni=1",
    only=lambda look, remark: not is_log_in_word(look, remark),
)

wrong_boolean_word = remarked(
    RuleId.WRONG_BOOLEAN_WORD,
    Severity.ERROR,
    (Case.BOOLEAN,),
    title="a yes or no in words of another driver",
    why="Some drivers take an unknown word for no, others for yes, and this one refuses it.",
    bad="mongodb://roster.greywick.example/pilots?tls=yes",
    good="mongodb://roster.greywick.example/pilots?tls=true",
    only=lambda look, remark: not is_log_in_word(look, remark),
)

inside_value = remarked(
    RuleId.INSIDE_VALUE,
    Severity.ERROR,
    (Case.INSIDE,),
    title="a text inside an option that cannot be read",
    why="The driver hands it on, and what it is handed to refuses it.",
    about="Some options carry a whole text for another driver, or an object; what is wrong there is said here.",
    bad="mssql+pyodbc:///?odbc_connect=Driver%3D%7BODBC+Driver+18+for+SQL+Server",
    good="mssql+pyodbc:///?odbc_connect=Driver%3D%7BODBC+Driver+18+for+SQL+Server%7D%3BServer%3Dcustoms.greywick.example%3BEncrypt%3Dstrict",
)

conflicting_options = remarked(
    RuleId.CONFLICTING_OPTIONS,
    Severity.WARNING,
    (Case.CONFLICT, Case.RECORD_WITH_PORT),
    title="settings that do not go together",
    why="The driver heeds one and drops the other in silence.",
    bad="mongodb://roster.greywick.example/pilots?w=0&journal=true",
    good="mongodb://roster.greywick.example/pilots?w=1&journal=true",
)

refused_together = remarked(
    RuleId.REFUSED_TOGETHER,
    Severity.ERROR,
    (Case.REFUSED,),
    title="settings that the driver refuses together, or alone",
    why="The driver takes the whole text for wrong, and opens no connection.",
    bad="postgresql://gauge-1.greywick.example,gauge-2.greywick.example/tides?port=1,2,3",
    good="postgresql://gauge-1.greywick.example,gauge-2.greywick.example/tides?port=1,2",
)


@rule(
    RuleId.ROLE_OF_SINGLE_HOST,
    Severity.WARNING,
    Sight.OPTIONS,
    options=("target_role",),
    title="a role that is wanted of a single host",
    why="Where the one host has the other role, nobody connects; there is no second one to try.",
    about="A standby, or one that only reads, is chosen among several hosts. A name that leads to several addresses is "
    "a good reason to accept it.",
    bad="postgresql://gauge.greywick.example/tides?target_session_attrs=read-only",
    good="postgresql://gauge-1.greywick.example,gauge-2.greywick.example/tides?target_session_attrs=read-only",
)
def role_of_single_host(look: Look) -> Iterator[Told]:
    role = look.cord.option("target_role")
    # a driver that asks for the members of a set needs one of them alone
    if role in {"read-only", "standby", "secondary"} and len(look.cord.hosts) == 1 and not look.engine.replica_sets:
        message = f"{role} is wanted, and there is one host to choose from"
        yield Told(message, "name the other hosts, too", look.option_place("target_role"))


@rule(
    RuleId.PREPARED_BEHIND_POOLER,
    Severity.WARNING,
    Sight.HOST,
    title="prepared statements behind a pooler of transactions",
    why="A statement is prepared on one connection and run on another one, which does not know it.",
    about="Told from the host's name or from the port 6432, for drivers that prepare statements by themselves. "
    "PgBouncer follows prepared statements since 1.21, where max_prepared_statements is set: then accept it.",
    bad="jdbc:postgresql://pgbouncer.greywick.example:6432/tides",
    good="jdbc:postgresql://pgbouncer.greywick.example:6432/tides?prepareThreshold=0",
)
def prepared_behind_pooler(look: Look) -> Iterator[Told]:
    driver = look.driver
    if driver is None or not driver.prepares or look.reading is None:
        return
    pooler = next((one for host in look.cord.hosts if (one := _pooler(host.name, host.port)) is not None), None)
    if pooler is None:
        return
    given = {f"{row.name}={clear(row.raw)}".casefold() for row in look.reading.rows}
    given |= {f"{row.option.name}={clear(row.raw)}".casefold() for row in look.reading.rows if row.option is not None}
    if any(off.casefold() in given for off in driver.prepare_off):
        return
    when = "each statement" if driver.prepares == "always" else "a statement that comes again"
    off = f"say {driver.prepare_off[0]}" if driver.prepare_off else "keep it from preparing, where it is opened"
    message = f"{driver.title} prepares {when}, and {pooler} may give each transaction another connection"
    yield Told(message, off, look.place("host"))


def _pooler(name: str, port: int | None) -> str | None:
    """What stands in between, where name or port tell it."""
    service = service_of(name)
    if service is not None and service.shares == "transaction" and (not service.ports or port in service.ports):
        return service.title
    if POOLER.search(name) or port == POOLER_PORT:
        return "a pooler"
    return None


@rule(
    RuleId.MANY_STATEMENTS,
    Severity.WARNING,
    Sight.OPTIONS,
    options=("multi_statements",),
    grade=Grade.STRICT,
    title="several statements in one call",
    why="Where a value gets into a statement unescaped, a whole second statement fits in.",
    about="Needed by some migrations, and by nothing else: give them a connection of their own.",
    bad="jdbc:mysql://berths.greywick.example/berths?sslMode=VERIFY_IDENTITY&allowMultiQueries=true",
    good="jdbc:mysql://berths.greywick.example/berths?sslMode=VERIFY_IDENTITY",
)
def many_statements(look: Look) -> Iterator[Told]:
    if look.cord.option("multi_statements") is True:
        place = look.option_place("multi_statements")
        yield Told("one call may hold several statements", "leave it off where the application runs", place)


@rule(
    RuleId.LOCAL_FILES,
    Severity.WARNING,
    Sight.OPTIONS,
    options=("allow_local_infile",),
    grade=Grade.STRICT,
    title="a server that may ask for files of this machine",
    why="A server that is not the one you mean can ask for any file that the program may read.",
    about="LOAD DATA LOCAL sends a file of the client's, and it is the server that names it.",
    bad="jdbc:mysql://berths.greywick.example/berths?sslMode=VERIFY_IDENTITY&allowLoadLocalInfile=true",
    good="jdbc:mysql://berths.greywick.example/berths?sslMode=VERIFY_IDENTITY",
)
def local_files(look: Look) -> Iterator[Told]:
    if look.cord.option("allow_local_infile") is True:
        place = look.option_place("allow_local_infile")
        yield Told(
            "the server may ask for files of this machine", "switch it on for the one program that loads files", place
        )


@rule(
    RuleId.CHARSET_TOO_SMALL,
    Severity.WARNING,
    Sight.OPTIONS,
    options=("charset",),
    title="a character set that lacks characters",
    why="What it cannot hold is refused, or stored as a question mark.",
    about="MySQL's utf8 and utf8mb3 have no character beyond U+FFFF, and emoji are beyond; Latin-1 and ASCII have a "
    "few "
    "letters of Europe, or none.",
    bad="mysql+pymysql://keeper@berths.greywick.example/berths?charset=utf8",
    good="mysql+pymysql://keeper@berths.greywick.example/berths?charset=utf8mb4",
)
def charset_too_small(look: Look) -> Iterator[Told]:
    value = look.cord.option("charset")
    word = value.casefold().replace("-", "").replace("_", "") if isinstance(value, str) else ""
    whole = look.engine.whole_charset
    small = word in {"latin1", "iso88591", "ascii", "usascii", "sqlascii", "cp1252", "win1252", "ucs2"}
    if whole and (small or (word in {"utf8", "utf8mb3"} and whole.casefold() != "utf8")):
        place = look.option_place("charset")
        stands = place is not None and look.text[slice(*place)].casefold() == str(value).casefold()
        edit = Edit(*place, whole) if stands and place is not None else None
        yield Told(f"{value} lacks characters that {look.engine.title} can store", f"write {whole}", place, edit=edit)


@rule(
    RuleId.DEVELOPMENT_SWITCH,
    Severity.ERROR,
    Sight.PRODUCTION,
    title="a switch for development, in production",
    why="It writes values or secrets to logs and errors, or opens what is shut for a reason.",
    about="Asked where production is meant: by --environment, by the name of a file or a setting, or by the tally. "
    "Which "
    "options are meant for a developer's machine is known for each driver.",
    bad="production: Host=gauge.greywick.example;Username=keeper;SSL Mode=VerifyFull;Include Error Detail=true",
    good="production: Host=gauge.greywick.example;Username=keeper;SSL Mode=VerifyFull;Include Error Detail=false",
)
def development_switch(look: Look) -> Iterator[Told]:
    if not look.production or look.driver is None or not look.driver.debug_switches or look.reading is None:
        return
    for row in look.reading.rows:
        off = row.value is False or row.value in {0, "", "0", "OFF", "none"}
        if row.option is not None and row.option.name in look.driver.debug_switches and not off:
            yield Told(
                f"{row.name} is meant for development", "leave it out in production", look.place("option", row.name)
            )
