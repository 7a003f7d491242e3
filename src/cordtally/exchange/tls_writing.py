"""Writes TLS and the log-in method in the target's words, from its tables of states."""

from __future__ import annotations

import json
from functools import cache

from ..catalog import Driver, NotationFacts, driver_ids, load_driver
from ..model import AuthenticationMethod, Secret, TlsLevel, clear
from ..model.suspicion import clear_name
from ..notation import Field
from ..text import as_text
from .codecs import find_word, write_value
from .ledger import Outcome
from .sheet import Origin, Sheet
from .tables import Choice, choose_exactly, choose_tls, match_state
from .targets import Target, level_by_port

_TLS_FILES = ("ca", "certificate", "key", "key_password")


def write_tls(sheet: Sheet) -> None:
    """Put certificate files and the words for the TLS level."""
    cord, driver = sheet.cord, sheet.driver
    # before the level: libpq verifies the chain at sslmode=require where sslrootcert is given (PostgreSQL 15, 34.19.1)
    logged = _log_in_conditions(sheet)
    present = _write_files(sheet) | _native_conditions(sheet) | logged
    level = cord.tls.level
    words = _native_words(sheet, "tls.level")
    # native words of the same vocabulary say more than the level (a word of its own for it): they go first
    if words and level is not None:
        stated = match_state(driver.tls, words, present | set(words))
        if stated is not None and stated.meaning == level.value:
            # the words themselves are written with the other native options
            sheet.note("tls.level", level.value, _pairs(words), Outcome.KEPT, "in the driver's own words")
            return
    if level is None:
        if not (logged and not words and _put_default(sheet, logged)):
            _note_default(sheet, words, present)
        return
    if level.value == level_by_port(sheet.target, cord):
        reason = f"to {driver.title} it follows from the port"
        sheet.note("tls.level", level.value, None, Outcome.IMPLIED, reason)
        return
    if not driver.tls:
        if level.value == (driver.tls_default or TlsLevel.OFF.value):
            sheet.note("tls.level", level.value, None, Outcome.IMPLIED, "there is nothing else to this driver")
        else:
            sheet.lose("tls.level", level.value, f"{driver.title} has no words for it")
        return
    choice = _choose(driver.id, sheet.target.facts.id, level, frozenset(present), at_once=starts_at_once(sheet))
    if choice is None:
        sheet.lose("tls.level", level.value, f"{driver.title} has no words for it")
        return
    _put_level(sheet, level, choice, files_are_written=bool(present - logged))


def _put_default(sheet: Sheet, logged: set[str]) -> bool:
    """Put the default level's words where nobody is logged in without them; False where none are needed."""
    driver = sheet.driver
    for state in driver.tls:
        if state.meaning == driver.tls_default and not state.read_only and not logged.isdisjoint(state.given):
            reason = f"without it {driver.title} logs nobody in"
            booking = sheet.book("tls.level", None, _pairs(dict(state.set)), Outcome.IMPLIED, reason)
            sheet.put_under([Field("option", name, word) for name, word in state.set], booking)
            return True
    return False


def _put_level(sheet: Sheet, level: TlsLevel, choice: Choice, *, files_are_written: bool) -> None:
    driver, pairs = sheet.driver, choice.state.set if choice.state is not None else ()
    target = _pairs(dict(pairs)) or None
    outcome, reason = Outcome.REWORDED, "the same level in the driver's words"
    if not choice.exact:
        kind = "stronger" if level < TlsLevel(choice.meaning) else "weaker"
        outcome = Outcome.APPROXIMATED
        reason = f"{driver.title} cannot say {level.value} here: the {kind} level {choice.meaning} is written"
    elif target is None:
        outcome = Outcome.KEPT if files_are_written and choice.state is not None else Outcome.IMPLIED
        reason = (choice.state.why if choice.state is not None else None) or "this is the driver's default"
    elif (origin := sheet.origins.get("tls.level")) is not None and len(pairs) == 1:
        ((name, word),) = pairs
        if origin.word == word:
            kept = origin.name == name.strip("()")
            outcome, reason = (Outcome.KEPT, "") if kept else (Outcome.RENAMED, reason)
    fields = [Field("option", name, _typed_word(sheet, name, word)) for name, word in pairs]
    sheet.put_under(fields, sheet.book("tls.level", level.value, target, outcome, reason or None))


def _typed_word(sheet: Sheet, name: str, word: str) -> object:
    option = sheet.driver.options[name]
    kind = option.type
    if kind == "bool" and option.values is not None:
        return write_value(option, sheet.driver, word == "true").value
    if kind == "object" and sheet.typed:
        try:
            return json.loads(word)
        except ValueError:
            return word  # tedious takes true, false and the text strict
    return word == "true" if kind == "bool" else word


def _write_files(sheet: Sheet) -> set[str]:
    """Put the certificate files; give the names of the options that they took."""
    present: set[str] = set()
    for name in _TLS_FILES:
        value = getattr(sheet.cord.tls, name)
        if value is None:
            continue
        part, option = f"tls.{name}", sheet.option_for(f"tls.{name}")
        inner = sheet.inner_target()
        if option is None and inner is not None and (through := inner.driver.by_canonical.get(part)):
            sheet.put_inner(part, str(value), through.name, value, loss=None)
            present.add(f"{sheet.driver.nested[0]}.{through.name}" if sheet.driver.nested else "")
        elif option is None:
            sheet.lose(part, str(value), f"{sheet.driver.title} has no option for it")
        else:
            present.add(option.name)
            sheet.put(part, str(value), Field("option", option.name, value))
    return present


