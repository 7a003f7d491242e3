"""Rules of hosts and ports: where a connection leads, and what stands in their place."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cache

from ..catalog import engine_ids, load_engine
from ..catalog.services import service_of
from ..model import DiscoveryKind, Host
from ..notation import Case
from .ids import RuleId
from .leading import EVERY_ADDRESS, MORE, SAMPLE, Leads, is_development, where
from .looks import Look
from .remarked import of_cases, remarked, told
from .rules import Grade, Severity, Sight, Told, rule

_SLIPS = frozenset({Case.OPTION_AMONG_HOSTS, Case.PORT_IN_HOST, Case.BACKSLASH_IN_HOST, Case.USER_BEFORE_HOST})


@rule(
    RuleId.NO_HOST,
    Severity.NOTE,
    Sight.NO_HOST,
    grade=Grade.STRICT,
    title="no host",
    why="The driver then goes to this machine, or where a variable of the environment leads.",
    about="Reported where neither a host nor a service, an alias or a socket is stated. libpq takes the local "
    "socket or "
    "PGHOST, others localhost.",
    bad=("postgresql:///tides", "Username=keeper;Database=tides;SSL Mode=VerifyFull"),
    good=("postgresql://gauge.greywick.example/tides", "sqlite:///tides.db", "service=tides"),
)
def no_host(look: Look) -> Iterator[Told]:
    cord = look.cord
    if cord.hosts or look.engine.embedded or cord.discovery.kind is not DiscoveryKind.DIRECT:
        return
    if cord.discovery.name is not None:
        return
    where_to = look.engine.default_host or "this machine"
    yield Told(f"no host is stated: the driver goes to {where_to}, or where its own settings lead", "name the host")


@rule(
    RuleId.LISTEN_ADDRESS,
    Severity.ERROR,
    Sight.HOST,
    title="a listen address as host",
    why="It tells a server to listen everywhere; a client that calls it reaches nobody, or itself.",
    about="0.0.0.0, :: and * are what bind addresses look like. Some systems lead them to this machine, others refuse.",
    bad=("postgresql://0.0.0.0:5432/tides", "sqlclient: Server=*;Database=declarations;User ID=desk"),
    good="postgresql://127.0.0.1:5432/tides",
)
def listen_address(look: Look) -> Iterator[Told]:
    for host in look.cord.hosts:
        if host.name in EVERY_ADDRESS:
            yield Told(
                f"{host.name} is where a server listens, and no host", "name the server's host", look.place("host")
            )
            return


no_such_host = remarked(
    RuleId.NO_SUCH_HOST,
    Severity.ERROR,
    (Case.NO_SUCH_HOST, Case.HOST_OF_DIGITS),
    title="a host that no host can be called",
    why="It is looked up as a name, and there is none.",
    about="Colons and brackets that make no IPv6 address, and digits alone, which are most often a port.",
    bad=("jdbc:mysql://address=(host=2001:db8::7::1)/berths", "Host=gauge.greywick.example,5432;Username=keeper"),
    good="jdbc:mysql://address=(host=2001:db8::7)/berths",
)


@rule(
    RuleId.HOST_HOLDS_MORE,
    Severity.ERROR,
    Sight.HOST,
    title="a host that holds more than a name",
    why="The whole of it is looked up as one name, and there is none.",
    about="A scheme, a path, a port, a user or another option inside the host. Each has its own place, which "
    "depends on "
    "the driver.",
    bad=(
        "host=https://gauge.greywick.example dbname=tides",
        "Data Source=customs.greywick.example:1433;Initial Catalog=declarations",
        "host=gauge.greywick.example/tides user=keeper",
    ),
    good=("host=gauge.greywick.example dbname=tides", "host=/var/run/postgresql dbname=tides"),
)
def host_holds_more(look: Look) -> Iterator[Told]:
    for remark in of_cases(look, _SLIPS):
        yield told(look, remark)
    for host in look.cord.hosts:
        name = host.name
        if name[:1] in {"/", "@", "\\", "."} or name[1:3] == ":\\" or host.is_socket or "@" in name:
            continue
        match = MORE.search(name.lower())
        if match is None or "${" in name or "<" in name or "{" in name:
            continue
        what = {"/": "a path", "?": "a query", "#": "a fragment", " ": "a blank"}.get(match[0], f"a scheme, {match[0]}")
        yield Told(f"the host holds {what}", "write the name alone, and the rest in its own place", look.place("host"))
        return


brackets_in_list = remarked(
    RuleId.BRACKETS_IN_LIST,
    Severity.WARNING,
    (Case.BRACKETS_IN_LIST,),
    title="an address in brackets among several hosts",
    why="Newer versions of Python refuse the URL before the driver sees it.",
    bad="asyncpg: postgresql://keeper@[2001:db8::7],[2001:db8::8]/tides",
    good="asyncpg: postgresql://keeper@/tides?host=2001:db8::7,2001:db8::8",
)

port_out_of_range = remarked(
    RuleId.PORT_OUT_OF_RANGE,
    Severity.ERROR,
    (Case.PORT,),
    title="a port that there is not",
    why="Ports go from 1 to 65535; the operating system refuses any other.",
    bad=("postgresql://gauge.greywick.example:70000/tides", "host=gauge.greywick.example port=0"),
    good="postgresql://gauge.greywick.example:5432/tides",
)

second_port = remarked(
    RuleId.SECOND_PORT,
    Severity.ERROR,
    (Case.SECOND_PORT,),
    title="a second port",
    why="One of the two counts, or the driver refuses both.",
    bad=("postgresql://gauge.greywick.example:5432:5433/tides", "mongodb://roster.greywick.example:27017:27018/pilots"),
    good="postgresql://gauge.greywick.example:5432/tides",
    warns=(Case.SECOND_PORT,),
)


# web servers, and the balancers before clusters of any engine
_ANYBODYS = frozenset({80, 443, 5000, 8080, 8443})


@cache
def _ports() -> Mapping[int, str]:
    """The ports on which one engine listens, and none that speaks another protocol, each with that engine."""
    owners: dict[int, set[str]] = {}
    own: set[int] = set()  # what only speaks an engine's protocol has no port by which it is known
    for engine in map(load_engine, engine_ids()):
        ports = {port for port in (engine.default_port, *engine.other_ports) if port is not None} - _ANYBODYS
        own |= ports if engine.family is None else set()
        for port in ports:
            owners.setdefault(port, set()).add(engine.protocol or engine.id)
    return {port: next(iter(found)) for port, found in owners.items() if len(found) == 1 and port in own}


@rule(
    RuleId.PORT_OF_OTHER_ENGINE,
    Severity.WARNING,
    Sight.PORT,
    title="the port of another database system",
    why="What answers there most often speaks another protocol, and the driver waits for an answer that never comes.",
    about="Compared are the ports that servers listen on if nobody says otherwise.",
    bad=("postgresql://gauge.greywick.example:3306/tides", "jdbc:mysql://berths.greywick.example:5432/berths"),
    good=("postgresql://gauge.greywick.example:5433/tides", "mysql://berths.greywick.example:3307/berths"),
)
def port_of_other_engine(look: Look) -> Iterator[Told]:
    engine = look.engine
    for host in look.cord.hosts:
        port = host.port
        if port is None or port == engine.default_port or port in engine.other_ports:
            continue
        owner = _ports().get(port)
        if owner is not None and owner not in {engine.id, engine.protocol}:
            message = f"{port} is the port of {load_engine(owner).title}"
            usual = engine.default_port
            hint = f"{engine.title} listens on {usual}" if usual else f"check which port {engine.title} has there"
            yield Told(message, hint, look.place("port") or look.place("host"))
            return


@rule(
    RuleId.PORT_WITHOUT_EFFECT,
    Severity.WARNING,
    Sight.PORT,
    title="a port that has no effect",
    why="Whoever changes it later changes nothing, and looks for the reason elsewhere.",
    about="A socket has no port, except for PostgreSQL, whose sockets are named after it; beside a port SQL Server's "
    "drivers do not look the instance up, so that one of the two is for nothing.",
    bad=(
        "Server=customs.greywick.example\\TARIFF,1433;Database=declarations;User ID=desk;Encrypt=Strict",
        "mysql+pymysql://keeper@/berths?unix_socket=/run/mysqld/mysqld.sock&port=3307",
    ),
    good="Server=customs.greywick.example\\TARIFF;Database=declarations;User ID=desk;Encrypt=Strict",
)
def port_without_effect(look: Look) -> Iterator[Told]:
    for host in look.cord.hosts:
        if host.instance is not None and host.port is not None:
            message = "a port stands beside the instance, which is then not looked up"
            yield Told(
                message,
                "keep the port where it is fixed, or else the instance",
                look.place("port") or look.place("host"),
            )
            return
        if host.is_socket and not look.engine.port_names_socket and (place := look.place("port")) is not None:
            yield Told("a port stands beside a socket, which has none", "leave it out", place)
            return


@rule(
    RuleId.LOCALHOST_IS_SOCKET,
    Severity.NOTE,
    Sight.LOCAL,
    title="localhost that is a socket",
    why="This driver takes the name for its local socket: port and TLS do not count.",
    about="MySQL's and MariaDB's client libraries never open a port for the name localhost. 127.0.0.1 leads to the "
    "port.",
    bad="mysql+mysqldb://keeper@localhost:3307/berths",
    good=("mysql+mysqldb://keeper@127.0.0.1:3307/berths", "mysql+pymysql://keeper@localhost:3307/berths"),
)
def localhost_is_socket(look: Look) -> Iterator[Told]:
    driver = look.driver
    if driver is None or not driver.localhost_is_socket or look.reading is None:
        return
    for host in look.cord.hosts:
        if host.name == "localhost" and (host.port is not None or look.cord.tls.level is not None):
            what = "port" if host.port is not None else "TLS"
            message = f"{driver.title} takes localhost for a socket: the {what} has no effect"
            yield Told(message, "write 127.0.0.1 to go to the port", look.place("host"))
            return


@rule(
    RuleId.PRODUCTION_LEADS_HOME,
    Severity.WARNING,
    Sight.PRODUCTION,
    title="production that leads to this machine, or to a host for development",
    why="The program works, on the wrong data.",
    about="Asked where the environment is production. A proxy on the same machine is a good reason to accept it.",
    bad=("production: postgresql://localhost/tides", "production: postgresql://gauge-dev.greywick.example/tides"),
    good=("production: postgresql://gauge.greywick.example/tides", "staging: postgresql://localhost/tides"),
)
def production_leads_home(look: Look) -> Iterator[Told]:
    if not look.production or look.engine.embedded:
        return
    for host in look.cord.hosts:
        if where(host.name) is Leads.HERE and not host.is_socket:
            yield Told(f"production leads to {host}", "name the server's host", look.place("host"))
            return
        if is_development(host.name):
            message = f"production leads to {host}, which sounds like development"
            yield Told(message, "name the host of production", look.place("host"), Severity.ERROR)
            return


@rule(
    RuleId.SAMPLE_HOST,
    Severity.WARNING,
    Sight.HOST,
    title="a host out of a document",
    why="It stands where the real one was meant to be put, and leads nowhere, or to a stranger.",
    about="Names that are reserved for documents (RFC 2606: example.com and its kin), and words like your-server.",
    bad=(
        "postgresql://keeper@db.example.com/tides",
        "Server=your-server;Database=declarations;User ID=desk;Encrypt=Strict",
    ),
    good="postgresql://keeper@gauge.greywick.example/tides",
)
def sample_host(look: Look) -> Iterator[Told]:
    for host in look.cord.hosts:
        if SAMPLE.fullmatch(host.name.lower()):
            yield Told(f"{host} is a host out of a document", "name the real one", look.place("host"))
            return


@rule(
    RuleId.RETIRED_HOST,
    Severity.ERROR,
    Sight.HOST,
    title="a host of a service that has ended",
    why="Its name may be gone, or belong to somebody else by now.",
    about="Services that their operators have switched off, as far as the catalog knows them.",
    bad="mongodb://keeper@greywick.mlab.com:27017/pilots?tls=true",
    good="mongodb://keeper@roster.greywick.example:27017/pilots?tls=true",
)
def retired_host(look: Look) -> Iterator[Told]:
    for host in look.cord.hosts:
        service = service_of(host.name)
        if service is not None and service.retired:
            message = f"{service.title} has ended ({service.retired})"
            yield Told(message, "name the host to which the database was moved", look.place("host"))
            return


@rule(
    RuleId.SAME_HOST_TWICE,
    Severity.WARNING,
    Sight.SEVERAL,
    title="one host twice in a list",
    why="The second try leads to the same server, and another one is probably missing.",
    about="Compared are name, port and instance.",
    bad="postgresql://gauge-1.greywick.example,gauge-1.greywick.example/tides",
    good="postgresql://gauge-1.greywick.example,gauge-2.greywick.example/tides",
)
def same_host_twice(look: Look) -> Iterator[Told]:
    seen = set[Host]()
    for host in look.cord.hosts:
        same = Host(
            host.address if not isinstance(host.address, str) else host.address.lower(), host.port, host.instance
        )
        if same in seen:
            yield Told(f"{host} stands twice in the list", "name each host once", look.place("host"))
            return
        seen.add(same)


@rule(
    RuleId.REPLICA_SET_MISSING,
    Severity.WARNING,
    Sight.SEVERAL,
    title="several hosts, and no replica set named",
    why="The driver takes whichever set the first one answers for, or none.",
    about="With the name a host that was taken for another set is noticed, and refused.",
    bad="mongodb://roster-1.greywick.example,roster-2.greywick.example/pilots?tls=true",
    good="mongodb://roster-1.greywick.example,roster-2.greywick.example/pilots?tls=true&replicaSet=roster",
)
def replica_set_missing(look: Look) -> Iterator[Told]:
    cord = look.cord
    if not look.engine.replica_sets or cord.option("replica_set") is not None or cord.option("direct_connection"):
        return
    if any(name.endswith("/loadBalanced") for name, _ in cord.native):
        return
    yield Told("several hosts, and no replica set named", "add replicaSet=NAME", look.place("host"))
