"""``cordtally secret check``: whether the secrets of the tally are there."""

from __future__ import annotations

import time
from pathlib import Path

import click

from ..sweeping import is_tracked
from ..tally import load
from ..tally.checking import CheckedSecret, check_secrets
from .inputs import json_option, surroundings
from .layout import Line
from .output import print_json
from .screen import Screen

_DAY = 86400.0
_SPANS = ((_DAY, "days"), (3600.0, "h"), (60.0, "min"), (1.0, "s"))


@click.command("check")
@click.option(
    "--tally", "tally_file", type=click.Path(path_type=Path), help="The tally file; the nearest tally.toml if absent."
)
@click.option(
    "--fail-on",
    type=click.Choice(["missing", "risky", "never"]),
    default="missing",
    show_default=True,
    help="Exit with status 1 where a secret is missing, or where others may read one, too.",
)
@json_option
def command(tally_file: Path | None, fail_on: str, as_json: bool) -> int:
    """Say of each locator of the tally whether a secret is there, how old it is, and who else may read it."""
    tally = load(tally_file)
    found = check_secrets(tally, surroundings(tally.folder), tracked=is_tracked)
    if as_json:
        print_json({"schema": "cordtally/secrets/1", "secrets": [one.to_dict() for one in found]})
    else:
        _print(found)
    missing = any(one.problem is not None and not one.known for one in found)
    risky = any(one.problem is not None for one in found)
    return int((missing and fail_on != "never") or (risky and fail_on == "risky"))


def _print(found: list[CheckedSecret]) -> None:
    screen = Screen()
    if not found:
        screen.say("the tally names no secret", "dim")
        return
    ends = any(one.told is not None and one.told.expires is not None for one in found)
    rows: list[list[str | Line]] = [
        [one.locator, Line(_state(one), _style(one)), _age(one), *([_end(one)] if ends else []), ", ".join(one.cords)]
        for one in found
    ]
    heads = ("locator", "secret", "changed", *(("ends",) if ends else ()), "cords")
    screen.table(rows, heads=heads, whole=(0, 1, 3) if ends else (0, 1))
    for one in found:
        if one.problem is not None:
            screen.say(f"{one.locator}: {one.problem}", _style(one), hang=4)


def _state(one: CheckedSecret) -> str:
    if one.problem is not None:
        return "risky" if one.known else "missing"
    return "there" if one.known else "is asked for"


def _style(one: CheckedSecret) -> str:
    if one.problem is None:
        return "green" if one.known else "dim"
    return "yellow" if one.known else "red"


def _age(one: CheckedSecret) -> str:
    if one.told is None or one.told.changed is None:
        return "–"
    days = (time.time() - one.told.changed) / _DAY
    return "today" if days < 1 else f"{days:,.0f} days ago"


def _end(one: CheckedSecret) -> str:
    if one.told is None or one.told.expires is None:
        return "–"
    left = max(0.0, one.told.expires - time.time())
    size, unit = next((size, unit) for size, unit in _SPANS if left >= 2 * size or size == 1)
    return f"in {left / size:,.0f} {unit}"
