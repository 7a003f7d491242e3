"""Host options whose value is more than a name: named codecs that the catalog's ``addresses`` refers to."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from ..model import Host
from ..patterns import pattern
from ..text import as_text

_NETWORKS = {"tcp": "tcp", "np": "named-pipe", "lpc": "shared-memory", "admin": "administrator"}
_NETWORK = pattern(r"\s*(tcp|np|lpc|admin):", re.IGNORECASE)
_AUTHORITY = pattern(r"(?:\[([^\[\]]*:[^\[\]]*)\]|([^:\[\]/]*))(?::([0-9]+))?")
_THIS_MACHINE = {".", "(local)", ""}


class Address(NamedTuple):
    """One address as it stands in an option; the port still as text."""

    host: str
    port: str | None = None
    instance: str | None = None
    network: str | None = None
    scheme: str | None = None


class AddressCodec(NamedTuple):
    """How the value of a host option is read into addresses and written from hosts, and what else it holds.

    ``instances``, ``ports`` and ``networks`` (LocalDB and pipes among them) may stand in the value; with ``schemes``
    what stands before the host asks for TLS, so that TLS is written first; with ``port_wins`` an IPv6 address stands
    in brackets, and a port behind it wins over the option.
    """

    read: Callable[[object], list[Address]]
    write: Callable[[Sequence[Host], str | None], object]
    instances: bool = False
    ports: bool = False
    networks: bool = False
    schemes: bool = False
    port_wins: bool = False


class NoAddress(ValueError):
    """Hosts that cannot stand in such an option; the reason quotes nothing."""


def _read_server(value: object) -> list[Address]:
    r"""Read ``[tcp:]host[\instance][,port]``, ``(localdb)\name`` or ``[np:]\\host\pipe\name``.

    Source: Microsoft.Data.SqlClient's documentation of Data Source (not checked against an installed driver).
    """
    text = as_text(value)
    network = None
    if match := _NETWORK.match(text):
        network = _NETWORKS[match[1].lower()]
        text = text[match.end() :]
    if text.startswith("\\\\"):
        return [Address(text, network=network)]
    head, comma, tail = text.rpartition(",")
    port = tail.strip() if comma and tail.strip().isdigit() else None
    if port is not None:
        text = head
    host, slash, instance = text.partition("\\")
    host = host.strip()
    return [Address("localhost" if host in _THIS_MACHINE else host, port, instance if slash else None, network)]


def _write_server(hosts: Sequence[Host], network: str | None) -> object:
    host = hosts[0]
    prefix = next((word + ":" for word, meaning in _NETWORKS.items() if meaning == network), "")
    address = host.name
    if _NETWORK.match(address) or address.strip() != address or address in _THIS_MACHINE or "," in address:
        raise NoAddress("this host name would be read as something else here")
    if address.startswith("\\\\"):
        if host.port is not None or host.instance is not None:
            raise NoAddress("a named pipe has no port and no instance")
    elif "\\" in address or (host.instance is not None and ("," in host.instance)):
        raise NoAddress("a host name or instance here holds no backslash and no comma")
    instance = "" if host.instance is None else f"\\{host.instance}"
    port = "" if host.port is None else f",{host.port}"
    return f"{prefix}{address}{instance}{port}"


def _read_server_instance(value: object) -> list[Address]:
    r"""Read ``host`` or ``host\instance``; the port is an option of its own."""
    host, slash, instance = as_text(value).partition("\\")
    return [Address("localhost" if host in _THIS_MACHINE else host, None, instance if slash else None)]


def _write_server_instance(hosts: Sequence[Host], network: str | None) -> object:
    host = hosts[0]
    if host.name in _THIS_MACHINE or "\\" in host.name:
        raise NoAddress("this host name would be read as something else here")
    return host.name + ("" if host.instance is None else f"\\{host.instance}")


def _read_objects(value: object) -> list[Address]:
    """Read a list of objects with ``host`` and ``port``, given as such or as JSON text."""
    if isinstance(value, str):
        try:
            value = json.loads(value)
        except ValueError:
            return [Address(as_text(value))]
    listed = value if isinstance(value, list) else [value]
    return [
        Address(as_text(one.get("host", "")), None if one.get("port") is None else str(one["port"]))
        if isinstance(one, dict)
        else Address(as_text(one))
        for one in listed
    ]


def _write_objects(hosts: Sequence[Host], network: str | None) -> object:
    return [{"host": h.address} if h.port is None else {"host": h.address, "port": h.port} for h in hosts]


def _read_stream(value: object) -> list[Address]:
    """Read PHP's ``tls://host``, or a host, or the path of a socket (PhpRedis 5.3.7, Redis::connect)."""
    text = as_text(value)
    head, slashes, rest = text.partition("://")
    return [Address(rest, scheme="tls")] if slashes and head in {"tls", "ssl"} else [Address(text)]


