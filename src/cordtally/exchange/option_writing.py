"""Writes options: canonical ones in the driver's words, and those that only one driver knows as they stood."""

from __future__ import annotations

import json

from ..catalog import Driver, Option, driver_ids, load_driver
from ..model import MaskedText, OptionValue, Secret, clear
from ..model.suspicion import clear_name, guard, safe_name, sounds_secret
from ..notation import Field
from ..text import as_shown, as_text
from .addresses import codec_of
from .codecs import NoWord, Written, read_value, word_of, write_value
from .ledger import Outcome
from .sheet import Origin, Sheet
from .tls_writing import starts_at_once


def write_options(sheet: Sheet) -> None:
    """Put the canonical options."""
    for name, value in sheet.cord.options:
        _write_option(sheet, name, value)


def _write_option(sheet: Sheet, name: str, value: OptionValue) -> None:
    part, driver, target = f"options.{name}", sheet.driver, sheet.target
    said = Origin(name, str(value))
    # tcp: and np: stand before the host, so the host has been written with it, or there is none to hold it
    if name == "network_protocol" and codec_of(target.facts.addresses).networks:
        if not any(booking.part == "host" and booking.target is not None for booking in sheet.bookings):
            sheet.lose(part, said, "it stands before a host, and there is none")
        return
    option = sheet.option_for(name) or driver.by_canonical.get(name)
    inner = sheet.inner_target()
    if option is None and inner is not None and (through := inner.driver.by_canonical.get(name)):
        _write_inner(sheet, through, inner.driver, part, said, value)
    elif option is None:
        sheet.lose(part, said, f"{driver.title} has no such option")
    elif not option.is_in(target.facts.id):
        sheet.lose(part, said, f"{driver.title} takes it only in {' and '.join(option.only_in)}")
    elif target.facts.names and option.name not in target.facts.names:
        sheet.lose(part, said, f"{driver.title} takes it only elsewhere")
    elif (written := _written(sheet, option, driver, part, said, value)) is not None:
        word = written.value
        # what goes to libpq goes as text, out of arguments, too
        if driver.passes_text and isinstance(word, bool) and not option.only_in:
            word = word_of(word, driver)
        sheet.put(part, said, Field("option", option.name, word), value=value, loss=written.loss)


def _write_inner(  # noqa: PLR0917 -- what is written, and for whom
    sheet: Sheet, option: Option, driver: Driver, part: str, said: Origin, value: OptionValue
) -> None:
    written = _written(sheet, option, driver, part, said, value)
    if written is not None:
        sheet.put_inner(part, said, option.name, word_of(written.value, driver), loss=written.loss)


def _written(  # noqa: PLR0917 -- what is written, and for whom
    sheet: Sheet, option: Option, driver: Driver, part: str, said: Origin, value: OptionValue
) -> Written | None:
    """Give a value in a driver's form; None where it has none, which is booked."""
    try:
        written = write_value(option, driver, value)
    except NoWord as reason:
        sheet.lose(part, said, str(reason))
        return None
    if written.loss is None and not _reads_back(driver, option, value, written):
        sheet.lose(part, said, f"to {driver.title} the word for it means its own default")
        return None
    return written


def _reads_back(driver: Driver, option: Option, value: OptionValue, written: Written) -> bool:
    """Check that the driver's word means the value again: a number like 0 may mean something else."""
    # words come out of the option's own table, and texts are not converted: only numbers can change their meaning
    if option.type in {"str", "word", "bool"}:
        return True
    return read_value(option, driver, clear(word_of(written.value, driver))) == value


