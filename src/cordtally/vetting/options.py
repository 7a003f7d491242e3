"""Checks of options: unknown ones, those of another driver, and times in the wrong unit."""

from __future__ import annotations

from collections.abc import Iterator

from ..catalog import Driver, Option, driver_ids, load_canonical, load_driver, load_index
from ..exchange import OptionRow, Reading
from ..model import Duration
from ..model.values import NANOSECONDS
from .findings import Finding, Severity, finding

_MOST_ADVICE = 50


def check_remarks(reading: Reading) -> Iterator[Finding]:
    """Turn what the reader remarked into findings; an unknown option is looked for among the other drivers."""
    driver = load_driver(reading.driver)
    unknown = iter([row for row in reading.rows if row.option is None])
    asked = 0
    for remark in reading.remarks:
        if remark.rule != "unknown-option":
            yield finding(remark.rule, remark.message, remark.fix, span=(remark.start, remark.end))
            continue
        severity = Severity.ERROR if driver.unknown_options == "refused" else Severity.WARNING
        row = next(unknown, None)
        asked += 1
        other = _owner(row.name, reading) if row is not None and asked <= _MOST_ADVICE else None
        if row is None or other is None:
            yield finding(remark.rule, remark.message, remark.fix, span=(remark.start, remark.end), severity=severity)
            continue
        message, fix = _of_other(row.name, other, driver)
        yield finding("option-of-other-driver", message, fix, span=(remark.start, remark.end), severity=severity)


def _owner(name: str, reading: Reading) -> tuple[Driver, Option] | None:
    for driver_id in driver_ids():
        if driver_id == reading.driver or reading.cord.engine not in load_index()["drivers"][driver_id]["engines"]:
            continue
        option = load_driver(driver_id).option(name)
        if option is not None and option.name.casefold() == name.casefold():
            return load_driver(driver_id), option
    return None


def _of_other(name: str, owner: tuple[Driver, Option], driver: Driver) -> tuple[str, str]:
    other, option = owner
    own = driver.by_canonical.get(option.canonical or "")
    message = f"{name} is an option of {other.title}; {driver.title} does not know it"
    if own is not None:
        return message, f"{driver.title} calls it {own.name}"
    if option.canonical == "tls.level" and driver.tls:
        words = "; ".join(f"{s.meaning}: {_said(s.set)}" for s in driver.tls if s.set and not s.read_only)
        return message, f"{driver.title} says it so: {words}"
    return message, "leave it out here, or set it where this driver takes it"


def _said(pairs: tuple[tuple[str, str], ...]) -> str:
    return ", ".join(f"{k}={v}" for k, v in pairs)


def check_units(reading: Reading) -> Iterator[Finding]:
    """Find durations that make sense only in another unit than the driver's."""
    driver = load_driver(reading.driver)
    for row in reading.rows:
        option = row.option
        if option is None or not isinstance(row.value, Duration) or row.value.nanoseconds is None:
            continue
        fact = load_canonical().get(option.canonical or "")
        if fact is None or not fact.usual or option.unit in {"go", "iso", "suffix"}:
            continue
        low, high = (Duration.parse(bound) for bound in fact.usual)
        meant = _meant(row.value.nanoseconds, low.nanoseconds or 0, high.nanoseconds or 0)
        if meant is not None:
            yield _unit_finding(reading, row, option, driver, meant)


def _meant(nanoseconds: int, low: int, high: int) -> int | None:
    """The duration that was probably meant: a thousandth if far too long, a thousandfold if far too short."""
    if nanoseconds > high and low <= nanoseconds // 1000 <= high:
        return nanoseconds // 1000
    if 0 < nanoseconds < low <= nanoseconds * 1000 <= high:
        return nanoseconds * 1000
    return None


def _unit_finding(reading: Reading, row: OptionRow, option: Option, driver: Driver, meant: int) -> Finding:
    part = next((p for p in reading.parts if p.name == row.name), None)
    unit = {"s": "seconds", "ms": "milliseconds"}.get(option.unit or "", str(option.unit))
    instead = max(1, round(meant / NANOSECONDS[option.unit or "s"]))
    assert isinstance(row.value, Duration)
    message = f"{driver.title} reads {row.name} in {unit}: {row.raw} is {row.value.rough()}"
    fix = f"if you meant {Duration(meant)}, write {instead}"
    return finding("suspicious-unit", message, fix, span=None if part is None else (part.start, part.end))
