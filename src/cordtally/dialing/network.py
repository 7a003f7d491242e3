"""The first three rungs for servers: a name becomes an address, the port answers, TLS is agreed on and verified."""

from __future__ import annotations

import errno
import os
import socket
import ssl
import struct
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from ..model import Host, Tls, TlsLevel
from .rungs import Diagnosis, RungBroke, RungNotNeeded

Upgrade = Callable[[socket.socket], bool]


@dataclass(slots=True)
class Line:
    """What has been found on the way to a server."""

    hosts: tuple[Host, ...]
    limit: float
    addresses: list[tuple[Host, int, Any]] = field(default_factory=list)
    reached: Host | None = None


def resolve(line: Line) -> str:
    """Turn each host into addresses; a socket's path must exist."""
    found: list[str] = []
    failed: list[str] = []
    for host in line.hosts:
        if host.is_socket:
            line.addresses.append((host, socket.AF_UNIX, ""))
            found.append(f"{host.shown} is a socket")
            continue
        addresses = _look_up(host, line.limit)
        if addresses is None:
            failed.append(host.shown)
            continue
        line.addresses += [(host, family, address) for family, address in addresses]
        first = addresses[0][1][0]
        found.append(first if first == host.address else f"{host.shown} is {first}")
    if not line.addresses:
        raise RungBroke(
            Diagnosis(
                f"no address is known for {' or '.join(failed)}",
                "check the spelling; in a container or behind a VPN the name may differ",
            )
        )
    return "; ".join(found) + (f"; no address for {', '.join(failed)}" if failed else "")


def _look_up(host: Host, limit: float) -> list[tuple[int, Any]] | None:
    """Ask the resolver in a thread of its own, since it knows no time limit."""
    answer: list[list[tuple[int, Any]]] = []

    def ask() -> None:
        try:
            rows = socket.getaddrinfo(host.address, host.port, type=socket.SOCK_STREAM)
        except (OSError, UnicodeError):
            return
        answer.append([(family, address) for family, _, _, _, address in rows])

    thread = threading.Thread(target=ask, daemon=True)
    thread.start()
    thread.join(limit)
    return answer[0] if answer else None


def reach(line: Line, socket_name: Callable[[Host], str]) -> str:
    """Open a connection to the first address that answers."""
    last: tuple[str, OSError] | None = None
    for host, family, place in line.addresses:
        address = socket_name(host) if host.is_socket else place
        shown = str(address) if host.is_socket else f"{place[0]} port {place[1]}"
        try:
            with socket.socket(family, socket.SOCK_STREAM) as plug:
                plug.settimeout(line.limit)
                plug.connect(address)
        except OSError as error:
            last = (shown, error)
            continue
        line.reached = host
        return f"{shown} answers"
    assert last is not None
    raise RungBroke(_unreached(*last, line.limit))


def _unreached(shown: str, error: OSError, limit: float) -> Diagnosis:
    if isinstance(error, TimeoutError):
        return Diagnosis(
            f"{shown} did not answer within {limit:g} s",
            "a firewall that drops packets, or a wrong address: try from another machine; --limit waits longer",
        )
    if error.errno == errno.ECONNREFUSED:
        return Diagnosis(
            f"nothing listens on {shown}",
            "start the server, or correct the port; the server may listen on other addresses only",
        )
    if error.errno in {errno.ENOENT, errno.EACCES}:
        return Diagnosis(
            f"{shown}: {os.strerror(error.errno or 0)}",
            "start the server, or correct the socket's path; reading its folder needs permission",
        )
    return Diagnosis(f"{shown} cannot be reached ({os.strerror(error.errno or 0)})", "check network, VPN and address")


def secure(line: Line, tls: Tls, default: TlsLevel | None, upgrade: Upgrade) -> str:
    """Agree on TLS as the cord asks for it, and verify as far as it asks."""
    host = line.reached
    assert host is not None
    level = tls.level or default or TlsLevel.OPPORTUNISTIC
    if host.is_socket:
        raise RungNotNeeded("a local socket")
    if level is TlsLevel.OFF:
        raise RungNotNeeded("TLS is off: everything crosses the network in the clear")
    family, address = next((f, a) for h, f, a in line.addresses if h is host)
    with socket.socket(family, socket.SOCK_STREAM) as plug:
        plug.settimeout(line.limit)
        try:
            plug.connect(address)
            offered = upgrade(plug)
        except OSError as error:
            raise RungBroke(_unreached(host.shown, error, line.limit)) from None
        if not offered:
            if level is TlsLevel.OPPORTUNISTIC:
                return "the server offers no TLS: plain text"
            raise RungBroke(
                Diagnosis(
                    f"the server offers no TLS, and the cord asks for {level.value}",
                    "switch TLS on in the server; only on a network that you trust, ask for less",
                )
            )
        return _handshake(plug, host, tls, level)


