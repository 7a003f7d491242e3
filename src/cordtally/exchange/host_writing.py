"""Writes hosts, ports and sockets: in the authority, as options, as lists, as the target wants them."""

from __future__ import annotations

from dataclasses import replace

from ..catalog import family_of, load_engine, port_taken
from ..model import DiscoveryKind, Host, MaskedText, OptionValue, Words, clear
from ..notation import CannotHold, Field
from ..notation.url import Dialect as UrlDialect
from ..notation.url_hosts import render_host
from ..text import as_text
from .addresses import AddressCodec, NoAddress, codec_of
from .codecs import NoWord, write_value
from .ledger import Outcome
from .sheet import Sheet
from .targets import Target


def write_hosts(sheet: Sheet) -> None:
    """Put hosts and ports where the target takes them; what has no place is booked as dropped."""
    _write_hosts(sheet)
    if sheet.driver.localhost_is_socket:
        for host in sheet.cord.hosts:
            if host.name.casefold() == "localhost" and host.port is not None:
                reason = (
                    f"to {sheet.driver.title} localhost is the default socket, whatever the port; TCP wants 127.0.0.1"
                )
                sheet.note("host", str(host), str(host.address), Outcome.IMPLIED, reason)
    if sheet.target.facts.host_required and not any(f.role == "host" for f in sheet.fields):
        default = load_engine(sheet.cord.engine).default_host or "localhost"
        reason = f"{sheet.driver.title} wants a host here: the engine's default is written"
        sheet.put_under([Field("host", None, default)], sheet.book("host", None, default, Outcome.IMPLIED, reason))
        _lose_ports(sheet)
        for host in _with_ports(sheet, [Host(default)], each=False):
            if host.port is not None:
                sheet.put_under([Field("port", None, host.port)])


def _lose_ports(sheet: Sheet) -> None:
    for host in sheet.cord.hosts:
        if host.port is not None:
            sheet.lose("port", str(host.port), "its host could not be written")


def _write_hosts(sheet: Sheet) -> None:
    target, hosts = sheet.target, list(sheet.cord.hosts)
    style = target.facts.hosts
    if target.facts.alias_without and not has_any(sheet, target.facts.alias_without):
        for host in hosts:
            sheet.lose("host", str(host), f"without a database {sheet.driver.title} takes a host for an alias")
        return
    if target.facts.discovery is not None:
        for host in hosts:
            reason = f"this notation names no host but what is looked up ({target.facts.discovery})"
            sheet.lose("host", str(host), reason)
        return
    if hosts and style == "single" and len(hosts) > 1:
        for host in hosts[1:]:
            sheet.lose("host", str(host), f"{sheet.driver.title} takes one host")
        hosts = hosts[:1]
    positional = "host" in target.dialect.positions
    kept = _keep(sheet, hosts)
    kept = _with_ports(sheet, kept, each=target.facts.every_port)
    # newer Pythons refuse an authority with more than a port beside an address in brackets
    lone = style == "inline" and positional and len(kept) > 1 and _lone_brackets(target)
    # the order matters: an address list or a path replaces host and port, a socket fits neither list nor authority
    as_option = len(kept) == 1 and kept[0].is_socket and target.facts.socket == "option"
    if target.facts.addresses is not None and not as_option:
        _write_addresses(sheet, kept, codec_of(target.facts.addresses))
    elif target.facts.socket == "database":
        _write_as_path(sheet, kept)
    elif as_option:
        _write_socket(sheet, kept[0].address, kept[0].port)
    elif style == "further" and len(kept) > 1:
        _write_further(sheet, kept)
    elif lone and any(":" in host.name for host in kept):
        _write_mixed(sheet, kept)
    elif positional and not (style == "paired" and len(kept) > 1):
        for host in kept:
            if host.is_socket and target.facts.socket == "option":
                sheet.lose("host", str(host.address), "a socket cannot stand in a list of hosts here")
                continue
            if not sheet.put("host", str(host.address), Field("host", None, host.address)):
                if host.port is not None:
                    sheet.lose("port", str(host.port), "its host could not be written")
                continue
            if host.port is None and ":" in host.name and not host.is_socket and wants_port(host, target):
                default = load_engine(sheet.cord.engine).default_port
                reason = f"{sheet.driver.title} reads no default port beside an IPv6 address"
                booking = sheet.book("port", None, str(default), Outcome.IMPLIED, reason)
                sheet.put_under([Field("port", None, default)], booking)
            if host.port is not None and host.is_socket and target.facts.socket == "authority":
                sheet.lose("port", str(host.port), "a socket has no port here")
            elif host.port is not None and not sheet.role("port", str(host.port)):
                sheet.lose("port", str(host.port), f"{sheet.driver.title} has no word for a port")
            _write_instance(sheet, host)
    elif kept:
        _write_host_options(sheet, kept, style)
        _write_instance(sheet, kept[0])


