"""How one option's value is read from a driver's word and written as one: units, booleans, enumerations, zeroes.

Everything here follows the option's facts in the catalog; no driver is known by name.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from fractions import Fraction
from math import ceil
from typing import NamedTuple

from ..catalog import Driver, Option, find_nearest, load_canonical
from ..model import ByteSize, Duration, MaskedText, OptionValue, Secret
from ..model.values import NANOSECONDS
from ..notation import Case
from ..patterns import pattern

_INTEGER = pattern(r"[+-]?\d{1,19}", re.ASCII)
_DECIMAL = pattern(r"[+-]?\d{1,19}(?:\.\d{1,12})?", re.ASCII)
_GO_PART = pattern(r"(\d{1,19}(?:\.\d{1,12})?|\.\d{1,12})(ns|us|µs|μs|ms|s|m|h)", re.ASCII)
_ISO = pattern(
    r"([+-]?)P(?:(\d{1,9})D)?(?:T(?:(\d{1,9})H)?(?:(\d{1,9})M)?(?:(-?\d{1,15}(?:\.\d{1,9})?)S)?)?",
    re.ASCII | re.IGNORECASE,
)
_SUFFIX = pattern(r"(\d{1,9}(?:\.\d{1,9})?)\s*(ms|sec|min|)", re.ASCII | re.IGNORECASE)
_SIZES = {"B": 1, "KiB": 1024, "MiB": 1024**2}
_GO_LARGEST = 2**63 - 1


class Misread(NamedTuple):
    """Why a value is not what the driver reads: the case, and the facts that its words are filled with.

    A ``value`` is what the driver makes of it nevertheless, None where that is nothing.
    """

    case: Case
    facts: Mapping[str, str]
    value: OptionValue | None = None


class Written(NamedTuple):
    """A value as the driver wants it; ``loss`` says what was approximated, None where nothing was."""

    value: object
    loss: str | None = None


class NoWord(ValueError):
    """The driver has no word for a value; the reason says so without quoting a secret."""


def read_value(option: Option, driver: Driver, text: str) -> OptionValue | Misread | None:
    """Give the typed value of a driver's word; None where the word only stands for the driver's own default.

    Never raises: what the driver would refuse comes back as `Misread`.
    """
    if option.shape is not None and re.fullmatch(option.shape, text) is None:
        return Misread(Case.SHAPE, {"name": option.name, "wants": option.wants or "another value"})
    if option.refuses and not set(option.refuses).isdisjoint(text):
        return Misread(Case.SHAPE, {"name": option.name, "wants": f"a text without any of {option.refuses}"})
    if option.secret:
        return Secret(text)
    reader = _READERS.get(option.type)
    return text if reader is None else reader(option, driver, text)


def find_word(option: Option, text: str, *, exact: bool = False) -> str | None:
    """Find the canonical word for a driver's word; case counts where it is ``exact``, or tells two words apart."""
    words = option.values or {}
    if text in words or exact:
        return words.get(text)
    folded = text.casefold()
    return next((canonical for word, canonical in words.items() if word.casefold() == folded), None)


def _read_word(option: Option, driver: Driver, text: str) -> str | Misread:
    word = find_word(option, text, exact=driver.exact_words)
    if word is None and option.other_words:
        known = list(option.values or {})
        facts = {"name": option.name, "known": ", ".join(known), "taken": option.other_words}
        return Misread(Case.OTHER_THAN_KNOWN, facts, option.other_words)
    return word if word is not None else _misread_word(option, text)


def _misread_word(option: Option, text: str) -> Misread:
    words = list(option.values or {})
    nearest = find_nearest(text, words, most=1)
    facts = {"name": option.name, "nearest": nearest[0] if nearest else "", "known": ", ".join(words)}
    return Misread(Case.WORD, facts)


def _read_size(option: Option, driver: Driver, text: str) -> ByteSize | Misread | None:
    size, unit = _read_int(option, driver, text), _SIZES[option.unit or "B"]
    if isinstance(size, Misread):
        return size if not isinstance(size.value, int) else size._replace(value=ByteSize(size.value * unit))
    return None if size == 0 and option.zero else ByteSize(size * unit)


