"""Writes a cord for a target: the driver's words and the notation's text, with a ledger line for every part.

Values are left to ``codecs``, state tables to ``states``, quoting to the grammar.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import partial

from ..catalog import Driver, Option, driver_ids, load_driver, load_index
from ..errors import FieldError
from ..model import MASK, Cord, DiscoveryKind, Locator, MaskedText, OptionValue, Secret
from ..notation import Field, Rendered, as_text, plain
from .addresses import codec_of
from .carrying import write_carried
from .charsets import CHARSETS
from .codecs import NoWord, Written, read_value, word_of, write_value
from .hosts import write_hosts
from .interpreting import safe_name
from .ledger import Ledger, LedgerLine, Outcome
from .security import write_authentication, write_tls
from .sheet import Sheet
from .targets import choose_target


@dataclass(frozen=True, slots=True)
class Writing:
    """A cord written for a target.

    ``text`` shows itself masked; ``text.unmask()`` is what the driver reads. ``arguments`` holds the mapping for
    targets of that notation, its secrets as `Secret`. The ledger accounts for every part.
    """

    target: str
    text: MaskedText
    ledger: Ledger
    arguments: dict[str, object] | None = None

    def to_dict(self, *, unmask: bool = False) -> dict[str, object]:
        """Give the keys of ``cordtally/writing/1``; secrets only with ``unmask``."""
        document: dict[str, object] = {"schema": "cordtally/writing/1", "target": self.target}
        if self.arguments is None:
            document["text"] = self.text.unmask() if unmask else str(self.text)
        else:
            document["arguments"] = json.loads(self.text.unmask() if unmask else str(self.text))
        document["ledger"] = [line.to_dict() for line in self.ledger]
        return document

    def clear_arguments(self) -> dict[str, object]:
        """Give the arguments with their secrets in clear, to be passed to the driver at once."""
        return {k: v.unmask() if isinstance(v, Secret) else v for k, v in (self.arguments or {}).items()}

    def _repr_html_(self) -> str:
        from .documents import html_table

        return html_table(self.to_dict())


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
    loaded = choose_target(target, cord)
    driver = loaded.driver
    if cord.engine not in driver.engines:
        others = [i for i, d in load_index()["drivers"].items() if cord.engine in d["engines"]]
        raise FieldError(f"{driver.title} does not speak to {cord.engine}; targets for it: {', '.join(others)}")
    sheet = Sheet(cord, loaded)
    if loaded.facts.carries is not None:
        sheet.cord = write_carried(sheet, *loaded.facts.carries, write=write)
    _note_engine(sheet)
    for opening, word in loaded.facts.opening:
        given = any(key.endswith(f"/{opening}") for key, _ in cord.native)
        if not given and cord.discovery.kind is DiscoveryKind.DIRECT:
            reason = f"{driver.title} is found by this name"
            line = LedgerLine(opening, None, f"{opening}={word}", Outcome.ADDED, reason)
            sheet.put_under([plain("option", opening, word)], line)
    _write_discovery(sheet)
    cord, plain_sheet = sheet.cord, driver.nested is None and not sheet.cord.native
    scheme_first = codec_of(loaded.facts.addresses).schemes
    if not scheme_first:
        write_hosts(sheet)
    _write_credentials(sheet)
    if plain_sheet and cord.tls.key_password is None:
        key = ("security", cord.tls, cord.authentication, cord.password is None)
        sheet.replay(key, lambda: _write_security(sheet))
    else:
        _write_security(sheet)
    if scheme_first:  # TLS is asked for by what stands before the host
        write_hosts(sheet)
    for name, value in cord.options:
        if plain_sheet and not isinstance(value, Secret) and name != "network_protocol":
            sheet.replay(("option", name, type(value), value), partial(_write_option, sheet, name, value))
        else:
            _write_option(sheet, name, value)
    _write_native(sheet)
    sheet.close_inner()
    secrets = frozenset(sheet.secrets)
    fields = _as_words(sheet)
    rendered: Rendered = loaded.grammar.render(fields, loaded.dialect, _prefix(sheet), secrets)
    _book_refusals(sheet, fields, rendered)
    arguments = None
    if rendered.arguments is not None:
        arguments = {k: _wrapped(sheet, k, v) for k, v in rendered.arguments.items()}
    text = MaskedText(rendered.text, rendered.masked(MASK))
    return Writing(loaded.name, text, Ledger(tuple(sheet.lines)), arguments)


def _write_security(sheet: Sheet) -> None:
    write_tls(sheet)
    write_authentication(sheet)


def _note_engine(sheet: Sheet) -> None:
    """Say where the text will not tell the engine."""
    engine, schemes, engines = sheet.cord.engine, sheet.loaded.facts.schemes, sheet.loaded.driver.engines
    if schemes and engine not in schemes:
        reason = "the scheme does not tell them apart"
        sheet.note("engine", engine, next(iter(schemes)), Outcome.IMPLIED, reason)
    elif not schemes and engine != engines[0]:
        reason = f"this notation does not name the engine; read back it counts as {engines[0]}"
        sheet.note("engine", engine, engines[0], Outcome.IMPLIED, reason)


def _prefix(sheet: Sheet) -> str:
    facts = sheet.loaded.facts
    if not facts.schemes:
        return ""
    listed = facts.schemes.get(sheet.cord.engine) or next(iter(facts.schemes.values()))
    fitting = (p for p in listed if facts.scheme_words.get(p) == sheet.scheme_word)
    return next(fitting, listed[0])


def _write_discovery(sheet: Sheet) -> None:
    discovery = sheet.cord.discovery
    if discovery.kind is DiscoveryKind.DIRECT:
        return
    option = sheet.option_for("service") if discovery.kind is DiscoveryKind.SERVICE else None
    source, name = f"{discovery.kind.value} {discovery.name}", discovery.name or ""
    if discovery.kind.value == sheet.loaded.facts.discovery:
        role = "host" if discovery.kind is DiscoveryKind.SRV else discovery.kind.value
        sheet.put("discovery", name, plain(role, None, name))
        for host in sheet.cord.hosts:
            sheet.lose("host", str(host), f"the {discovery.kind.value} brings its own hosts")
        sheet.cord = sheet.cord.copy_with(hosts=())
    elif option is None:
        sheet.lose("discovery", source, f"{sheet.loaded.driver.title} looks up no {discovery.kind.value}")
    else:
        sheet.put("discovery", name, plain("option", option.name, name))


def _write_credentials(sheet: Sheet) -> None:
    cord, driver = sheet.cord, sheet.loaded.driver
    if cord.user == "":
        sheet.note("user", "", None, Outcome.IMPLIED, "an empty user name counts as none")
    elif cord.user is not None and not sheet.role("user", cord.user):
        sheet.lose("user", cord.user, f"{driver.title} logs nobody in")
    if isinstance(cord.password, Secret):
        if not sheet.role("password", cord.password.unmask(), secret=True):
            sheet.lose("password", MASK, f"{driver.title} takes no password")
        elif driver.password_charset and not CHARSETS[driver.password_charset](cord.password.unmask()):
            sheet.note("password", MASK, MASK, Outcome.APPROXIMATED, driver.password_note or "")
    elif isinstance(cord.password, Locator):
        reason = "kept there, and fetched when the cord is used"
        sheet.note("password", str(cord.password), None, Outcome.IMPLIED, reason)
    if cord.database == "":
        sheet.note("database", "", None, Outcome.IMPLIED, "an empty database name counts as none")
    elif cord.database is not None and not sheet.role("database", cord.database):
        sheet.lose("database", cord.database, f"{driver.title} takes no database")
    if driver.user_charset is not None and cord.user is not None and not CHARSETS[driver.user_charset](cord.user):
        sheet.note("user", cord.user, cord.user, Outcome.APPROXIMATED, driver.user_note or "")
    if sheet.loaded.facts.database_required and not cord.database:
        reason = f"{driver.title} refuses a text that names no database: put one in"
        sheet.note("database", None, None, Outcome.APPROXIMATED, reason)
    realm = cord.authentication.realm
    if realm is not None and not sheet.role("realm", realm):
        sheet.lose("authentication.realm", realm, f"{driver.title} knows no realm")


def _write_option(sheet: Sheet, name: str, value: OptionValue) -> None:
    part, driver = f"options.{name}", sheet.loaded.driver
    shown = f"{name}={value}"
    if name == "network_protocol" and codec_of(sheet.loaded.facts.addresses).networks:
        if not cord_has_host(sheet):
            sheet.lose(part, shown, "it stands before a host, and there is none")
        return
    option = sheet.option_for(name) or driver.by_canonical.get(name)
    inner = sheet.inner_target()
    if option is None and inner is not None and (through := inner.driver.by_canonical.get(name)):
        _write_inner_option(sheet, through, inner.driver, name, value)
        return
    if option is None:
        sheet.lose(part, shown, f"{driver.title} has no such option")
        return
    if not option.is_in(sheet.loaded.facts.id):
        sheet.lose(part, shown, f"{driver.title} takes it only in {' and '.join(option.only_in)}")
        return
    if sheet.loaded.facts.names and option.name not in sheet.loaded.facts.names:
        sheet.lose(part, shown, f"{driver.title} takes it only elsewhere")
        return
    try:
        written = write_value(option, driver, value)
    except NoWord as reason:
        sheet.lose(part, shown, str(reason))
        return
    if written.loss is None and not _reads_back(driver, option, value, written):
        sheet.lose(part, shown, f"to {driver.title} the word for it means its own default")
        return
    value_written = written.value
    if driver.passes_text and isinstance(value_written, bool) and not option.only_in:
        value_written = word_of(value_written, driver)
    sheet.put(part, shown, plain("option", option.name, value_written), loss=written.loss)


def cord_has_host(sheet: Sheet) -> bool:
    """Whether a host was written that an option could stand before."""
    return any(line.part == "host" and line.target is not None for line in sheet.lines)


def _write_inner_option(sheet: Sheet, option: Option, driver: Driver, name: str, value: OptionValue) -> None:
    try:
        written = write_value(option, driver, value)
    except NoWord as reason:
        sheet.lose(f"options.{name}", f"{name}={value}", str(reason))
        return
    word = word_of(written.value, driver)
    if written.loss is None and not _reads_back(driver, option, value, written):
        sheet.lose(f"options.{name}", f"{name}={value}", "the word for it means the driver's own default")
        return
    sheet.put_inner(f"options.{name}", f"{name}={value}", option.name, word, loss=written.loss, secret=option.secret)


def _reads_back(driver: Driver, option: Option, value: OptionValue, written: Written) -> bool:
    """Check that the driver's word means the value again: a number like 0 may mean something else."""
    if option.type in {"str", "word", "bool"}:
        return True
    return read_value(option, driver, word_of(written.value, driver)) == value


