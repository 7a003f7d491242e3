"""Vets a tally: each cord in each environment, and what two environments should not share."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import combinations
from pathlib import Path

from ..model import Locator
from ..tally import Resolved, Tally
from ..vetting import Finding, RuleId, vet_cord
from ..vetting.findings import finding
from ..vetting.leading import is_production
from .services import vet_services

_LAYERS = ("environments.{environment}.{name}", "cords.{name}")


def vet_tally(tally: Tally, shown: Path, only: str | None = None) -> Iterator[Finding]:
    """Vet the cords of a tally, in the environment that is asked for or in all of them, and its services."""
    for name in tally.names():
        resolved = list(_resolved(tally, name, only))
        for one in resolved:
            yield from _vet_one(tally, one, shown)
        if only is None:
            yield from _vet_shared(tally, [one for one in resolved if one.environment is not None], shown)
    yield from vet_services(tally, shown, only)


def _resolved(tally: Tally, name: str, only: str | None) -> Iterator[Resolved]:
    for environment in (None, *tally.environments):
        if only is not None and environment != only:
            continue
        if environment is None or name in tally.environments[environment] or only is not None:
            yield tally.resolve(name, environment=environment)


def vet_resolved(one: Resolved) -> Iterator[Finding]:
    """Vet one cord of a tally as it is in its environment."""
    yield from vet_cord(one.cord, folder=one.folder, environment=one.environment)
    yield from _surprises(one)


def _surprises(one: Resolved) -> Iterator[Finding]:
    for surprise in one.surprises:
        hint = "see: cordtally show"
        yield finding(RuleId.VARIABLE_WINS, surprise, hint)


def _vet_one(tally: Tally, one: Resolved, shown: Path) -> Iterator[Finding]:
    source = f"{shown}: {one.name}" + (f" in {one.environment}" if one.environment else "")
    for found in vet_resolved(one):
        yield _placed(tally, one, found, source)


def _placed(tally: Tally, one: Resolved, found: Finding, source: str) -> Finding:
    """Give a finding the line of its cord, in the environment's table where it has one."""
    for layer in _LAYERS:
        line = tally.file.line(layer.format(environment=one.environment, name=one.name), "")
        if line is not None:
            return replace(found, source=source, line=line, column=1)
    return replace(found, source=source)


def _vet_shared(tally: Tally, resolved: Sequence[Resolved], shown: Path) -> Iterator[Finding]:
    """What production shares with another environment."""
    for one, other in combinations(resolved, 2):
        first, second = (one, other) if is_production(one.environment) else (other, one)
        if not is_production(first.environment) or is_production(second.environment):
            continue
        source = f"{shown}: {first.name} in {second.environment}"
        if isinstance(first.cord.password, Locator) and first.cord.password == second.cord.password:
            message = f"{second.environment} and {first.environment} have one secret, {first.cord.password}"
            hint = "give each environment a secret of its own"
            yield _placed(tally, second, finding(RuleId.SHARED_SECRET, message, hint), source)
        if _target(first) == _target(second) and first.cord.hosts:
            message = f"{second.environment} and {first.environment} lead to one database"
            hint = "give each environment a server, or a database, of its own"
            yield _placed(tally, second, finding(RuleId.SHARED_HOST, message, hint), source)


def _target(one: Resolved) -> tuple[object, ...]:
    cord = one.cord
    return cord.hosts, cord.database, cord.discovery