def _read_int(option: Option, driver: Driver, text: str) -> int | Misread:
    if _INTEGER.fullmatch(text.strip()) is None:
        return Misread(Case.WHOLE_NUMBER, {"name": option.name})
    number = int(text)
    return _outside(option, number) or number


def _outside(option: Option, number: int | Fraction) -> Misread | None:
    low, high = option.minimum, option.maximum
    if (low is not None and number < low) or (high is not None and number > high):
        bounds = {"low": "" if low is None else str(low), "high": "" if high is None else str(high)}
        if option.outside == "clamped" and low is not None and high is not None:
            taken = max(low, min(int(number), high))
            return Misread(Case.CLAMPED, {"name": option.name, **bounds, "taken": str(taken)}, taken)
        return Misread(Case.BOUNDS, {"name": option.name, **bounds})
    return None


def _read_bool(option: Option, driver: Driver, text: str) -> bool | Misread:
    if option.values is not None:
        word = find_word(option, text, exact=driver.exact_words)
        if word is not None or not option.other_words:
            return _misread_word(option, text) if word is None else word == "true"
    if driver.exact_words and driver.other_words:
        known = (*driver.true_words, *driver.false_words)
        text = text if text in known else "?"
    if driver.exact_switches and text not in {*driver.true_words, *driver.false_words}:
        text = "?"
    folded = text.strip().casefold()
    if folded in (w.casefold() for w in driver.true_words):
        return True
    if folded in (w.casefold() for w in driver.false_words):
        return False
    facts = {"name": option.name, "yes": driver.true_words[0], "no": driver.false_words[0]}
    if other := option.other_words or driver.other_words:
        taken = other == "true"
        return Misread(Case.OTHER_WORD, {**facts, "taken": "on" if taken else "off"}, taken)
    return Misread(Case.BOOLEAN, facts)


def _read_duration(option: Option, driver: Driver, text: str) -> Duration | Misread | None:
    number: Fraction | int | None
    word = option.unit or "s"
    unit = NANOSECONDS.get(word, 1)
    if word in _SPELLED:
        number = _SPELLED[word](text)
    elif text.isdigit() and text.isascii() and len(text) < 20:
        number = int(text)
    else:
        pattern = _DECIMAL if option.fraction else _INTEGER
        number = Fraction(text.strip()) if pattern.fullmatch(text.strip()) else None
    if number is None:
        facts = {"name": option.name, "unit": option.unit or "s", "example": _example(option, text)}
        return Misread(Case.DURATION, facts)
    if number < 0 and option.minimum is None:
        return _special(option, option.negative, "negative")
    if number == 0 and option.zero is not None:
        return _special(option, option.zero, "zero")
    outside = _outside(option, number)
    return Duration(round(number * unit)) if outside is None else outside


def _special(option: Option, meaning: str | None, number: str) -> Duration | Misread | None:
    if meaning == "unlimited":
        return Duration(None)
    if meaning == "none":
        return Duration(0)
    if meaning in {"system", "skipped", "from-server"}:
        return None
    return Misread(Case.SPECIAL_NUMBER, {"name": option.name, "number": number})


def _example(option: Option, text: str) -> str:
    """What to write instead: the duration that people write elsewhere, in this driver's form."""
    try:
        return str(write_duration(option, Duration.parse(text)).value)
    except ValueError:
        return {"go": "5s", "iso": "PT5S"}.get(option.unit or "", "")


def _unit(option: Option) -> str:
    return {"s": "seconds", "ms": "milliseconds", "min": "minutes", "ns": "nanoseconds"}.get(option.unit or "", "units")


