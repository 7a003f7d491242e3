"""What a known place wants of its callers, filled in where nothing is said: port, TLS, options."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from ..catalog import load_engine
from ..catalog.engine_facts import Service
from ..exchange.places import place_of
from ..model import Cord, Host, TlsLevel
from ..text import as_text


class Filled(NamedTuple):
    """A cord with what its place wants, and what that is: lines for people; the place is None where none is known."""

    cord: Cord
    place: Service | None
    lines: tuple[str, ...]


def fill_in(cord: Cord) -> Filled:
    """Fill in what the place of the hosts wants, and the engine, where the cord says nothing; the rest is left alone.

    Examples
    --------
    >>> import cordtally as ct
    >>> filled = ct.fill_in(ct.compose(engine="redis", host="lights.redis.cache.windows.net"))
    >>> str(filled.cord.hosts[0]), filled.cord.tls.level.value
    ('lights.redis.cache.windows.net:6380', 'verify-identity')
    >>> filled.lines
    ('port 6380', 'TLS verify-identity')
    """
    place, engine = place_of(cord), load_engine(cord.engine)
    # what a place wants is for the engines that are there, and for none that is not
    if place is not None and place.engines and {cord.engine, engine.family}.isdisjoint(place.engines):
        place = None
    if place is None and not engine.wants:
        return Filled(cord, None, ())
    lines = []
    port = place.port if place is not None and place.port != engine.default_port else None
    if port is not None and all(host.port is None and host.instance is None for host in cord.hosts):
        cord = cord.copy_with(hosts=tuple(Host(host.address, port) for host in cord.hosts))
        lines.append(f"port {port}")
    if place is not None and place.demands_tls and place.tls is not None and cord.tls.level is None:
        # with an authority at hand there is no reason for less
        level = TlsLevel.VERIFY_IDENTITY if cord.tls.ca is not None else TlsLevel(place.tls)
        cord = cord.copy_with(tls=replace(cord.tls, level=level))
        lines.append(f"TLS {level.value}")
    for name, value in {**engine.wants, **(place.wants if place is not None else {})}.items():
        if cord.option(name) is None:
            cord = cord.copy_with(options={**dict(cord.options), name: value})
            lines.append(f"{name} {as_text(value)}")
    return Filled(cord, place, tuple(lines))
