"""Vets the pools of a tally's services: the fields of each, and beside them the cord that it uses."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from ..catalog import find_nearest
from ..errors import PoolModelError
from ..model import Cord, Duration
from ..tally import Tally
from ..vetting import Finding, RuleId
from ..vetting.findings import finding

if TYPE_CHECKING:
    from ..pooling.budgeting import Service


def vet_services(tally: Tally, shown: Path, only: str | None = None) -> Iterator[Finding]:
    """Vet each service in the environment that is asked for, or as its cord is without one."""
    for name in tally.services:
        line = tally.file.line(f"services.{name}", "")
        column = None if line is None else 1
        for found in _vet_service(tally, name, only):
            yield replace(found, source=f"{shown}: service {name}", line=line, column=column)


def _vet_service(tally: Tally, name: str, environment: str | None) -> Iterator[Finding]:
    from ..pooling.budgeting import Service  # few tallies have services
    from ..pooling.budgeting.services import make_entry

    values = dict(tally.services[name])
    used = str(values.pop("cord", name))
    try:
        service: Service = make_entry(Service, name, {"name": name, **values})
    except PoolModelError as error:
        yield finding(RuleId.REFUSED_VALUE, str(error).partition(": ")[2], "see: cordtally pool budget --help")
        return
    if used not in tally.names():
        nearest = find_nearest(used, tally.names(), most=1)
        hint = f"write {nearest[0]}, if that is meant" if nearest else "see: cordtally show"
        yield finding(RuleId.REFUSED_VALUE, f"it uses {used}, which is no cord of the tally", hint)
        return
    yield from _beside(service, used, tally.resolve(used, environment=environment).cord)


def _beside(service: Service, used: str, cord: Cord) -> Iterator[Finding]:
    options = dict(cord.options)
    connect, most, least = (options.get(name) for name in ("connect_timeout", "pool_maximum", "pool_minimum"))
    if isinstance(connect, Duration) and service.acquire_timeout < connect.seconds:
        message = (
            f"acquire_timeout of {service.acquire_timeout:g} s gives up before {used} may be opened "
            f"(connect_timeout of {connect.seconds:g} s)"
        )
        yield finding(RuleId.ACQUIRE_BELOW_CONNECT, message, "make the acquire timeout the longer of the two")
    if isinstance(most, int) and isinstance(least, int) and least > most:
        message = f"pool_minimum of {used} is {least}, more than its pool_maximum, {most}"
        yield finding(RuleId.MINIMUM_ABOVE_MAXIMUM, message, "lower the minimum: the pool can never hold so many")
    if isinstance(most, int) and service.pool_size > most:
        message = f"pool_size is {service.pool_size}, but pool_maximum of {used} lets the driver open {most}"
        yield finding(RuleId.SETTING_WITHOUT_EFFECT, message, "give one number: without pool_size the cord's counts")