def _lone_brackets(target: Target) -> bool:
    return isinstance(target.dialect, UrlDialect) and target.dialect.hosts.lone_brackets


def _with_ports(sheet: Sheet, hosts: list[Host], *, each: bool) -> list[Host]:
    """The hosts, each of several with a port where that is wanted, and any where the driver would take another."""
    lacking = [host for host in hosts if host.port is None]
    if not lacking:
        return hosts
    engine, facts, prefix = load_engine(sheet.cord.engine), sheet.target.facts, prefix_of(sheet)
    taken, usual = facts.scheme_ports.get(prefix, port_taken(sheet.driver, engine.id)), engine.default_port
    if usual is None and facts.scheme_ports:
        ports = engine.http_ports if sheet.driver.over_http else engine.native_ports
        usual = next(iter(ports[1:] if sheet.scheme_word is not None else ports), None)
    if usual is None:
        return hosts
    sockets = any(host.is_socket for host in lacking)
    if facts.port_required and not sockets:
        reason = f"{sheet.driver.title} wants a port here: the engine's default is written"
    elif not sockets and taken != usual and taken in engine.other_ports and prefix in facts.scheme_ports:
        sheet.note("port", None, str(taken), Outcome.IMPLIED, f"what {prefix} leads to")
        return hosts
    elif sheet.cord.discovery.kind is DiscoveryKind.SRV and prefix not in facts.scheme_ports:
        return hosts  # the record tells it
    elif taken != usual and not sockets:
        reason = f"{sheet.driver.title} would take {taken}: {engine.title}'s usual one is written"
    elif each and len(hosts) > 1:
        reason = f"{sheet.driver.title} wants a port for each of several hosts: the engine's default is written"
    else:
        return hosts
    sheet.note("port", None, str(usual), Outcome.IMPLIED, reason)
    return [replace(host, port=usual) if host in lacking else host for host in hosts]


def prefix_of(sheet: Sheet) -> str:
    """The prefix that stands for the engine, and for what else a prefix says here."""
    facts = sheet.target.facts
    if not facts.schemes:
        return ""
    engine = sheet.cord.engine
    listed = facts.schemes.get(engine) or facts.schemes.get(family_of(engine) or "")
    listed = listed or next(iter(facts.schemes.values()))
    fitting = (p for p in listed if facts.scheme_words.get(p) == sheet.scheme_word)
    return next(fitting, listed[0])


def has_any(sheet: Sheet, parts: tuple[str, ...]) -> bool:
    """Whether the cord has one of these parts, and the target takes it."""
    if any(name in parts and value != "" and _has_word(sheet, name, value) for name, value in sheet.cord.options):
        return True
    option = sheet.option_for("database")
    database = clear(sheet.cord.database or "")
    refused = sheet.driver.refuses + (option.refuses if option is not None else "")
    return bool(database) and "database" in parts and set(refused).isdisjoint(database)


def _has_word(sheet: Sheet, name: str, value: OptionValue) -> bool:
    option = sheet.option_for(name)
    if not set(sheet.driver.refuses).isdisjoint(str(value)):
        return False
    try:
        return option is not None and write_value(option, sheet.driver, value) is not None
    except NoWord:
        return False


