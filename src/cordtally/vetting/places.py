"""Rules of places that are known by their hosts' names: what a managed service does not take."""

from __future__ import annotations

from collections.abc import Iterator

from ..exchange.places import place_of
from ..model import DiscoveryKind, TlsLevel
from ..text import as_text
from .ids import RuleId
from .looks import Look
from .rules import Severity, Sight, Told, rule


@rule(
    RuleId.PLACE_REFUSES,
    Severity.ERROR,
    Sight.HOST,
    title="something that this service does not take",
    why="The service is known by the host's name, and turns such a connection away, or a statement later on.",
    about="A connection without TLS where the service wants it, a service record where there is none, writes that are "
    "tried again where they are refused. The catalog's places are from public documentation.",
    bad=(
        "redis://lights.redis.cache.windows.net:6380/0",
        "mongodb://keeper@harbour.docdb.amazonaws.com/pilots?tls=true",
        "mongodb+srv://keeper@harbour.docdb.amazonaws.com/pilots?retryWrites=false",
    ),
    good=(
        "postgresql://keeper@harbour.postgres.database.azure.com/tides?sslmode=verify-full&sslrootcert=system",
        "mongodb://keeper@harbour.docdb.amazonaws.com/pilots?tls=true&retryWrites=false&tlsCAFile=global-bundle.pem",
    ),
)
def place_refuses(look: Look) -> Iterator[Told]:
    cord = look.cord
    place = place_of(cord)
    if place is None:
        return
    if place.demands_tls and look.tls_level()[0] is TlsLevel.OFF:
        level = f": {place.tls}" if place.tls is not None else ""
        yield Told(f"{place.title} takes no connection without TLS", f"ask for TLS{level}", look.place("tls.level"))
    if place.srv is False and cord.discovery.kind is DiscoveryKind.SRV:
        yield Told(f"{place.title} has no service record", "write mongodb://, with the port", look.place("scheme"))
    driver = look.driver
    for name, value in place.wants.items():
        option = None if driver is None else driver.by_canonical.get(name)
        given = cord.option(name)
        if option is None or (option.default if given is None else given) in {value, None}:
            continue
        wanted = f"{option.name}={as_text(value)}"
        yield Told(f"{place.title} wants {wanted}", f"say {wanted}", look.option_place(name))
