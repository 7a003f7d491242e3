"""Knows places by their hosts' names: managed services, balancers, poolers."""

from __future__ import annotations

import re
from collections.abc import Mapping
from fnmatch import translate
from functools import cache, lru_cache

from .engine_facts import Service
from .loading import load_raw


@cache
def load_services() -> Mapping[str, Service]:
    """Load the known places, by their ids."""
    return {service_id: Service(id=service_id, **entry) for service_id, entry in load_raw("services").items()}


@cache
def _patterns() -> tuple[re.Pattern[str], Mapping[str, Service]]:
    """One pattern for all, so that a name that is no place's costs one look; and the places by the number of theirs."""
    rows = [(translate(host), service) for service in load_services().values() for host in service.hosts]
    whole = "|".join(f"({pattern})" for pattern, _ in rows)
    return re.compile(whole, re.IGNORECASE), {str(number): service for number, (_, service) in enumerate(rows, 1)}


@lru_cache(maxsize=4096)
def service_of(host: str) -> Service | None:
    """Say which known place a host's name belongs to."""
    pattern, services = _patterns()
    match = pattern.fullmatch(host)
    return None if match is None else services[str(match.lastindex)]