def _keep(sheet: Sheet, hosts: list[Host]) -> list[Host]:
    """Keep the hosts that the target can be given, and book the others as dropped."""
    target, style = sheet.target, sheet.target.facts.hosts
    positional = "host" in target.dialect.positions
    kept = []
    codec = codec_of(target.facts.addresses)
    instances = codec.instances or "instance" in target.dialect.positions
    for original in hosts:
        host = original
        if host.instance is not None and not instances and sheet.option_for("instance") is None:
            sheet.lose("host", f"instance {host.instance}", f"{sheet.driver.title} knows no named instances")
            host = replace(host, instance=None)
        # (localdb) and pipes go with the drivers that take tcp: or np: before a host; others would look up such a name
        if host.name.casefold() == "(localdb)" and not codec.networks:
            sheet.lose("host", str(host), f"{sheet.driver.title} starts no LocalDB: name a server")
        elif host.name.startswith("\\\\") and not codec.networks:
            sheet.lose("host", str(host), f"{sheet.driver.title} opens no named pipe")
        elif host.is_socket and target.facts.socket == "none":
            sheet.lose("host", str(host.address), f"{sheet.driver.title} has no word for a Unix socket")
        elif host.is_socket and style == "inline" and not positional and len(hosts) > 1:
            sheet.lose("host", str(host.address), "a socket cannot stand in a list of hosts here")
        elif target.facts.host_required and positional and (problem := _unwritable(host, target)) is not None:
            sheet.lose("host", str(host.address), problem)
            if host.port is not None:
                sheet.lose("port", str(host.port), "its host could not be written")
        # no list here has an escape for it, and the rest would become a second host
        elif "," in host.name and style != "single":
            sheet.lose("host", str(host.address), "a comma parts hosts here, so none may stand in an address")
        else:
            kept.append(host)
    return kept


def _unwritable(host: Host, target: Target) -> str | None:
    """Why a URL cannot hold a host; asked beforehand where the default host has to stand in for one that is lost."""
    dialect = target.dialect
    if not isinstance(dialect, UrlDialect):
        return None
    try:
        render_host(host.name, dialect.hosts)
    except CannotHold as problem:
        return problem.reason
    return None


def wants_port(host: Host, target: Target) -> bool:
    """Whether an IPv6 address cannot stand without its port."""
    if target.facts.grammar == "dsn":  # a second pair of brackets is put around it (go-sql-driver 1.5: ensureHavePort)
        return True
    if not isinstance(target.dialect, UrlDialect):
        return False
    hosts = target.dialect.hosts
    return hosts.bare_ipv6 == "refused" or (hosts.zones == "before-port" and "%" in host.name)


def _write_further(sheet: Sheet, hosts: list[Host]) -> None:
    """The first host stands in its place, each of the others in an option that is repeated."""
    option = sheet.option_for("further_host")
    for index, host in enumerate(hosts):
        if index == 0 or option is None:
            sheet.put("host", str(host.address), Field("host", None, host.address))
            if host.port is not None:
                sheet.put("port", str(host.port), Field("port", None, host.port))
        else:
            sheet.put("host", str(host), Field("option", option.name, _masked_where([host], _inline(host), str(host))))


def _write_instance(sheet: Sheet, host: Host) -> None:
    if host.instance is None:
        return
    if "instance" in sheet.target.dialect.positions:
        sheet.put("host", host.instance, Field("instance", None, host.instance))
    elif (option := sheet.option_for("instance")) is not None:
        sheet.put("host", host.instance, Field("option", option.name, host.instance))


def _write_as_path(sheet: Sheet, hosts: list[Host]) -> None:
    """A notation for sockets only: the path stands where a database stands elsewhere."""
    for host in hosts:
        if not host.is_socket:
            sheet.lose("host", str(host), "this notation is for Unix sockets only")
            continue
        sheet.put("host", str(host.address), Field("socket", None, host.address))
        if host.port is not None:
            sheet.lose("port", str(host.port), "a socket has no port here")


def _write_addresses(sheet: Sheet, hosts: list[Host], codec: AddressCodec) -> None:
    option = sheet.option_for("host")
    network = sheet.cord.option("network_protocol")
    # PHP streams say TLS before a host (tls://): without one the level would have nowhere to stand
    if not hosts and codec.schemes and sheet.scheme_word is not None:
        default = Host(load_engine(sheet.cord.engine).default_host or "localhost")
        hosts = _with_ports(sheet, [default], each=False)
        reason = "TLS is asked for by what stands before a host: the engine's default is written"
        sheet.note("host", None, str(hosts[0].address), Outcome.IMPLIED, reason)
        _lose_ports(sheet)
    if option is None or not hosts:
        return
    source = ",".join(str(h) for h in hosts)
    try:
        before = sheet.scheme_word if codec.schemes else network
        value = codec.write(hosts, None if before is None else str(before))
    except NoAddress as problem:
        sheet.lose("host", source, str(problem))
        if sheet.scheme_word is not None:
            sheet.lose("tls.level", sheet.scheme_word, "its host could not be written")
        return
    if isinstance(value, str):
        value = _masked_where(hosts, value, source)
    elif isinstance(value, list):
        value = [_masked_where([h], v, str(h)) if isinstance(v, str) else v for h, v in zip(hosts, value)]
    if not sheet.put("host", source, Field("option", option.name, value)) and sheet.scheme_word:
        sheet.lose("tls.level", sheet.scheme_word, "its host could not be written")
    for host in hosts:
        if host.is_socket and host.port is not None and codec.ports:
            sheet.lose("port", str(host.port), "a socket has no port here")
    port = sheet.option_for("port")
    if port is not None and hosts[0].port is not None and not codec.ports:
        sheet.put("port", str(hosts[0].port), Field("option", port.name, hosts[0].port))
    if network is not None and codec.networks:
        said = f"network_protocol={network}"
        sheet.note("options.network_protocol", said, said, Outcome.KEPT, "it stands before the host")


