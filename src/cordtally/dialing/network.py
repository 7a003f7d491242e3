"""The first three rungs for servers: a name becomes an address, the port answers, TLS is agreed on and verified."""

from __future__ import annotations

import errno
import os
import socket
import ssl
from dataclasses import dataclass, field
from typing import Any

from ..model import Host, Tls, TlsLevel, Words, clear
from ..servers import Deadline, EngineServer, NoAnswer
from .rungs import Diagnosis, RungBroke, RungInClear, RungNotNeeded, RungOutcome


@dataclass(slots=True)
class Line:
    """What has been found on the way to a server; each rung has ``limit`` seconds."""

    server: EngineServer
    hosts: tuple[Host, ...]
    limit: float
    addresses: list[tuple[Host, int, Any]] = field(default_factory=list)
    reached: tuple[Host, int, Any] | None = None


def resolve(line: Line) -> str:
    """Turn each host into addresses; a socket's path must exist."""
    found: list[str] = []
    failed: list[str] = []
    deadline = Deadline(line.limit)
    for host in line.hosts:
        if host.is_socket:
            line.addresses.append((host, socket.AF_UNIX, line.server.socket_name(host)))
            found.append(f"{host.address} is a socket")
            continue
        addresses = _look_up(host, deadline)
        if not addresses:
            failed.append(str(host.address))
            continue
        line.addresses += [(host, family, address) for family, address in addresses]
        first = addresses[0][1][0]
        found.append(first if first == host.name else f"{host.address} is {first}")
    if not line.addresses:
        raise RungBroke(
            Diagnosis(
                f"no address is known for {' or '.join(failed)}",
                "check the spelling; in a container or behind a VPN the name may differ",
            )
        )
    return "; ".join(found) + (f"; no address for {', '.join(failed)}" if failed else "")


def _look_up(host: Host, deadline: Deadline) -> list[tuple[int, Any]]:
    """Ask the resolver, which knows no time limit; the same address may stand for several kinds of sockets."""
    try:
        rows = deadline.run(lambda: socket.getaddrinfo(host.name, host.port, type=socket.SOCK_STREAM))
    except (NoAnswer, OSError, UnicodeError):
        return []
    return [(family, address) for family, _, _, _, address in rows]


def reach(line: Line) -> str:
    """Open a connection to the first address that answers."""
    last: tuple[str, OSError] | None = None
    deadline = Deadline(line.limit)
    for host, family, place in line.addresses:
        shown = _shown_socket(host, place) if host.is_socket else f"{place[0]} port {place[1]}"
        try:
            with socket.socket(family, socket.SOCK_STREAM) as plug:
                plug.settimeout(deadline.left)
                plug.connect(place)
        except NoAnswer:
            break
        except OSError as error:
            last = (shown, error)
            continue
        line.reached = (host, family, place)
        return f"{shown} answers"
    assert last is not None
    raise RungBroke(_unreached(*last, line.limit))


def _shown_socket(host: Host, path: object) -> str:
    return str(path) if isinstance(host.address, str) else str(host.address)


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


def secure(line: Line, tls: Tls, default: TlsLevel | None) -> str:
    """Agree on TLS as the cord asks for it, and verify as far as it asks."""
    assert line.reached is not None
    host, family, address = line.reached
    # unstated means what this driver does by itself, so that secure tries what log in will do
    level = tls.level or default or TlsLevel.OPPORTUNISTIC
    if host.is_socket:
        raise RungNotNeeded("a local socket")
    if level is TlsLevel.OFF:
        raise RungInClear("TLS is off: everything crosses the network in the clear", RungOutcome.NOT_NEEDED)
    deadline = Deadline(line.limit)
    with socket.socket(family, socket.SOCK_STREAM) as plug:
        try:
            plug.settimeout(deadline.left)
            plug.connect(address)
            offered = line.server.ask_for_tls(plug, deadline)
        except NoAnswer:
            raise RungBroke(_unreached(str(host.address), TimeoutError(), line.limit)) from None
        except OSError as error:
            raise RungBroke(_unreached(str(host.address), error, line.limit)) from None
        if not offered:
            if level is TlsLevel.OPPORTUNISTIC:
                raise RungInClear("the server offers no TLS: plain text", RungOutcome.HELD)
            raise RungBroke(
                Diagnosis(
                    f"the server offers no TLS, and the cord asks for {level.value}",
                    "switch TLS on in the server; only on a network that you trust, ask for less",
                )
            )
        return _handshake(plug, host, tls, level)


def _path(path: Words | None) -> str | None:
    return None if path is None or path == "system" else clear(path)


def _handshake(plug: socket.socket, host: Host, tls: Tls, level: TlsLevel) -> str:
    try:
        context = ssl.create_default_context(cafile=_path(tls.ca))
        # in this order: ssl refuses CERT_NONE while the name is to be checked
        context.check_hostname = level is TlsLevel.VERIFY_IDENTITY
        context.verify_mode = ssl.CERT_REQUIRED if level >= TlsLevel.VERIFY_CHAIN else ssl.CERT_NONE
        if tls.certificate:
            password = tls.key_password.unmask() if tls.key_password else None
            context.load_cert_chain(clear(tls.certificate), _path(tls.key), password)
        with context.wrap_socket(plug, server_hostname=host.name) as secured:
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


# X509_V_ERR_… of OpenSSL 3 (x509_vfy.h)
_SELF_SIGNED, _UNKNOWN_CA, _EXPIRED, _NOT_YET, _WRONG_NAME, _WRONG_ADDRESS = (18, 19), (2, 20, 21), 10, 9, 62, 64


def _unverified(error: ssl.SSLCertVerificationError, host: Host) -> Diagnosis:
    code = error.verify_code
    if code in {_WRONG_NAME, _WRONG_ADDRESS}:
        return Diagnosis(
            f"the certificate was not issued for {host.address}",
            "use the name that stands in the certificate, or have one issued for this name",
        )
    if code in {*_SELF_SIGNED, *_UNKNOWN_CA}:
        return Diagnosis(
            "the certificate was signed by an authority that is not trusted here",
            "give the authority's certificate as the cord's ca",
        )
    if code in {_EXPIRED, _NOT_YET}:
        return Diagnosis("the certificate is not valid today", "renew it on the server; check both clocks")
    return Diagnosis(f"the certificate was refused (OpenSSL's reason {code})", "look at it: openssl s_client")
