"""``cordtally drivers``: what the catalog knows."""

from __future__ import annotations

from collections import Counter

import click

from ..catalog import (
    Driver,
    Option,
    State,
    driver_ids,
    engine_ids,
    family_of,
    find_nearest,
    ids_of,
    load_canonical,
    load_driver,
    load_engine,
    load_index,
    own_engines,
)
from ..errors import FieldError, UnknownName, quoted
from ..text import as_text
from . import completing
from .inputs import json_option
from .naming import DRIVER, ENGINE, LANGUAGE
from .output import ZEROES, print_json
from .screen import Screen


@click.command("drivers")
@click.argument("driver_id", metavar="[ID]", type=DRIVER, required=False)
@click.option("--engine", type=ENGINE, metavar="ENGINE", help="Only drivers of this engine.")
@click.option("--family", type=ENGINE, metavar="ENGINE", help="Only those of engines that speak this one's protocol.")
@click.option("--language", type=LANGUAGE, metavar="LANGUAGE", help="Only drivers of this language.")
@click.option("--search", "words", metavar="WORDS", help="Only drivers that all of these words describe: jdbc mysql.")
@click.option("--all", "every", is_flag=True, help="All drivers, by engine, instead of the engines alone.")
@click.option(
    "--option",
    "option_name",
    metavar="NAME",
    shell_complete=completing.options,
    help="One canonical option in every driver, side by side.",
)
@json_option
def command(
    driver_id: str | None,
    engine: str | None,
    family: str | None,
    language: str | None,
    words: str | None,
    every: bool,
    option_name: str | None,
    as_json: bool,
) -> int:
    """List engines, or drivers; with an ID, how to install that one, how it writes TLS, and its options."""
    if driver_id is not None:
        driver = load_driver(driver_id.partition("/")[0])
        print_json(_document(driver)) if as_json else _print_one(driver)
        return 0
    known = load_index()["drivers"]
    kin = None if family is None else _kin_of(family)
    listed = [
        (i, known[i])
        for i in ids_of(engine, language)
        if (words is None or _is_described(i, words)) and (kin is None or not kin.isdisjoint(own_engines(i)))
    ]
    if words is not None and not listed:
        raise FieldError(f"no driver here is described by {quoted(words)}; cordtally drivers lists all of them")
    if option_name is not None:
        _print_option(option_name, [i for i, _ in listed], as_json)
        return 0
    if as_json:
        told = [{"id": i, **{name: fact for name, fact in d.items() if name != "made_for"}} for i, d in listed]
        print_json({"schema": "cordtally/drivers/1", "drivers": told})
        return 0
    if not (every or engine or family or language or words):
        _print_engines()
        return 0
    screen = Screen()
    order = [*engine_ids(), _ANY]  # those that most people have come first
    groups: dict[str, list[tuple[str, str, str]]] = {}
    for i, d in listed:
        engines = own_engines(i) if len(own_engines(i)) < 4 else [_ANY]
        groups.setdefault(" and ".join(sorted(engines, key=order.index)), []).append((i, d["title"], d["language"]))
    for index, (title, rows) in enumerate(sorted(groups.items(), key=lambda g: order.index(g[0].split(" and ")[0]))):
        heads = ("driver", "what it is", "language")
        screen.say(("\n" if index else "") + title, "bold cyan")
        screen.table(rows, heads=heads, whole=(0,), shrink=1)
    screen.say(f"\n{len(listed)} of {len(driver_ids())} drivers; cordtally drivers ID tells more", "dim")
    return 0


def _kin_of(family: str) -> set[str]:
    """The engines that speak one protocol, whichever of them is named."""
    ids_of(family, None)  # who is unknown is said to be so
    spoken = family_of(family) or family
    return {spoken, *(one for one in engine_ids() if family_of(one) == spoken)}


def _print_engines() -> None:
    """Print one line for each engine: what it is called, whose protocol it speaks, and how many drivers reach it."""
    counts = Counter(engine for facts in load_index()["drivers"].values() for engine in facts["engines"])
    rows = [(i, load_engine(i).title, family_of(i) or "", str(counts[i])) for i in engine_ids()]
    screen = Screen()
    heads = ("engine", "what it is", "speaks as", "drivers")
    screen.table(rows, heads=heads, whole=(0,), shrink=1, right=(3,))
    screen.say(f"\n{len(driver_ids())} drivers of {len(rows)} engines", "dim")
    screen.say("--engine, --family, --language and --search list drivers, --all all of them", "dim")