def _read_go(text: str) -> Fraction | None:
    """Read a Go duration (time.ParseDuration): signed, parts with units, or a bare 0. Gives nanoseconds."""
    sign = -1 if text[:1] == "-" else 1
    rest = text[1:] if text[:1] in {"+", "-"} else text
    if rest == "0":
        return Fraction(0)
    total, position = Fraction(0), 0
    while position < len(rest):
        match = _GO_PART.match(rest, position)
        if match is None:
            return None
        unit = {"m": "min", "μs": "us"}.get(match[2], match[2])
        total += Fraction(match[1]) * NANOSECONDS[unit]
        position = match.end()
    return sign * total if rest else None


def _read_iso(text: str) -> Fraction | None:
    """Read an ISO 8601 duration as java.time.Duration.parse takes it: days, hours, minutes and seconds."""
    match = _ISO.fullmatch(text)
    if match is None or not any(match.groups()[1:]) or text[-1] in "Tt":
        return None
    units = (NANOSECONDS["d"], NANOSECONDS["h"], NANOSECONDS["min"], NANOSECONDS["s"])
    total = sum((Fraction(n) * u for n, u in zip(match.groups()[1:], units) if n), Fraction(0))
    return -total if match[1] == "-" else total


def _read_suffix(text: str) -> Fraction | None:
    """Read Oracle Net's durations: seconds, or a number with its unit."""
    match = _SUFFIX.fullmatch(text.strip())
    if match is None:
        return None
    return Fraction(match[1]) * NANOSECONDS[{"": "s", "sec": "s"}.get(match[2].lower(), match[2].lower())]


_SPELLED: Mapping[str, Callable[[str], Fraction | None]] = {"go": _read_go, "iso": _read_iso, "suffix": _read_suffix}
"""Durations that are spelled with their units; each reader gives nanoseconds."""


_READERS: Mapping[str, Callable[[Option, Driver, str], OptionValue | Misread | None]] = {
    "duration": _read_duration,
    "bool": _read_bool,
    "int": _read_int,
    "bytes": _read_size,
    "word": _read_word,
}
"""How a word of each type is read; texts and objects stay as they are."""