def _write_native(sheet: Sheet) -> None:
    driver, notation = sheet.loaded.driver, sheet.loaded.facts.id
    taken = {f.name for f in sheet.fields if f.name}
    for full_name, value in sheet.cord.native:
        vocabulary, _, name = full_name.partition("/")
        secret = isinstance(value, Secret)
        option = sheet.loaded.option(sheet.loaded.spelled(name) or "") or driver.option(name)
        plain_name = name if option is not None else safe_name(name)
        key, shown = f"{vocabulary}/{plain_name}", f"{plain_name}={MASK if secret else as_text(value)}"
        known = option is not None and option.vocabulary == vocabulary
        if not known and not (vocabulary == driver.id and option is None):
            inner = sheet.inner_target()
            if inner is not None and vocabulary == inner.driver.id and not _is_said(sheet, vocabulary, name):
                word = value.unmask() if isinstance(value, Secret) else as_text(value)
                sheet.put_inner(f"native.{key}", shown, name, word, loss=None, secret=secret)
                continue
            if _is_said(sheet, vocabulary, name):
                continue
            sheet.lose(f"native.{key}", shown, f"only {vocabulary} knows it")
        elif sheet.loaded.facts.names and name not in sheet.loaded.facts.names:
            sheet.lose(f"native.{key}", shown, f"{driver.title} takes it only elsewhere")
        elif option is not None and not option.is_in(notation):
            sheet.lose(f"native.{key}", shown, f"{driver.title} takes it only in {' and '.join(option.only_in)}")
        elif sheet.loaded.spelled(name) in taken:
            sheet.lose(f"native.{key}", shown, "the same option is written with another value")
        else:
            raw: object = value.unmask() if isinstance(value, Secret) else value
            if option is not None and option.repeats and not sheet.typed and isinstance(raw, str) and "\n" in raw:
                pieces = [plain("option", name, piece) for piece in raw.split("\n")]
                sheet.put_under(pieces, LedgerLine(f"native.{key}", shown, shown, Outcome.KEPT))
                continue
            made = _typed_native(option, as_text(raw)) if sheet.typed and option is not None else raw
            sheet.put(f"native.{key}", shown, plain("option", name, made), secret=secret)


