"""Makes a cord of what reading has gathered: hosts with their ports, TLS and log-in from their tables, look-ups."""

from __future__ import annotations

from functools import lru_cache

from ..catalog import Driver, load_driver
from ..model import (
    DIRECT,
    NO_AUTHENTICATION,
    NO_TLS,
    Authentication,
    AuthenticationMethod,
    Cord,
    Discovery,
    DiscoveryKind,
    Host,
    Secret,
    Tls,
    TlsLevel,
)
from ..notation import Case, Remark
from ..text import as_text
from .addresses import codec_of
from .gathering import FoundHost, Gathered
from .tables import match_state
from .targets import Target


def assemble(found: Gathered, target: Target, engine: str) -> Cord:
    """Make the cord; words of TLS and log-in that no table knows become native options."""
    driver, roles = target.driver, found.roles
    hosts = found.hosts
    if found.ports is not None:
        if len(found.ports) not in {1, max(1, len(hosts))} and driver.odd_ports == "refused":
            _note_ports(found, driver)
        if codec_of(target.facts.addresses).port_wins and hosts and hosts[0].port not in {None, *found.ports}:
            _note_second_port(found, driver)
        if target.facts.host_options == "mixed":  # a list of ports is all that counts (asyncpg: _parse_hostlist)
            for host in hosts:
                host.port = None
        _assign_ports(hosts, found.ports)
    if target.facts.every_port and len(hosts) > 1 and any(host.port is None for host in hosts):
        _note_missing_port(found, driver)
    tls, authentication = NO_TLS, NO_AUTHENTICATION
    if found.tls or found.files:
        tls = _tls(found, driver)
    if found.auth:
        authentication = _authentication(found, driver)
    # stated by the driver's own option first; what a text inside says counts where that is silent
    elif found.login is not None:
        authentication = Authentication(AuthenticationMethod(found.login))
    if "realm" in roles:
        authentication = Authentication(authentication.method, roles["realm"])
    if target.facts.alias_without and hosts and {*roles, *found.options}.isdisjoint(target.facts.alias_without):
        roles["alias"] = hosts[0].address
        hosts[:] = []
    named = target.facts.discovery is not None or "service" in roles or "alias" in roles
    discovery = _discovery(found, target) if named else DIRECT
    cord = Cord(
        engine=engine,
        hosts=tuple([Host(h.address, h.port, h.instance) for h in found.hosts]),
        database=roles.get("database"),
        user=roles.get("user"),
        password=Secret(roles["password"]) if "password" in roles else None,
        authentication=authentication,
        tls=tls,
        discovery=discovery,
        options=tuple(sorted(found.options.items())) if found.options else (),
        native=tuple(sorted(found.native.items())) if found.native else (),
    )
    # what stands beside a carried text wins over it
    return cord if found.carried is None else cord.over(found.carried)


def _discovery(found: Gathered, target: Target) -> Discovery:
    """What has to be looked up: a host that is no host but the name of a record, an alias, a service."""
    if target.facts.discovery == "srv" and found.hosts:
        named = found.hosts[0]
        if len(found.hosts) > 1 or named.port is not None:
            field = next((h.field for h in reversed(found.hosts) if h.field is not None), None)
            start, end = (field.start, field.end) if field is not None else (0, 0)
            found.remarks.append(Remark(Case.RECORD_WITH_PORT, start, end, {}))
        found.hosts[:] = []
        return Discovery(DiscoveryKind.SRV, named.address)
    if (alias := found.roles.get("alias")) is not None:
        return Discovery(DiscoveryKind.ALIAS, alias)
    service = found.roles.get("service")
    return DIRECT if service is None else Discovery(DiscoveryKind.SERVICE, service)


def _note_ports(found: Gathered, driver: Driver) -> None:
    """Say that ports do not fit the hosts; libpq refuses that (fe-connect.c: could not match port numbers to hosts)."""
    ports = [part for part in found.parts if part.role == "port"]
    start, end = (ports[-1].start, ports[-1].end) if ports else (0, 0)
    why = f"{driver.title} cannot tell which port belongs to which host"
    found.remarks.append(Remark(Case.REFUSED, start, end, {"why": why, "hint": "give one port, or one for each host"}))


def _note_missing_port(found: Gathered, driver: Driver) -> None:
    field = next((h.field for h in found.hosts if h.port is None), None)
    start, end = (field.start, field.end) if field is not None else (0, 0)
    why = f"{driver.title} wants a port for each of several hosts"
    found.remarks.append(Remark(Case.REFUSED, start, end, {"why": why, "hint": "write each one's port"}))


def _note_second_port(found: Gathered, driver: Driver) -> None:
    port = next(part for part in reversed(found.parts) if part.role == "port")
    why = f"{driver.title} goes to the port that stands behind the host, and not to this one"
    found.remarks.append(Remark(Case.CONFLICT, port.start, port.end, {"why": why, "hint": "keep one of them"}))


def _assign_ports(hosts: list[FoundHost], ports: list[int | None]) -> None:
    """Pair a list of ports with the hosts; a single port is that of every host."""
    # port= without a host still says where: at the driver's default host
    if not hosts:
        hosts.append(FoundHost("", None))
    for index, host in enumerate(hosts):
        if host.port is None:
            host.port = ports[0] if len(ports) == 1 else ports[index] if index < len(ports) else None


def _tls(found: Gathered, driver: Driver) -> Tls:
    tls, loose = _level(driver.id, tuple(found.tls.items()), frozenset(found.given))
    for name, full_name in loose:
        found.native[full_name] = found.tls[name]
    if not found.files:
        return tls
    key_password = found.files.get("key_password")
    return Tls(
        tls.level,
        found.files.get("ca"),
        found.files.get("certificate"),
        found.files.get("key"),
        None if key_password is None else Secret(key_password),
    )


@lru_cache(maxsize=1024)
def _level(
    driver_id: str, words: tuple[tuple[str, str], ...], given: frozenset[str]
) -> tuple[Tls, tuple[tuple[str, str], ...]]:
    """Give the level that words mean, and the words that are more than its usual spelling, with their full names."""
    driver = load_driver(driver_id)
    state = match_state(driver.tls, dict(words), given)
    used = {name for name, _ in state.set} if state is not None and not state.read_only else set()
    loose = []
    for name, word in words:
        # a word that only repeats the driver's default says nothing, and would look like a loss in the ledger
        default = driver.options[name].default
        if name not in used and (state is not None or default is None or word != as_text(default)):
            loose.append((name, f"{driver.options[name].vocabulary}/{name}"))
    return NO_TLS if state is None else Tls(TlsLevel(state.meaning)), tuple(loose)


def _authentication(found: Gathered, driver: Driver) -> Authentication:
    state = match_state(driver.authentication, found.auth, found.given)
    used = {name for name, _ in state.set} if state is not None and not state.read_only else set()
    for name, word in found.auth.items():
        if name not in used:
            found.native[f"{driver.options[name].vocabulary}/{name}"] = word
    return NO_AUTHENTICATION if state is None else Authentication(AuthenticationMethod(state.meaning))
