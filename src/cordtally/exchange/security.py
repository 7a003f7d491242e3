"""Writes TLS and the log-in method in the target's words, from its tables of states."""

from __future__ import annotations

import json
from functools import cache

from ..catalog import Driver, NotationFacts, load_driver
from ..model import MASK, AuthenticationMethod, Secret, TlsLevel
from ..notation import as_text, plain
from .codecs import find_word, write_value
from .ledger import LedgerLine, Outcome
from .sheet import Sheet
from .states import Choice, choose_exactly, choose_tls, match_state

_TLS_FILES = ("ca", "certificate", "key", "key_password")


def write_tls(sheet: Sheet) -> None:
    """Put certificate files and the words for the TLS level."""
    cord, driver = sheet.cord, sheet.loaded.driver
    present = _write_files(sheet)
    level = cord.tls.level
    words = _native_words(sheet, "tls.level")
    if words and level is not None:
        stated = match_state(driver.tls, words, present | set(words))
        if stated is not None and stated.meaning == level.value:
            sheet.note("tls.level", level.value, _pairs(words), Outcome.KEPT, "in the driver's own words")
            return
    if level is None:
        _note_default(sheet, words, present)
        return
    if not driver.tls:
        if level.value == (driver.tls_default or TlsLevel.OFF.value):
            sheet.note("tls.level", level.value, None, Outcome.IMPLIED, "there is nothing else to this driver")
        else:
            sheet.lose("tls.level", level.value, f"{driver.title} has no words for it")
        return
    choice = _choose(driver.id, sheet.loaded.facts.id, level, frozenset(present))
    if choice is None:
        sheet.lose("tls.level", level.value, f"{driver.title} has no words for it")
        return
    pairs = choice.state.set if choice.state is not None else ()
    target = _pairs(dict(pairs)) or None
    outcome, reason = Outcome.REWORDED, "the same level in the driver's words"
    if not choice.exact:
        kind = "stronger" if level < TlsLevel(choice.meaning) else "weaker"
        outcome = Outcome.APPROXIMATED
        reason = f"{driver.title} cannot say {level.value} here: the {kind} level {choice.meaning} is written"
    elif target is None:
        outcome = Outcome.KEPT if present and choice.state is not None else Outcome.IMPLIED
        reason = (choice.state.why if choice.state is not None else None) or "this is the driver's default"
    fields = [plain("option", name, _typed_word(sheet, name, word)) for name, word in pairs]
    sheet.put_under(fields, LedgerLine("tls.level", level.value, target, outcome, reason))


def _typed_word(sheet: Sheet, name: str, word: str) -> object:
    option = sheet.loaded.driver.options[name]
    kind = option.type
    if kind == "bool" and option.values is not None:
        return write_value(option, sheet.loaded.driver, word == "true").value
    return word == "true" if kind == "bool" else json.loads(word) if kind == "object" and sheet.typed else word


def _write_files(sheet: Sheet) -> set[str]:
    """Put the certificate files; give the names of the options that they took."""
    cord, driver = sheet.cord, sheet.loaded.driver
    present: set[str] = set()
    for part in _TLS_FILES:
        value = getattr(cord.tls, part)
        if value is None:
            continue
        secret = isinstance(value, Secret)
        shown = MASK if secret else str(value)
        option = sheet.option_for(f"tls.{part}")
        inner = sheet.inner_target()
        if option is None and inner is not None and (through := inner.driver.by_canonical.get(f"tls.{part}")):
            word = value.unmask() if isinstance(value, Secret) else str(value)
            sheet.put_inner(f"tls.{part}", shown, through.name, word, loss=None, secret=secret)
            continue
        if option is None:
            sheet.lose(f"tls.{part}", shown, f"{driver.title} has no option for it")
            continue
        present.add(option.name)
        raw = value.unmask() if isinstance(value, Secret) else str(value)
        sheet.put(f"tls.{part}", shown, plain("option", option.name, raw), secret=secret)
    return present


def _is_taken(driver: Driver, facts: NotationFacts | None, name: str) -> bool:
    if facts is None:
        return True
    return driver.options[name].is_in(facts.id) and (not facts.names or name in facts.names)


@cache
def _choose(driver_id: str, notation: str, level: TlsLevel, present: frozenset[str]) -> Choice | None:
    driver = load_driver(driver_id)
    facts = driver.notation(notation)
    states = [s for s in driver.tls if all(_is_taken(driver, facts, name) for name, _ in s.set)]
    default = facts.tls_default if facts is not None and facts.tls_default is not None else driver.tls_default
    return choose_tls(states, default, level, present)


def _note_default(sheet: Sheet, words: dict[str, str], present: set[str]) -> None:
    """Where the source states no level, say so if the files that are written imply one."""
    driver = sheet.loaded.driver
    state = match_state(driver.tls, words, present | set(words))
    if state is not None:
        reason = state.why or f"to {driver.title} the files alone mean this level"
        sheet.note("tls.level", None, state.meaning, Outcome.APPROXIMATED, reason)


def _native_words(sheet: Sheet, canonical: str) -> dict[str, str]:
    """The cord's native words, in this driver's vocabulary, for one canonical matter."""
    words = {}
    for key, value in sheet.cord.native:
        vocabulary, _, name = key.partition("/")
        option = sheet.loaded.driver.options.get(name)
        if option is not None and option.vocabulary == vocabulary and option.canonical == canonical:
            text = as_text(value)
            words[name] = find_word(option, text) or text if option.type == "word" else text
    return words


def _pairs(words: dict[str, str]) -> str:
    return ", ".join(f"{name.strip('()')}={word}" for name, word in words.items())


def write_authentication(sheet: Sheet) -> None:
    """Put the words for a stated log-in method, or say what implies it."""
    cord, driver = sheet.cord, sheet.loaded.driver
    method = cord.authentication.method
    if method is None:
        return
    words = _native_words(sheet, "authentication")
    stated = match_state(driver.authentication, words, set(words)) if words else None
    if stated is not None and stated.meaning == method.value:
        sheet.note("authentication.method", method.value, _pairs(words), Outcome.KEPT, "in the driver's own words")
        return
    facts = sheet.loaded.facts
    taken = [s for s in driver.authentication if all(_is_taken(driver, facts, name) for name, _ in s.set)]
    state = choose_exactly(taken, method.value)
    if state is not None:
        said = _pairs(dict(state.set))
        line = LedgerLine(
            "authentication.method", method.value, said, Outcome.REWORDED, "the same in the driver's words"
        )
        sheet.put_under([plain("option", name, _typed_word(sheet, name, word)) for name, word in state.set], line)
        return
    inner = sheet.inner_target()
    through = choose_exactly(inner.driver.authentication, method.value) if inner is not None else None
    if through is not None:
        for name, word in through.set:
            sheet.put_inner("authentication.method", method.value, name, word, loss=None, secret=False)
        return
    implied = {
        AuthenticationMethod.PASSWORD: cord.password is not None,
        AuthenticationMethod.CERTIFICATE: cord.tls.certificate is not None,
        AuthenticationMethod.NONE: cord.password is None and cord.tls.certificate is None,
    }
    if implied.get(method, False):
        reason = "what is given implies it"
        sheet.note("authentication.method", method.value, None, Outcome.IMPLIED, reason)
    else:
        sheet.lose("authentication.method", method.value, f"{driver.title} has no word for it")