def _is_said(sheet: Sheet, vocabulary: str, name: str) -> bool:
    """Whether a native word of another driver is only its own spelling of a TLS level that the cord states."""
    if sheet.cord.tls.level is None or vocabulary not in driver_ids():
        return False
    option = load_driver(vocabulary).options.get(name)
    if option is None or option.canonical != "tls.level":
        return False
    reason = f"its meaning, {sheet.cord.tls.level.value}, is written in {sheet.loaded.driver.title}'s words"
    value = next(v for k, v in sheet.cord.native if k == f"{vocabulary}/{name}")
    part = f"native.{vocabulary}/{name}"
    sheet.note(part, f"{name}={as_text(value)}", sheet.cord.tls.level.value, Outcome.IMPLIED, reason)
    return True


def _typed_native(option: Option, text: str) -> object:
    try:
        if option.type == "object":
            return json.loads(text)
        if option.type in {"int", "bytes"} or (option.type == "duration" and not option.fraction):
            return int(text)
        if option.type == "duration":
            return float(text)
        if option.type == "bool" and text in {"true", "false"}:
            return text == "true"
    except ValueError:
        return text
    return text


def _as_words(sheet: Sheet) -> list[Field]:
    """Turn typed values into words where the notation holds text only."""
    if sheet.typed:
        return sheet.fields
    driver = sheet.loaded.driver
    return [
        f if isinstance(f.value, str) or f.role == "port" else plain(f.role, f.name, word_of(f.value, driver))
        for f in sheet.fields
    ]


def _book_refusals(sheet: Sheet, fields: list[Field], rendered: Rendered) -> None:
    """Turn the ledger line of a field that the grammar could not hold into a loss."""
    positions = {id(field): index for index, field in enumerate(fields)} if rendered.refused else {}
    for field, reason in rendered.refused:
        line = sheet.owner[positions[id(field)]]
        for index in (line, *sheet.through.get(field.name or "", ())):
            old = sheet.lines[index]
            sheet.lines[index] = LedgerLine(old.part, old.source, None, Outcome.DROPPED, reason)


def _wrapped(sheet: Sheet, name: str, value: object) -> object:
    """Hide a secret argument; a password goes as UTF-8 bytes to a driver that would send text in another encoding."""
    if name not in sheet.secrets or not isinstance(value, str):
        return value
    if sheet.loaded.driver.bytes_password and not value.isascii():
        return SecretBytes(value)
    return Secret(value)


class SecretBytes(Secret):
    """A secret that its driver wants as UTF-8 bytes."""

    __slots__ = ()

    def unmask(self) -> bytes:  # type: ignore[override]
        """Give the bytes."""
        return self._bytes()