def _handshake(plug: socket.socket, host: Host, tls: Tls, level: TlsLevel) -> str:
    try:
        context = ssl.create_default_context(cafile=tls.ca if tls.ca != "system" else None)
        context.check_hostname = level is TlsLevel.VERIFY_IDENTITY
        context.verify_mode = ssl.CERT_REQUIRED if level >= TlsLevel.VERIFY_CHAIN else ssl.CERT_NONE
        if tls.certificate:
            password = tls.key_password.unmask() if tls.key_password else None
            context.load_cert_chain(tls.certificate, tls.key, password)
        with context.wrap_socket(plug, server_hostname=host.address) as secured:
            version = secured.version() or "TLS"
    except FileNotFoundError:
        raise RungBroke(
            Diagnosis("a certificate file of the cord does not exist", "cordtally vet names it; correct its path")
        ) from None
    except ssl.SSLCertVerificationError as error:
        raise RungBroke(_unverified(error, host)) from None
    except (ssl.SSLError, OSError) as error:
        reason = getattr(error, "reason", None) or type(error).__name__
        raise RungBroke(
            Diagnosis(
                f"the TLS handshake failed ({reason})",
                "client and server share no TLS version or cipher, or the server wants a client certificate",
            )
        ) from None
    verified = {
        TlsLevel.VERIFY_IDENTITY: "chain and host name verified",
        TlsLevel.VERIFY_CHAIN: "chain verified, host name not",
    }.get(level, "nobody verified")
    return f"{version}, {verified}"


_SELF_SIGNED, _UNKNOWN_CA, _EXPIRED, _NOT_YET, _WRONG_NAME, _WRONG_ADDRESS = (18, 19), (2, 20, 21), 10, 9, 62, 64


def _unverified(error: ssl.SSLCertVerificationError, host: Host) -> Diagnosis:
    code = error.verify_code
    if code in {_WRONG_NAME, _WRONG_ADDRESS}:
        return Diagnosis(
            f"the certificate was not issued for {host.shown}",
            "use the name that stands in the certificate, or have one issued for this name",
        )
    if code in {*_SELF_SIGNED, *_UNKNOWN_CA}:
        return Diagnosis(
            "the certificate was signed by an authority that is not trusted here",
            "give the authority's certificate as the cord's ca",
        )
    if code in {_EXPIRED, _NOT_YET}:
        return Diagnosis("the certificate is not valid today", "renew it on the server; check both clocks")
    return Diagnosis(f"the certificate was refused ({error.verify_message})", "look at it: openssl s_client")


def ask_postgresql(plug: socket.socket) -> bool:
    """Ask for TLS as PostgreSQL's protocol has it (SSLRequest, PostgreSQL 15 documentation, section 55.7)."""
    plug.sendall(struct.pack("!ii", 8, 80877103))
    return plug.recv(1) == b"S"


def ask_mysql(plug: socket.socket) -> bool:
    """Read the server's greeting and ask for TLS (protocol version 10: MariaDB documentation, "Connection").

    Raises
    ------
    ConnectionError
        When the server sends an error instead of its greeting; log-in will tell which.
    """
    head = _receive(plug, 4)
    greeting = _receive(plug, int.from_bytes(head[:3], "little"))
    if greeting[:1] != b"\x0a":
        return True
    after_version = greeting.index(b"\0", 1) + 1
    lower = struct.unpack_from("<H", greeting, after_version + 13)[0]
    if not lower & 0x0800:
        return False
    body = struct.pack("<IIB23x", 0x0001 | 0x0200 | 0x0800 | 0x8000, 1 << 24, 45)
    plug.sendall(len(body).to_bytes(3, "little") + b"\x01" + body)
    return True


def _receive(plug: socket.socket, count: int) -> bytes:
    got = b""
    while len(got) < count:
        piece = plug.recv(count - len(got))
        if not piece:
            raise ConnectionResetError(errno.ECONNRESET, "closed")
        got += piece
    return got