def _write_socket(sheet: Sheet, address: Words, port: int | None) -> None:
    # libpq has no socket option: a host that begins with a slash is one (PQconnectdbParams, "host")
    option = sheet.option_for("socket") or sheet.option_for("host")
    if option is None:
        sheet.lose("host", str(address), f"{sheet.driver.title} has no word for a Unix socket")
        return
    file, written = sheet.driver.socket_file, address
    if file is not None:
        number = port or load_engine(sheet.cord.engine).default_port
        written = f"{address}/{file}{number}" if isinstance(address, str) else address
        if port is None:
            reason = "the socket's file bears the port: the engine's default is written"
            sheet.note("port", None, str(number), Outcome.IMPLIED, reason)
    sheet.put("host", str(address), Field("option", option.name, written))
    if port is None or written is not address:
        return
    port_option = sheet.option_for("port")
    if option.canonical == "host" and port_option is not None:
        sheet.put("port", str(port), Field("option", port_option.name, port))
    else:
        sheet.lose("port", str(port), "a socket has no port here")


def _write_host_options(sheet: Sheet, hosts: list[Host], style: str) -> None:
    host_option, port_option = sheet.option_for("host"), sheet.option_for("port")
    if host_option is None or port_option is None:
        for host in hosts:
            sheet.lose("host", str(host), f"{sheet.driver.title} connects to no host")
        return
    ports = [h.port for h in hosts]
    source = ",".join(str(h) for h in hosts)
    if style == "inline" and len(hosts) > 1:
        written = _masked_where(hosts, ",".join(_inline(h) for h in hosts), source)
        sheet.put("host", source, Field("option", host_option.name, written))
        return
    if style == "lists" and len(hosts) > 1:
        sheet.put("host", source, Field("option", host_option.name, [h.address for h in hosts]))
        sheet.put("port", ",".join(map(str, ports)), Field("option", port_option.name, ports))
        return
    joined, shown = ",".join(h.name for h in hosts), ",".join(str(h.address) for h in hosts)
    if joined or len(hosts) > 1:
        sheet.put("host", shown, Field("option", host_option.name, _masked_where(hosts, joined, shown)))
    if any(p is not None for p in ports):
        # an empty place in the list keeps its neighbours aligned: libpq then takes the default for that host
        value: object = ports[0] if len(ports) == 1 else ",".join("" if p is None else str(p) for p in ports)
        sheet.put("port", as_text(value), Field("option", port_option.name, value))


def _write_mixed(sheet: Sheet, hosts: list[Host]) -> None:
    """Hosts with their ports in one option; the ports in another where one is a socket's, which takes no colon."""
    if not any(host.is_socket and host.port is not None for host in hosts):
        _write_host_options(sheet, hosts, "inline")
        return
    numbered = _with_ports(sheet, hosts, each=True)
    bracketed = [
        replace(host, address=_inline(replace(host, port=None))) if ":" in host.name else host for host in hosts
    ]
    _write_host_options(sheet, [replace(b, port=n.port) for b, n in zip(bracketed, numbered)], "paired")


def _inline(host: Host) -> str:
    address = f"[{host.name}]" if ":" in host.name else host.name
    return address if host.port is None else f"{address}:{host.port}"


def _masked_where(hosts: list[Host], text: str, shown: str) -> Words:
    """The text in which hosts are written; masked where one of them contains a secret."""
    return text if all(isinstance(h.address, str) for h in hosts) else MaskedText(text, shown)
