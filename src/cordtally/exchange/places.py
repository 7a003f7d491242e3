"""The place that a cord leads to, where it is a known one: a managed service, a balancer, a pooler."""

from __future__ import annotations

from ..catalog.engine_facts import Service
from ..catalog.services import service_of
from ..model import Cord, DiscoveryKind
from ..text import as_text


def place_of(cord: Cord) -> Service | None:
    """Give the place of a cord's hosts, or of the name that its service record stands under; None for any other."""
    names = [host.name for host in cord.hosts]
    if cord.discovery.kind is DiscoveryKind.SRV and cord.discovery.name is not None:
        names.append(as_text(cord.discovery.name))
    return next((place for name in names if (place := service_of(name)) is not None), None)