def write_native(sheet: Sheet) -> None:
    """Put the options that only one driver knows, where that is the target or what it passes on to."""
    # canonical parts have been written by now, and win: a native option beside them would be read last
    taken = {field.name for field in sheet.fields if field.name}
    for full_name, value in sheet.cord.native:
        vocabulary, _, name = clear_name(full_name).partition("/")
        said = Origin(safe_name(name), as_shown(value))
        part = f"native.{vocabulary}/{said.name}"
        if not _is_known(sheet, vocabulary, name):
            inner = sheet.inner_target()
            if _is_said(sheet, part, said, vocabulary, name):
                continue
            if inner is not None and vocabulary == inner.driver.id:
                word = value if isinstance(value, Secret) else as_text(value)
                sheet.put_inner(part, said, name, word, loss=None)
            else:
                sheet.lose(part, said, f"only {vocabulary} knows it")
        elif (reason := _misplaced(sheet, name, taken)) is not None:
            sheet.lose(part, said, reason)
        else:
            _put_native(sheet, part, said, name, value)


def _option_of(sheet: Sheet, name: str) -> Option | None:
    return sheet.target.option(sheet.target.spelled(name) or "") or sheet.driver.option(name)


def _is_known(sheet: Sheet, vocabulary: str, name: str) -> bool:
    """Whether the driver has the option in its own vocabulary, or was read with it though it does not know it."""
    option = _option_of(sheet, name)
    return option.vocabulary == vocabulary if option is not None else vocabulary == sheet.driver.id


def _misplaced(sheet: Sheet, name: str, taken: set[str]) -> str | None:
    """Why an option that the driver knows cannot be written here; None where it can."""
    driver, facts, option = sheet.driver, sheet.target.facts, _option_of(sheet, name)
    if facts.names and name not in facts.names:
        return f"{driver.title} takes it only elsewhere"
    if option is not None and not option.is_in(facts.id):
        return f"{driver.title} takes it only in {' and '.join(option.only_in)}"
    return "the same option is written with another value" if sheet.target.spelled(name) in taken else None


def _put_native(sheet: Sheet, part: str, said: Origin, name: str, value: OptionValue) -> None:
    option = _option_of(sheet, name)
    if option is not None and option.repeats and not sheet.typed and isinstance(value, str) and "\n" in value:
        pieces = [Field("option", name, piece) for piece in value.split("\n")]
        sheet.put_under(pieces, sheet.book(part, said, said.shown, Outcome.KEPT))
        return
    made: object = value
    if sheet.typed and option is not None and (not isinstance(value, Secret) or isinstance(value, MaskedText)):
        typed = _typed(option, as_text(value))
        made = value if isinstance(typed, str) else typed
    sheet.put(part, said, Field("option", name, made))


def _typed(option: Option, text: str) -> object:
    """Give a text the type that the driver wants among arguments."""
    try:
        if option.type == "object":
            return _guarded(json.loads(text))
        if option.type in {"int", "bytes"} or (option.type == "duration" and not option.fraction):
            return int(text)
        if option.type == "duration":
            return float(text)
        if option.type == "bool" and text in {"true", "false"}:
            return text == "true"
    except ValueError:
        return text
    return text


def _guarded(value: object, name: str = "") -> object:
    """Give an object whose texts are secret where their names say so, at any depth."""
    if isinstance(value, dict):
        return {key: _guarded(inner, key) for key, inner in value.items()}
    if isinstance(value, list):
        return [_guarded(inner, name) for inner in value]
    if isinstance(value, str):
        return Secret(value) if sounds_secret(name) else guard(value)
    return value


def _is_said(sheet: Sheet, part: str, said: Origin, vocabulary: str, name: str) -> bool:
    """Whether a native word of another driver is only its own spelling of a TLS level that the cord states."""
    level = sheet.cord.tls.level
    if level is None or vocabulary not in driver_ids():
        return False
    option = load_driver(vocabulary).options.get(name)
    if option is None or option.canonical != "tls.level":
        return False
    reason = f"its meaning, {level.value}, is written in {sheet.driver.title}'s words"
    outcome = Outcome.IMPLIED
    if starts_at_once(sheet) and not any(state.at_once for state in sheet.driver.tls):
        outcome, reason = Outcome.APPROXIMATED, f"{reason}, but TLS starts only after the first words of the protocol"
    sheet.note(part, said, level.value, outcome, reason)
    return True