def _is_taken(driver: Driver, facts: NotationFacts, name: str) -> bool:
    return driver.options[name].is_in(facts.id) and (not facts.names or name in facts.names)


# few drivers, notations and levels: the cache stays small, and holds no value of any cord
@cache
def _choose(driver_id: str, notation: str, level: TlsLevel, present: frozenset[str], *, at_once: bool) -> Choice | None:
    driver = load_driver(driver_id)
    facts = driver.notation(notation)
    assert facts is not None
    states = [
        s
        for s in driver.tls
        if all(_is_taken(driver, facts, name) for name, _ in s.set) and (not s.only_in or notation in s.only_in)
    ]
    default = facts.tls_default if facts.tls_default is not None else driver.tls_default
    return choose_tls(states, default, level, present, at_once=at_once)


def starts_at_once(sheet: Sheet) -> bool:
    """Whether a word of another driver, kept beside the level, says that TLS starts before the protocol does."""
    for key, value in sheet.cord.native:
        vocabulary, _, name = key.partition("/")
        driver = load_driver(vocabulary) if vocabulary in driver_ids() else None
        option = driver.options.get(name) if driver is not None else None
        if driver is not None and option is not None and option.canonical == "tls.level":
            word = find_word(option, as_text(value)) or as_text(value)
            state = match_state(driver.tls, {name: word}, {name})
            if state is not None and state.at_once:
                return True
    return False


def _note_default(sheet: Sheet, words: dict[str, str], present: set[str]) -> None:
    """Where the source states no level, say so if the files that are written imply one."""
    driver = sheet.driver
    state = match_state(driver.tls, words, present | set(words))
    if state is not None:
        reason = state.why or f"to {driver.title} the files alone mean this level"
        sheet.note("tls.level", None, state.meaning, Outcome.APPROXIMATED, reason)


def _native_words(sheet: Sheet, canonical: str) -> dict[str, str]:
    """The cord's native words, in this driver's vocabulary, for one canonical matter."""
    words = {}
    for key, value in sheet.cord.native:
        vocabulary, _, name = key.partition("/")
        option = sheet.driver.options.get(name)
        if option is not None and option.vocabulary == vocabulary and option.canonical == canonical:
            text = as_text(value)
            words[name] = find_word(option, text) or text if option.type == "word" else text
    return words


def _log_in_conditions(sheet: Sheet) -> set[str]:
    """The options of user and password that were written, as far as a level's words depend on them."""
    options = {option.name for role in ("user", "password") if (option := sheet.option_for(role)) is not None}
    return {field.name for field in sheet.fields if field.name in options and field.name in sheet.target.conditions}


def _native_conditions(sheet: Sheet) -> set[str]:
    """The native options of the cord, in this driver's vocabulary, on whose presence a level depends."""
    refused = set(sheet.driver.refuses)  # such a value will not be written
    stated = [
        key
        for key, value in sheet.cord.native
        if refused.isdisjoint(clear(value) if isinstance(value, str | Secret) else "")
    ]
    named = (clear_name(key).partition("/") for key in stated)
    return {name for vocabulary, _, name in named if vocabulary == sheet.driver.id and name in sheet.target.conditions}


def _pairs(words: dict[str, str]) -> str:
    return ", ".join(f"{name.strip('()')}={word}" for name, word in words.items())


def says_login(target: Target) -> bool:
    """Whether a target has words for some log-in method."""
    return any(all(target.option(name) is not None for name, _ in row.set) for row in target.driver.authentication)


def says_tls(target: Target) -> bool:
    """Whether a target has words for some TLS level."""
    return any(all(target.option(name) is not None for name, _ in row.set) for row in target.driver.tls)


def write_authentication(sheet: Sheet) -> None:
    """Put the words for a stated log-in method, or say what implies it."""
    cord, driver, part = sheet.cord, sheet.driver, "authentication.method"
    method = cord.authentication.method
    if method is None:
        return
    said = Origin(None, method.value)
    words = _native_words(sheet, "authentication")
    stated = match_state(driver.authentication, words, set(words)) if words else None
    if stated is not None and stated.meaning == method.value:
        sheet.note(part, said, _pairs(words), Outcome.KEPT, "in the driver's own words")
        return
    taken = [s for s in driver.authentication if all(_is_taken(driver, sheet.target.facts, n) for n, _ in s.set)]
    state = choose_exactly(taken, method.value)
    if state is not None:
        reason = "the same in the driver's words"
        booking = sheet.book(part, said, _pairs(dict(state.set)), Outcome.REWORDED, reason)
        sheet.put_under([Field("option", name, _typed_word(sheet, name, word)) for name, word in state.set], booking)
        return
    inner = sheet.inner_target()
    through = choose_exactly(inner.driver.authentication, method.value) if inner is not None else None
    if through is not None:
        for name, word in through.set:
            sheet.put_inner(part, said, name, word, loss=None)
        return
    # what is given implies the method only where drivers choose it themselves; kerberos and tokens need a word
    implied = {
        AuthenticationMethod.PASSWORD: cord.password is not None,
        AuthenticationMethod.CERTIFICATE: cord.tls.certificate is not None,
        AuthenticationMethod.NONE: cord.password is None and cord.tls.certificate is None,
    }
    if implied.get(method, False):
        sheet.note(part, said, None, Outcome.IMPLIED, "what is given implies it")
    else:
        sheet.lose(part, said, f"{driver.title} has no word for it")