def _is_described(driver_id: str, words: str) -> bool:
    """Tell whether each word stands in a driver's name, title, language, engines, notations, symbol or packages."""
    driver = load_driver(driver_id)
    engines = [load_engine(engine).title for engine in driver.engines]
    said = [driver.id, driver.title, driver.language, *driver.engines, *engines, driver.symbol]
    said += [*(notation.id for notation in driver.notations), *driver.packages.values()]
    text = " ".join(said).casefold()
    return all(word in text for word in words.casefold().split())


def _print_option(name: str, listed: list[str], as_json: bool) -> None:
    canonical = load_canonical()
    if name not in canonical:
        raise UnknownName("canonical option", name, nearest=find_nearest(name, canonical))
    found = [(i, load_driver(i).by_canonical.get(name)) for i in listed]
    if as_json:
        rows = [{"driver": i, **_option_document(o)} for i, o in found if o is not None]
        print_json(
            {"schema": "cordtally/option/1", "option": name, "meaning": canonical[name].meaning, "drivers": rows}
        )
        return
    screen = Screen()
    screen.say(f"{name}: {canonical[name].meaning}", "bold")
    screen.say()
    shown = [(i, *_option_row(o)) for i, o in found if o is not None]
    screen.table(shown, heads=("driver", "its name", "type", "default", "0 means"), whole=(0, 1, 2))
    without = [i for i, o in found if o is None]
    if without:
        screen.say(f"\nwithout it: {', '.join(without)}", "dim")


def _option_row(option: Option) -> tuple[str, str, str, str]:
    default = "" if option.default is None else as_text(option.default)
    return option.name, _kind(option), default, ZEROES.get(option.zero or "", "")


def _option_document(option: Option) -> dict[str, object]:
    return {
        "name": option.name,
        "aliases": list(option.aliases),
        "canonical": option.canonical,
        "type": option.type,
        "unit": option.unit,
        "default": option.default,
        "zero": option.zero,
        "meaning": _meaning(option),
    }


def _document(driver: Driver) -> dict[str, object]:
    return {
        "schema": "cordtally/driver/1",
        "id": driver.id,
        "title": driver.title,
        "language": driver.language,
        "engines": list(driver.engines),
        "symbol": driver.symbol,
        "packages": dict(driver.packages),
        "source": driver.source,
        "checked": driver.checked,
        "notations": [n.id for n in driver.notations],
        "tls": [{"level": s.meaning, "set": dict(s.set), "given": list(s.given)} for s in driver.tls],
        "log_in": [{"method": s.meaning, "set": dict(s.set)} for s in driver.authentication],
        "options": [_option_document(o) for o in driver.options.values()],
    }


def _print_one(driver: Driver) -> None:
    screen = Screen()
    screen.say(f"{driver.title} ({driver.id})", "bold")
    packages = "; ".join(f"{manager}: {name}" for manager, name in driver.packages.items())
    facts = [
        ("language", driver.language),
        ("engines", ", ".join(driver.engines)),
        ("install", packages),
        ("use", driver.symbol),
        ("notations", ", ".join(n.id for n in driver.notations)),
        ("facts from", driver.source + ("" if driver.checked else " (unchecked)")),
    ]
    screen.table(facts)
    for states, head in ((driver.tls, "TLS level"), (driver.authentication, "log-in")):
        levels = [(s.meaning, _written_as(s), s.why or "") for s in states if not s.read_only]
        if levels:
            screen.say()
            screen.table(levels, heads=(head, "written as", ""))
    screen.say()
    rows = [
        (o.name, _kind(o), "" if o.default is None else str(o.default), _meaning(o)) for o in driver.options.values()
    ]
    screen.table(rows, heads=("option", "type", "default", "meaning"))


def _written_as(state: State) -> str:
    given = ", ".join(state.given)
    words = ", ".join(f"{k.strip('()')}={v}" for k, v in state.set)
    return f"{given} alone" if not words else f"{words}, beside {given}" if given else words


_ANY = "any engine"
_SPELLED = {"go": "like 5s", "iso": "like PT5S", "suffix": "like 5 or 500ms"}


def _kind(option: Option) -> str:
    """What a value is: of a duration or a size, the unit that a bare number counts."""
    return _SPELLED.get(option.unit, option.unit) if option.unit else option.type


def _meaning(option: Option) -> str:
    fact = load_canonical().get(option.canonical or "")
    return option.note or (fact.meaning if fact is not None else "")