def write_value(option: Option, driver: Driver, value: OptionValue) -> Written:
    """Give the driver's form of a typed value.

    Raises
    ------
    NoWord
        When the driver cannot say it.
    """
    text = value.unmask() if isinstance(value, Secret) else value
    if option.shape is not None and isinstance(text, str) and re.fullmatch(option.shape, text) is None:
        raise NoWord(f"{driver.title} wants {option.wants or 'another value'} here")
    if isinstance(value, Duration) and option.type == "duration":
        return write_duration(option, value)
    if isinstance(value, bool) and option.type == "bool":
        if option.values is None:
            return Written(value)
        return Written(_word_for(option, "true" if value else "false"))
    if isinstance(value, ByteSize) and option.type == "bytes":
        unit = _SIZES[option.unit or "B"]
        count = -(-value.bytes // unit)
        if count == 0 and option.zero:
            return Written(1, f"0 would not mean none to {driver.title}: the smallest size is written")
        return Written(count, None if value.bytes % unit == 0 else f"rounded up to whole {option.unit}")
    if isinstance(value, int) and not isinstance(value, bool) and option.type == "int":
        problem = _outside(option, value)
        if problem is not None:
            raise NoWord(f"{option.name} takes no number outside its bounds")
        return Written(value)
    if isinstance(value, str) and option.type == "word":
        return _write_word(option, value)
    if isinstance(value, Secret) and (option.secret or (isinstance(value, MaskedText) and option.type == "str")):
        return Written(value)
    if isinstance(value, str) and option.type == "str":
        return Written(value)
    raise NoWord(f"{option.name} takes a {option.type}, and the value is of another kind")


def _write_word(option: Option, value: str) -> Written:
    near = (load_canonical()[option.canonical].near or {}).get(value) if option.canonical is not None else None
    known = (option.values or {}).values()
    if near is None or value in known or near not in known:
        return Written(_word_for(option, value))
    return Written(_word_for(option, near), f"{option.name} has no word for {value}; {near} is the nearest")


def _word_for(option: Option, canonical: str) -> str:
    for word, meaning in (option.values or {}).items():
        if meaning == canonical:
            return word
    known = ", ".join(dict.fromkeys((option.values or {}).values()))
    raise NoWord(f"{option.name} has no word for this; it knows {known}")


def write_duration(option: Option, value: Duration) -> Written:
    """Write a duration in the option's unit: rounded up, kept inside its bounds, and never turned into "no limit"."""
    if value.nanoseconds is None:
        if option.zero == "unlimited":
            return Written({"go": "0s", "iso": "PT0S"}.get(option.unit or "", 0))
        if option.negative == "unlimited":
            return Written({"go": "-1ns", "iso": "PT-1S"}.get(option.unit or "", -1))
        raise NoWord(f"{option.name} has no word for waiting without limit")
    if option.unit == "go":
        return _write_go(option, value.nanoseconds)
    if option.unit == "suffix":
        return _write_suffix(option, value.nanoseconds)
    if option.unit == "iso":
        return _write_iso(option, value.nanoseconds)
    unit = NANOSECONDS[option.unit or "s"]
    number = Fraction(value.nanoseconds, unit)
    loss = None
    if option.fraction:
        if number.denominator == 1:
            return Written(int(number))
        return Written(float(number))
    count = ceil(number)
    if count != number:
        loss = f"rounded up to whole {_unit(option)}"
    if count == 0 and option.zero not in {None, "none"}:
        count, loss = 1, f"0 does not mean 'at once' here: the shortest time, 1 {option.unit}, is written"
    if option.minimum is not None and count < option.minimum:
        count, loss = option.minimum, f"raised to the least that {option.name} takes"
    if option.maximum is not None and count > option.maximum:
        count, loss = option.maximum, f"lowered to the most that {option.name} takes"
    return Written(count, loss)


def _write_go(option: Option, nanoseconds: int) -> Written:
    if nanoseconds == 0 and option.zero not in {None, "none"}:
        return Written("1ns", "0 would mean no limit here: the shortest time is written")
    if nanoseconds > _GO_LARGEST:
        return Written(f"{_GO_LARGEST}ns", "lowered to the longest time that Go can hold")
    for word, unit in (("h", "h"), ("m", "min"), ("s", "s"), ("ms", "ms"), ("us", "us")):
        if nanoseconds and nanoseconds % NANOSECONDS[unit] == 0:
            return Written(f"{nanoseconds // NANOSECONDS[unit]}{word}")
    return Written(f"{nanoseconds}ns")


def _write_iso(option: Option, nanoseconds: int) -> Written:
    if nanoseconds == 0 and option.zero not in {None, "none"}:
        return Written("PT0.000000001S", "0 would mean no limit here: the shortest time is written")
    seconds, rest = divmod(nanoseconds, NANOSECONDS["s"])
    fraction = f".{rest:09}".rstrip("0") if rest else ""
    return Written(f"PT{seconds}{fraction}S")


def _write_suffix(option: Option, nanoseconds: int) -> Written:
    milliseconds = -(-nanoseconds // NANOSECONDS["ms"])
    loss = None if milliseconds * NANOSECONDS["ms"] == nanoseconds else "rounded up to whole milliseconds"
    if milliseconds == 0 and option.zero not in {None, "none"}:
        milliseconds, loss = 1, "0 does not mean 'at once' here: the shortest time is written"
    if milliseconds > 999_999_999_000:
        milliseconds, loss = 999_999_999_000, "lowered to the most that can be written"
    return Written(f"{milliseconds}ms" if milliseconds % 1000 else str(milliseconds // 1000), loss)


def word_of(value: object, driver: Driver) -> str | Secret:
    """Give a written value as the word that stands in a text: booleans in the driver's words, numbers in digits.

    A secret stays one.
    """
    if isinstance(value, Secret):
        return value
    if isinstance(value, bool):
        return driver.true_words[0] if value else driver.false_words[0]
    if isinstance(value, float):
        return format(value, ".9f").rstrip("0").rstrip(".")
    return str(value)
