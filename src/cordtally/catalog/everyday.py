"""Everyday names: what a person may call an engine, a language, a TLS level, a driver or a pool."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping
from functools import cache
from pathlib import Path

from .nearest import find_nearest

_LEAST = 3  # letters; a shorter beginning is a slip


def find_name(kind: str, given: str, known: Iterable[str], titles: Mapping[str, str] | None = None) -> str | None:
    """Give the known name that is meant; None where none is, or several are.

    It is meant by itself, in other capitals, by an everyday name of its ``kind``, by its title (``titles`` maps names
    to them), or by a beginning that no other has.
    """
    names = list(known)
    if given in names:
        return given
    short = _fold(given)
    by_fold = {_fold(name): name for name in names}
    called = by_fold.get(short) or _everyday().get(kind, {}).get(short)
    if called in names:
        return called
    for name, title in (titles or {}).items():
        if _fold(title) == short and name in names:
            return name
    beginnings = [name for fold, name in by_fold.items() if fold.startswith(short)]
    return beginnings[0] if len(beginnings) == 1 and len(short) >= _LEAST else None


def nearest_names(kind: str, given: str, known: Iterable[str]) -> tuple[str, ...]:
    """Give the known names that a slip may mean, by themselves or by an everyday name; best first."""
    names, called = list(known), _everyday().get(kind, {})
    found = find_nearest(given, [*names, *called])
    return tuple(dict.fromkeys(called.get(name, name) for name in found if called.get(name, name) in names))


def _fold(name: str) -> str:
    return "".join([character for character in name.casefold() if character not in " -_./"])


@cache
def _everyday() -> Mapping[str, Mapping[str, str]]:
    found: dict[str, dict[str, str]] = tomllib.loads(Path(__file__).with_name("everyday.toml").read_text("utf-8"))
    return found