def _write_stream(hosts: Sequence[Host], scheme: str | None) -> object:
    address = hosts[0].name
    if "://" in address:
        raise NoAddress("this host name would be read as something else here")
    return f"{scheme}://{address}" if scheme is not None else address


def _read_web(value: object) -> list[Address]:
    """Read ``http://host:port`` or ``https://host:port``, whose ports are 80 and 443 where none is stated."""
    text = as_text(value)
    scheme, slashes, rest = text.partition("://")
    (address,) = _read_authority(rest.rstrip("/"))
    if not slashes or scheme not in {"http", "https"} or "/" in address.host:
        return [Address(text)]
    port = address.port or ("443" if scheme == "https" else "80")
    return [address._replace(port=port, scheme="https" if scheme == "https" else None)]


def _write_web(hosts: Sequence[Host], scheme: str | None) -> object:
    return f"{scheme or 'http'}://{_write_host_port(hosts, None)}"


def _read_authority(value: object) -> list[Address]:
    """Read ``host``, ``host:port`` and ``[IPv6]:port``, as PHP's streams do (xp_socket.c: parse_ip_address).

    Tried with mysqli and PDO of PHP 8.2: this port wins, and an address without brackets ends at its first colon.
    """
    text = as_text(value)
    match = _AUTHORITY.fullmatch(text)
    return [Address(text) if match is None else Address(match[1] or match[2], match[3])]


def _write_authority(hosts: Sequence[Host], _: str | None) -> object:
    address = hosts[0].name
    if "[" in address or "]" in address or (":" in address and address.count(":") < 2):
        raise NoAddress("this host name would be read as something else here")
    return f"[{address}]" if ":" in address else address


def _read_host_ports(value: object) -> list[Address]:
    """Read ``host:port`` several times: a list, or a text with commas; what stands before ``://`` does not count.

    Source: kafka-python 3.0 (cluster.py: collect_hosts), which follows Kafka's own client there.
    """
    listed = value if isinstance(value, list) else as_text(value).split(",")
    texts = [as_text(one).strip().rpartition("://")[2] for one in listed]
    return [address for text in texts if text for address in _read_authority(text)]


def _write_host_ports(hosts: Sequence[Host], _: str | None) -> object:
    return ",".join(as_text(_write_host_port([host], None)) for host in hosts)


def _write_host_port_list(hosts: Sequence[Host], _: str | None) -> object:
    return [_write_host_port([host], None) for host in hosts]


def _read_host_list(value: object) -> list[Address]:
    """Read a list of names, whose one port stands elsewhere (cassandra-driver 3.30, Cluster: contact_points)."""
    return [Address(as_text(one)) for one in (value if isinstance(value, list) else [value])]


def _write_host_list(hosts: Sequence[Host], _: str | None) -> object:
    if len({host.port for host in hosts}) > 1:
        raise NoAddress("all hosts share one port here")
    return [host.name for host in hosts]


def _write_host_port(hosts: Sequence[Host], _: str | None) -> object:
    """Write ``host:port``, as SAP HANA's ODBC driver has it, which knows no port of its own."""
    written = _write_authority(hosts, None)
    return written if hosts[0].port is None or hosts[0].is_socket else f"{written}:{hosts[0].port}"


ADDRESSES: Mapping[str, AddressCodec] = {
    "server": AddressCodec(_read_server, _write_server, instances=True, ports=True, networks=True),
    "server-instance": AddressCodec(_read_server_instance, _write_server_instance, instances=True),
    "stream": AddressCodec(_read_stream, _write_stream, schemes=True),
    "authority": AddressCodec(_read_authority, _write_authority, port_wins=True),
    "host-port": AddressCodec(_read_authority, _write_host_port, ports=True, port_wins=True),
    "web": AddressCodec(_read_web, _write_web, ports=True, schemes=True),
    "host-ports": AddressCodec(_read_host_ports, _write_host_ports, ports=True),
    "host-port-list": AddressCodec(_read_host_ports, _write_host_port_list, ports=True),
    "host-list": AddressCodec(_read_host_list, _write_host_list),
    "objects": AddressCodec(_read_objects, _write_objects, ports=True),
}
NO_CODEC = AddressCodec(lambda value: [Address(as_text(value))], lambda hosts, _: hosts[0].name)
"""What a plain host option is: a name and nothing else."""


def codec_of(name: str | None) -> AddressCodec:
    """Give the codec of that name, or what a plain host option amounts to."""
    return NO_CODEC if name is None else ADDRESSES[name]
