"""Writes a cord for a target: the driver's words and the notation's text, with a ledger line for every part.

Values are left to ``codecs``, state tables to ``tables``, quoting to the grammar; hosts, TLS and options have modules
of their own. A text inside an option is written by the same function, which is why that stands here.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ..catalog import family_of, load_driver, load_engine, load_index
from ..errors import FieldError, check_type, shielded
from ..model import MASK, Cord, DiscoveryKind, Locator, MaskedText, Secret, clear
from ..model.suspicion import clear_name
from ..notation import Field
from ..results import Result
from .addresses import codec_of
from .arguments import ClearArguments, as_bytes
from .charsets import CHARSETS
from .host_writing import has_any, prefix_of, write_hosts
from .ledger import Ledger, Outcome
from .option_writing import write_native, write_options
from .sheet import Origin, Sheet
from .targets import choose_target, load_target
from .tls_writing import says_login, says_tls, write_authentication, write_tls

_KEPT = "kept there, and fetched when the cord is used"


@dataclass(frozen=True, slots=True, repr=False)
class Writing(Result):
    """A cord written for a target.

    ``text`` shows itself masked; ``text.unmask()`` is what the driver reads. ``arguments`` holds the mapping for
    targets of that notation, with every secret a `Secret`, at any depth. The ledger accounts for every part.
    """

    _rows = "ledger"
    target: str
    text: MaskedText
    ledger: Ledger
    arguments: Mapping[str, object] | None = None

    def to_dict(self, *, unmask: bool = False) -> dict[str, object]:
        """Give the keys of ``cordtally/writing/1``; secrets only with ``unmask``."""
        document: dict[str, object] = {"schema": "cordtally/writing/1", "target": self.target}
        if self.arguments is None:
            document["text"] = self.text.unmask() if unmask else str(self.text)
        else:
            document["arguments"] = json.loads(self.text.unmask() if unmask else str(self.text))
        document["ledger"] = [line.to_dict() for line in self.ledger]
        return document

    def clear_arguments(self) -> ClearArguments:
        """Give the arguments with their secrets in clear, to be passed to the driver at once."""
        return ClearArguments(self.arguments or {})

    def _summary(self) -> str:
        losses = len(self.ledger.losses)
        told = f", {losses} part{'' if losses == 1 else 's'} dropped or approximated" if losses else ""
        return f"{self.text} for {self.target}{told}"


@shielded
def write(cord: Cord, target: str) -> Writing:
    """Write a cord for a driver, or for ``driver/notation``.

    A password that is a locator is left out, and the ledger says where it is kept.

    Raises
    ------
    UnknownName
        When there is no such target.
    FieldError
        When the driver does not speak to the cord's engine.

    Examples
    --------
    >>> import cordtally as ct
    >>> cord = ct.read("postgresql://gauge.greywick.example/tides?connect_timeout=5").cord
    >>> print(ct.write(cord, "npgsql").text)
    Host=gauge.greywick.example;Database=tides;Timeout=5
    """
    check_type(cord, Cord, "a cord")
    check_type(target, str, "the name of a target")
    return write_from(cord, target)


def write_from(cord: Cord, target_name: str, origins: Mapping[str, Origin] | None = None) -> Writing:
    """Write a cord; ``origins`` tell how its parts stand in the text that it was read from, for the ledger."""
    target = choose_target(target_name, cord)
    driver = target.driver
    if cord.engine not in driver.engines:
        others = [i for i, d in load_index()["drivers"].items() if cord.engine in d["engines"]]
        raise FieldError(f"{driver.title} does not speak to {cord.engine}; targets for it: {', '.join(others)}")
    sheet = Sheet(cord, target, origins)
    if target.facts.carries is not None:
        _write_carried(sheet, *target.facts.carries)
    _note_engine(sheet)
    _write_opening(sheet)
    _write_discovery(sheet)
    # where what stands before a host asks for TLS, or tells the port, TLS is written first, so that the host knows it
    tls_first = codec_of(target.facts.addresses).schemes or bool(target.facts.scheme_ports)
    if not tls_first:
        write_hosts(sheet)
    _write_credentials(sheet)
    write_tls(sheet)
    write_authentication(sheet)
    if tls_first:
        write_hosts(sheet)
    write_options(sheet)
    write_native(sheet)
    sheet.close_inner()
    rendered = sheet.render(prefix_of(sheet))
    arguments = rendered.arguments
    if arguments is not None and driver.bytes_password:
        arguments = {name: as_bytes(value) for name, value in arguments.items()}
    return Writing(target.name, MaskedText(rendered.text, rendered.masked), sheet.ledger(), arguments)


def _write_carried(sheet: Sheet, option: str, target_name: str) -> None:
    """Write what the outer notation has no words for into the text that an option carries; the rest stays."""
    inner = choose_target(target_name, sheet.cord).driver
    outer, carried = sheet.cord.split(_stays_outside(sheet, inner.id))
    writing = write_from(carried, target_name, sheet.origins)
    sheet.put_carried(option, _as_value(writing.text), (line for line in writing.ledger if line.part != "engine"))
    sheet.cord = outer


def _as_value(text: MaskedText) -> str | Secret:
    return text if str(text) != text.unmask() else text.unmask()


def _stays_outside(sheet: Sheet, inner_driver: str) -> Callable[[str], bool]:
    target = sheet.target
    words, positions = target.by_canonical, target.dialect.positions
    uris = load_driver(inner_driver).file_uris
    inside = {inner_driver} if uris is None else {inner_driver, load_target(uris[1]).driver.id}

    def stays(part: str) -> bool:
        kind, _, name = part.partition(".")
        match kind:
            case "options":
                return name in words
            case "native":
                vocabulary, _, option_name = name.partition("/")
                option = target.option(option_name)
                known = option is not None and option.vocabulary == vocabulary
                return vocabulary not in inside or known
            case "tls":
                return says_tls(target) if name == "level" else part in words
            case "authentication":
                return says_login(target) if name == "method" else name in words or name in positions
            case "discovery":
                kind = sheet.cord.discovery.kind.value
                return sheet.cord.discovery.kind is not DiscoveryKind.DIRECT and (kind in words or kind in positions)
        return part in words or part in positions

    return stays


def _note_engine(sheet: Sheet) -> None:
    """Say where the text will not tell the engine."""
    engine, schemes = sheet.cord.engine, sheet.target.facts.schemes
    if schemes and engine not in schemes:
        reason = "the scheme does not tell them apart"
        read_back = family_of(engine) if family_of(engine) in schemes else next(iter(schemes))
        sheet.note("engine", engine, str(read_back), Outcome.IMPLIED, reason)
    elif not schemes and engine != (back := sheet.driver.engine_of(clear(sheet.cord.database or ""))):
        reason = f"this notation does not name the engine; read back it counts as {back}"
        sheet.note("engine", engine, back, Outcome.IMPLIED, reason)


def _write_opening(sheet: Sheet) -> None:
    """Put the pairs that a driver manager finds the driver by, unless the cord has its own."""
    for name, word in sheet.target.facts.opening:
        given = any(clear_name(key).endswith(f"/{name}") for key, _ in sheet.cord.native)
        if not given and sheet.cord.discovery.kind is DiscoveryKind.DIRECT:
            reason = f"{sheet.driver.title} is found by this name"
            booking = sheet.book(name, None, f"{name}={word}", Outcome.ADDED, reason)
            sheet.put_under([Field("option", name, word)], booking)


def _write_discovery(sheet: Sheet) -> None:
    discovery = sheet.cord.discovery
    if discovery.kind is DiscoveryKind.DIRECT:
        return
    option = sheet.option_for("service") if discovery.kind is DiscoveryKind.SERVICE else None
    kind, name = discovery.kind.value, discovery.name or ""
    without = sheet.target.facts.alias_without
    if kind == "alias" and without and has_any(sheet, without):
        reason = f"beside a database {sheet.driver.title} takes a name for a host"
        sheet.lose("discovery", f"{kind} {discovery.name}", reason)
    elif kind == sheet.target.facts.discovery or (kind == "alias" and without):
        as_host = discovery.kind is DiscoveryKind.SRV or bool(without)
        role = "host" if as_host else kind
        sheet.put("discovery", str(name), Field(role, None, name))
        for host in sheet.cord.hosts:
            sheet.lose("host", str(host), f"the {kind} brings its own hosts")
        sheet.cord = sheet.cord.copy_with(hosts=())
    elif option is None:
        sheet.lose("discovery", f"{kind} {discovery.name}", f"{sheet.driver.title} looks up no {kind}")
    else:
        sheet.put("discovery", str(name), Field("option", option.name, name))


def _write_credentials(sheet: Sheet) -> None:
    cord, driver = sheet.cord, sheet.driver
    if isinstance(cord.user, Locator):
        sheet.note("user", str(cord.user), None, Outcome.IMPLIED, _KEPT)
    elif cord.user is not None:
        _write_user(sheet, clear(cord.user))
    _write_password(sheet)
    if cord.database == "":
        sheet.note("database", "", None, Outcome.IMPLIED, "an empty database name counts as none")
    elif driver.file_uris is not None and _put_in_file_uri(sheet, *driver.file_uris):
        pass
    elif cord.database is not None and not sheet.role("database", cord.database):
        sheet.lose("database", str(cord.database), f"{driver.title} takes no database")
    if sheet.target.facts.database_required and not cord.database:
        _put_default_database(sheet)
    if driver.file_uris is not None and clear(cord.database or "").startswith("file:"):
        shown = str(cord.database)
        sheet.note("database", shown, shown, Outcome.APPROXIMATED, "it is read as a file: URI there")
    realm = cord.authentication.realm
    if realm is not None and not sheet.role("realm", realm):
        sheet.lose("authentication.realm", str(realm), f"{driver.title} knows no realm")


def _put_in_file_uri(sheet: Sheet, switch: str, target_name: str) -> bool:
    """Put a database into a ``file:`` URI that says what the driver has no words for; False where it has them all."""
    inner, target = load_target(target_name), sheet.target
    option = sheet.option_for("database")
    if sheet.cord.database is None or clear(sheet.cord.database).startswith("file:"):
        return False
    if ("database" not in target.dialect.positions and option is None) or (switch and target.option(switch) is None):
        return False

    def stays(part: str) -> bool:
        kind, _, name = part.partition(".")
        vocabulary, _, option_name = name.partition("/")
        if kind == "options":
            return name in target.by_canonical or name not in inner.by_canonical
        if kind == "native":
            own = vocabulary == target.driver.id and target.option(option_name) is not None
            return own or vocabulary != inner.driver.id or inner.option(option_name) is None
        return kind != "database"

    outer, carried = sheet.cord.split(stays)
    if not carried.options and not carried.native:
        return False
    writing = write_from(carried, target_name, sheet.origins)
    sheet.cord = outer
    role, name = ("database", None) if option is None else ("option", option.name)
    text, pairs = _as_value(writing.text), []
    # a URL hands on what it does not know (SQLAlchemy, pysqlite.py: create_connect_args; sqlite-jdbc the same)
    if target.facts.grammar == "url":
        head, _, query = clear(text).partition("?")
        text = head if text == clear(text) else Secret(head)
        # what is masked in the URI is so among the options, too, whether by its name or by what it holds
        given, shown = query.split("&"), str(writing.text).partition("?")[2].split("&")
        for pair, masked in zip(given, shown if len(shown) == len(given) else [""] * len(given)):
            name, _, word = pair.partition("=")
            pairs.append(Field("option", name, word if pair == masked else Secret(word)))
    inside = (line for line in writing.ledger if line.part != "engine")
    sheet.put_whole([Field(role, name, text), *pairs], inside)
    if switch:
        booking = sheet.book(switch, None, f"{switch}=…", Outcome.ADDED, "the database is a file: URI")
        sheet.put_under([Field("option", switch, True)], booking)
    return True


def _put_default_database(sheet: Sheet) -> None:
    """Write what the engine opens where no database is named; SQLite's memory."""
    default = load_engine(sheet.cord.engine).default_database
    option = sheet.option_for("database")
    placed = "database" in sheet.target.dialect.positions
    if default is not None and (placed or option is not None):
        reason = f"{sheet.driver.title} wants a database here: {load_engine(sheet.cord.engine).title} without a file"
        field = Field("database", None, default) if option is None or placed else Field("option", option.name, default)
        sheet.put_under([field], sheet.book("database", None, default, Outcome.IMPLIED, reason))
        return
    reason = f"{sheet.driver.title} refuses a text that names no database: put one in"
    sheet.note("database", None, None, Outcome.APPROXIMATED, reason)


def _write_user(sheet: Sheet, user: str) -> None:
    driver, shown = sheet.driver, str(sheet.cord.user)
    if user == "":
        sheet.note("user", "", None, Outcome.IMPLIED, "an empty user name counts as none")
    elif not sheet.role("user", sheet.cord.user):
        sheet.lose("user", shown, f"{driver.title} logs nobody in")
    if driver.user_charset is not None and not CHARSETS[driver.user_charset](user):
        sheet.note("user", shown, shown, Outcome.APPROXIMATED, driver.user_note or "")


def _write_password(sheet: Sheet) -> None:
    password, driver = sheet.cord.password, sheet.driver
    if isinstance(password, Locator):
        sheet.note("password", str(password), None, Outcome.IMPLIED, _KEPT)
    elif password is not None and not sheet.role("password", Secret(password.unmask())):
        sheet.lose("password", MASK, f"{driver.title} takes no password")
    elif password is not None and driver.password_charset and not CHARSETS[driver.password_charset](password.unmask()):
        sheet.note("password", MASK, MASK, Outcome.APPROXIMATED, driver.password_note or "")
