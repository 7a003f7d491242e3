"""Where an address leads: to this machine, into a private network, or away; and what its name says of it."""

from __future__ import annotations

import enum
import re
from functools import lru_cache
from ipaddress import ip_address, ip_network

from ..catalog.services import service_of

# RFC 1918, RFC 4193, RFC 3927, RFC 4291 (2.5.6) and RFC 6598: nobody reaches them from elsewhere
_PRIVATE = tuple(
    ip_network(one)
    for one in (
        "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "100.64.0.0/10", "fc00::/7", "fe80::/10",
    )
)  # fmt: skip
# names of RFC 6762, RFC 8375, ICANN's "internal" and Kubernetes, and those that routers and companies hand out
_PRIVATE_NAME = re.compile(
    r"(?:.*\.)?(?:local|localdomain|internal|lan|home|corp|intranet|private|home\.arpa|svc|cluster)", re.IGNORECASE
)
_DEVELOPMENT = re.compile(
    r"(?:^|[.\-_])(?:dev|devel|development|test|testing|staging|stage|stg|qa|uat|sandbox|playground)\d{0,3}(?=[.\-_]|$)",
    re.IGNORECASE,
)


EVERY_ADDRESS = frozenset({"0.0.0.0", "::", "[::]", "*", "0", "::0", "0:0:0:0:0:0:0:0"})
"""What tells a server to listen everywhere."""
MORE = re.compile(r"[a-z][a-z0-9+.-]*://|/|\?|#| ")
"""What no name of a host has in it."""
SAMPLE = re.compile(
    r"(?:.*\.)?example\.(?:com|org|net|edu)|(?:your|my)[-_.]?(?:own[-_.]?)?(?:server|host|db|database|cluster|instance|"
    r"domain|company)(?:name)?(?:\..*)?|(?:host|server)[-_]?name|(?:.*\.)?(?:mydomain|yourdomain)\.\w+"
)
"""Names that are reserved for documents (RFC 2606, 3), and those that documents put in a host's place."""
POOLER = re.compile(r"(?:^|[.\-_])(?:pgbouncer|pooler|pgcat|odyssey|pgpool)(?:[.\-_]|\d|$)", re.IGNORECASE)
"""Names of poolers."""
POOLER_PORT = 6432
"""PgBouncer's and Odyssey's own."""
PRODUCTION = ("production", "prod", "prd", "live")
"""Names of the environment that customers see."""
_STAND_IN = frozenset("{}<>$%")
_PLAIN = re.compile(r"[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)*")


class Leads(enum.IntEnum):
    """Where an address leads; ordered by who may listen on the way."""

    HERE = 0
    """To this machine: a socket, loopback, ``localhost``."""
    PRIVATE = 1
    """Into a private network: its addresses, names that are valid there alone, names of one word, and variables."""
    AWAY = 2
    """To anywhere else."""


@lru_cache(maxsize=4096)
def where(name: str) -> Leads:
    """Say where an address leads."""
    if not name or name[0] in "/@\\":
        return Leads.HERE
    if not _STAND_IN.isdisjoint(name):
        # a variable leads somewhere, which is not known here; words in braces or angle brackets lead nowhere
        return Leads.PRIVATE if "${" in name or "#{" in name or name[0] == "%" else Leads.HERE
    host = name.lower().rstrip(".").strip("[]")
    if not host or host == "localhost" or host.endswith(".localhost"):
        return Leads.HERE
    if host[0].isdigit() or ":" in host:
        try:
            address = ip_address(host.partition("%")[0])
        except ValueError:
            return Leads.AWAY
        if address.is_loopback:
            return Leads.HERE
        return Leads.PRIVATE if any(address in one for one in _PRIVATE) else Leads.AWAY
    return Leads.PRIVATE if "." not in host or _PRIVATE_NAME.fullmatch(host) else Leads.AWAY


@lru_cache(maxsize=4096)
def tells(name: str) -> bool:
    """Whether a host's name tells more than where it leads: there is something to be asked of it."""
    if _PLAIN.fullmatch(name) is None or name in EVERY_ADDRESS:
        return True
    return bool(SAMPLE.fullmatch(name.lower()) or POOLER.search(name) or service_of(name) is not None)


def is_production(environment: str | None) -> bool:
    """Whether an environment is the one that customers see."""
    return environment is not None and environment.casefold() in PRODUCTION


def is_development(name: str) -> bool:
    """Whether a host's name says that it is for development, tests or staging."""
    return _DEVELOPMENT.search(name) is not None
