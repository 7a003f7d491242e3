"""``cordtally read``: take a string apart and explain every part."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import click

from ..catalog import Option, ids_of, load_canonical, load_driver, load_engine
from ..catalog.engine_facts import Service
from ..exchange import OptionRow, Part, Reading, read
from ..exchange.defaults import default_level
from ..exchange.documents import json_value
from ..exchange.places import place_of
from ..exchange.targets import load_target
from ..model import Duration, Secret
from ..text import as_text, masked_position
from ..vetting import Finding, vet_reading
from .connections import CONNECTION_HELP, take_connection, text_options
from .inputs import driver_option, environment_option, json_option, unmask_option
from .lines import stream_lines
from .output import ZEROES, Mark, count_findings, marked_lines, print_findings, print_json
from .screen import Screen, clean

if TYPE_CHECKING:
    from pathlib import Path

    from ..lookups import Resolution

_MOST_NAMED = 3
_TITLES = {
    "scheme": "scheme",
    "tls.level": "TLS",
    "tls.ca": "TLS authority",
    "tls.certificate": "TLS certificate",
    "tls.key": "TLS key",
    "tls.key_password": "TLS key password",
    "ignored": "not heeded",
}


@click.command("read", epilog=CONNECTION_HELP + " A cord is read as it is written for its driver.")
@text_options
@driver_option
@environment_option
@json_option
@click.option("--lines", is_flag=True, help="Read JSON lines from standard input, write JSON lines.")
@click.option("--effective", is_flag=True, help="With --json: fill in the driver's and engine's defaults.")
@click.option("--limit", default="5s", show_default=True, help="With --resolve: how long a name server may take.")
@click.option("--resolve", "follow", is_flag=True, help="Follow service records, aliases, services, data sources.")
@unmask_option
def command(
    text: str | None,
    from_env: str | None,
    driver: str | None,
    environment: str | None,
    tally_file: Path | None,
    as_json: bool,
    lines: bool,
    effective: bool,
    limit: str,
    follow: bool,
    unmask: bool,
) -> int:
    """Take a connection string apart: who reads it, where each part stands, what each option means."""
    if lines:
        return stream_lines(lambda request: _document(_read_request(request), effective, unmask))
    named = take_connection(text, from_env=from_env, driver=driver, environment=environment, tally_file=tally_file)
    reading = named.reading()
    resolution = _follow(reading, limit) if follow else None
    if as_json:
        document = _document(reading, effective, unmask)
        if resolution is not None:
            document["resolved"] = resolution.to_dict()
        print_json(document)
    else:
        _print(reading, unmask, named.driver is not None)
        if resolution is not None:
            _print_resolution(resolution)
    return 0


def _follow(reading: Reading, limit: str) -> Resolution:
    from ..lookups import resolve

    return resolve(reading, limit=Duration.parse(limit).seconds)


def _print_resolution(resolution: Resolution) -> None:
    screen = Screen()
    screen.say()
    if not resolution.steps:
        screen.say("nothing to look up: hosts and database are stated", "dim")
        return
    for step in resolution.steps:
        screen.say(f"followed  {step}")
    cord = resolution.cord
    hosts = ", ".join(map(str, cord.hosts)) or "the engine's default host"
    screen.say(f"leads to  {hosts}" + (f", database {cord.database}" if cord.database else ""))


def _read_request(request: Mapping[str, Any]) -> Reading:
    return read(request["text"], driver=request.get("from"))


def _document(reading: Reading, effective: bool, unmask: bool) -> dict[str, object]:
    document = reading.to_dict(unmask=unmask, effective=effective)
    document["findings"] = [found.to_dict() for found in vet_reading(reading)]
    return document


def _others(reading: Reading) -> list[str]:
    """The other drivers that take a text with this beginning."""
    scheme = next((p for p in reading.parts if p.role == "scheme"), None)
    if scheme is None:
        return []
    prefix = reading.text.unmask()[scheme.start : scheme.end]
    found = []
    for driver_id in ids_of(reading.cord.engine, None):
        notations = load_driver(driver_id).notations
        taken = {p for n in notations for listed in (*n.schemes.values(), *n.accepts.values()) for p in listed}
        if driver_id != reading.driver and prefix in taken:
            found.append(driver_id)
    return found


def _listed(names: list[str]) -> str:
    shown = names[:_MOST_NAMED]
    more = len(names) - len(shown)
    return ", ".join(shown) + (f" and {more} more" if more else "")


def _print(reading: Reading, unmask: bool, chosen: bool) -> None:
    screen = Screen()
    driver = load_driver(reading.driver)
    screen.say(f"Read as {driver.title} ({reading.driver}/{reading.notation}) would read it:", "bold")
    if reading.alike:
        screen.say(f"({' and '.join(load_driver(name).title for name in reading.alike)} would read it alike.)")
    screen.say()
    source = reading.text.unmask()
    secret_spans = [] if unmask else list(reading.secret_spans)
    numbered = [(str(n), p) for n, p in enumerate((p for p in reading.parts if p.role != "scheme"), 1)]
    marks = [
        Mark(masked_position(p.start, secret_spans), masked_position(p.end, secret_spans), label)
        for label, p in numbered
        if p.end > p.start
    ]
    shown = source if unmask else str(reading.text)
    for line in marked_lines(shown, marks, screen.width - 4):
        screen.say("  " + line)
    rows = [_row(label, part, reading, unmask) for label, part in numbered]
    screen.table([*rows, *_implied_rows(reading)], heads=("", "part", "value", "meaning"), right=(0,))
    if not chosen and (others := _others(reading)):
        screen.say(f"\nother readers (--from): {_listed(others)}", "dim")
    findings = vet_reading(reading)
    screen.say()
    if findings:
        _print_short(findings)
        screen.say(f"{count_findings(findings)}; cordtally vet says why", "dim")
    else:
        screen.say("nothing doubtful", "green")


def _print_short(findings: tuple[Finding, ...]) -> None:
    print_findings(Screen(), findings, explain=False)


def _row(label: str, part: Part, reading: Reading, unmask: bool) -> tuple[str, str, str, str]:
    row = next((r for r in reading.rows if r.name == part.name), None)
    if unmask:
        value = reading.text.unmask()[part.start : part.end]
    else:
        value = reading.shown(part)
        value = value if part.secret or row is None or isinstance(row.value, Secret) else _value(row)
    title = _TITLES.get(part.role, part.role)
    if part.role == "option":
        title = (
            row.option.canonical if row is not None and row.option is not None and row.option.canonical else "option"
        )
    return label, title, value, _meaning(part, row, reading)


def _value(row: OptionRow) -> str:
    if row.value is None:
        return str(row.raw)
    return str(row.value) if isinstance(row.value, Duration) else str(json_value(row.value))


def _meaning(part: Part, row: OptionRow | None, reading: Reading) -> str:
    driver = load_driver(reading.driver)
    named = f"{part.name}: " if part.name else ""
    if part.role == "password":
        states = {"literal": "stands in the text", "placeholder": "a placeholder, never replaced"}
        return f"{named}{states.get(reading.password_state, reading.password_state)}"
    if part.role == "tls.level":
        level = reading.cord.tls.level
        state = next((s for s in driver.tls if level is not None and s.meaning == level.value and s.why), None)
        why = f" ({state.why})" if state is not None and level is not None else ""
        return f"{named}{level.value if level is not None else 'no level by itself'}{why}"
    if part.role == "database":
        return f"{named}{load_engine(reading.cord.engine).database_is}".removesuffix(": ")
    if row is None or row.option is None:
        carries = load_target(reading.target).facts.carries
        if carries is not None and part.name == carries[0]:
            return f"{named}a whole text of its own, as {load_driver(carries[1].partition('/')[0]).title} has it"
        return f"{named}unknown to this driver" if part.role == "option" else ""
    fact = load_canonical().get(row.option.canonical or "")
    told = fact.meaning if fact is not None else row.option.note or ""
    counted = row.option.type == "duration" and row.option.unit not in {"go", "iso", "suffix"}
    extra = [f"in {_UNITS.get(row.option.unit or '', row.option.unit)}" if counted else ""]
    extra += [_range(row.option), _default(row.option)]
    extra += [f"retired in {row.option.retired}; now {row.option.replacement}" if row.option.retired else ""]
    return clean(f"{named}{told} {_bracketed(extra)}").strip()


_UNITS = {"s": "seconds", "ms": "milliseconds", "min": "minutes", "h": "hours", "us": "microseconds"}


def _range(option: Option) -> str:
    low, high = option.minimum, option.maximum
    if low is not None and high is not None:
        return f"{low} to {high}"
    return f"{low} or more" if low is not None else f"{high} at most" if high is not None else ""


def _default(option: Option) -> str:
    if option.default is None or option.default == "":
        return ""
    if option.default == 0 and option.zero is not None:
        return f"default 0: {ZEROES[option.zero]}"
    return f"default {as_text(option.default)}"


def _bracketed(parts: list[str]) -> str:
    told = "; ".join(p for p in parts if p)
    return f"({told})" if told else ""


def _told_of(place: Service) -> str:
    """What a place wants: its port, TLS, ways to log in, and what is known to be otherwise there."""
    told = [f"port {place.port}"] if place.port is not None else []
    told += ["TLS only"] if place.demands_tls else []
    told += [place.authority] if place.authority else []
    told += [f"log-in by {' or '.join(place.log_in)}"] if place.log_in else []
    told += [f"user: {place.user}"] if place.user else []
    told += [f"a token: {place.token}"] if place.token else []
    told += [f"wants {name} {as_text(value)}" for name, value in place.wants.items()]
    return "; ".join(told)


def _implied_rows(reading: Reading) -> list[tuple[str, str, str, str]]:
    cord, driver = reading.cord, load_driver(reading.driver)
    rows = [("", "engine", cord.engine, ""), ("", "log-in", cord.login.value, "by what is given")]
    if load_target(reading.target).facts.carries is not None:  # what stands in a text inside has no part of its own
        shown = {part.role for part in reading.parts}
        found = [("host", str(host)) for host in cord.hosts]
        found += [(name, str(value)) for name in ("database", "user") if (value := getattr(cord, name))]
        rows += [("", name, value, "in the text inside") for name, value in found if name not in shown]
    place = place_of(cord)
    if place is not None:
        rows.append(("", "place", place.title, _told_of(place)))
    if cord.tls.level is None and (default := default_level(reading)) is not None:
        rows.append(("", "TLS", default, f"not stated; the default of {driver.title}"))
    return rows
