"""The rung of TLS: agreed on as the engine has it, with the files and versions of the cord, and looked at in full.

Where less than full verification is asked for, full verification is tried first, and the rest only where it fails:
a server that would stand it is asked once. Servers count what is begun and not ended, so every conversation is.
"""

from __future__ import annotations

import re
import socket
import ssl
import struct
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from ..catalog import load_driver
from ..model import Cord, Host, Tls, TlsLevel, Words, clear
from ..servers import Deadline, HungUp, NoAnswer, Refusal, Wire
from ..servers.peers import stranger, who_is
from .asking import ask_who, named
from .levels import level_of
from .rungs import RungInClear, RungNotNeeded, RungOutcome

if TYPE_CHECKING:
    from .network import Address, Line

# RFC 8446, 6.2, by the names that Python gives them
_ALERTS = {
    "HANDSHAKE_FAILURE": 40, "BAD_CERTIFICATE": 42, "UNSUPPORTED_CERTIFICATE": 43, "CERTIFICATE_REVOKED": 44,
    "CERTIFICATE_EXPIRED": 45, "CERTIFICATE_UNKNOWN": 46, "ILLEGAL_PARAMETER": 47, "UNKNOWN_CA": 48,
    "ACCESS_DENIED": 49, "DECRYPT_ERROR": 51, "PROTOCOL_VERSION": 70, "INSUFFICIENT_SECURITY": 71,
    "INTERNAL_ERROR": 80, "INAPPROPRIATE_FALLBACK": 86, "UNRECOGNIZED_NAME": 112, "CERTIFICATE_REQUIRED": 116,
}  # fmt: skip
_ALERT = re.compile(r"(?:TLSV1|TLSV13|SSLV3)_(?:ALERT_)?(\w+)")  # without the word where RFC 6066 has it
_NO_VERSION = {"UNSUPPORTED_PROTOCOL", "NO_PROTOCOLS_AVAILABLE", "NO_CIPHERS_AVAILABLE", "UNSUPPORTED_SSL_VERSION"}
_PLAIN = {"WRONG_VERSION_NUMBER", "HTTP_REQUEST", "PACKET_LENGTH_TOO_LONG", "RECORD_LAYER_FAILURE"}
_VERSIONS = {"1": ssl.TLSVersion.TLSv1, "1.0": ssl.TLSVersion.TLSv1, "1.1": ssl.TLSVersion.TLSv1_1,
             "1.2": ssl.TLSVersion.TLSv1_2, "1.3": ssl.TLSVersion.TLSv1_3}  # fmt: skip
# of a driver's own options those that a handshake of ours does not follow: it says so
_NOT_TRIED = re.compile(r"(?i)ssl_?(?:cipher|crldir|certmode|max_protocol|sni)|tls_?cipher|ssl_ca_path|capath")


_SHARE = 0.75
_LISTEN = 0.5  # s
_STANDS = "it would stand full verification (verify-identity)"
_PARTING = 0.3  # s that a server is given to hang up, too


@dataclass(slots=True)
class Seen:
    """What a rung of TLS has found: how far the server is verified, and what it asks for after that."""

    verified: str | None = None
    method: str = ""
    early: Refusal | None = None


def secure(line: Line, seen: Seen) -> list[str]:
    """Agree on TLS as the cord asks for it, verify as far as it asks, and hear what the server says before a log-in.

    Behind it nothing is open any more: the driver begins anew, and none of these holds a place for it.
    """
    rung = Deadline(line.limit)
    with line.open:
        try:
            told = _secured(line, seen, rung)
        except (RungInClear, RungNotNeeded):
            _part(line, rung)
            raise
        _part(line, rung)
    return told


def _secured(line: Line, seen: Seen, rung: Deadline) -> list[str]:
    address, level = line.reached[0], level_of(line.cord, line.driver)
    local = address.host.is_socket
    assert address.plug is not None
    # who does not answer as it should is asked who it is, in what is left of the rung
    deadline = Deadline(line.limit * _SHARE)
    try:
        wire = address.wire = Wire(address.plug, deadline)
        if local or level is TlsLevel.OFF or not _offered(line, wire, level):
            offered = local or level is TlsLevel.OFF
            _hear(line, wire, seen, address)
            plain = "TLS is off: everything crosses the network in the clear"
            said = "a local socket" if local else plain if offered else "the server offers no TLS: plain text"
            said = _of(line, address) + said
            if local:
                return [said]
            raise RungInClear(said, RungOutcome.NOT_NEEDED if offered else RungOutcome.HELD)
        wire, told, more = _handshake(line, wire, address, level, seen)
        try:
            _hear(line, wire, seen, address)
        except HungUp:
            raise _late_alert(line, address, rung) from None
    except Refusal as refusal:
        if not _is_of_log_in(refusal):
            raise
        seen.early = refusal
        raise RungNotNeeded("the server refuses before that") from None
    except NoAnswer:
        raise ask_who(line, address, _left(rung)) or line.refuse("timeout:secure", place=address.shown) from None
    except HungUp as gone:
        raise named(line, address, gone, _left(rung)) from None
    told[0] = _of(line, address) + told[0]
    return [*told, *more]


def _part(line: Line, rung: Deadline) -> None:
    """Hang up on all that were reached, each as its protocol has it, and wait until they have done so, too."""
    deadline = Deadline(min(_left(rung), _PARTING))

    def end(address: Address) -> None:
        assert address.plug is not None
        wire = address.wire or Wire(address.plug, deadline)
        wire.deadline = deadline
        with suppress(Refusal, HungUp, NoAnswer, OSError, struct.error):
            line.server.part(wire)

    deadline.run_all([lambda one=one: end(one) for one in line.reached])  # type: ignore[misc]


def _of(line: Line, address: Address) -> str:
    """Of which host something is told, where there are several."""
    return f"{address.shown}: " if len(line.reached) > 1 else ""


def _is_of_log_in(refusal: Refusal) -> bool:
    """Whether a refusal that came early belongs to the log-in, which will tell of it."""
    return refusal.known is not None and refusal.known.rung not in {"reach", "secure"}


def _late_alert(line: Line, address: Address, deadline: Deadline) -> Refusal:
    """Listen behind a handshake: what the server thinks of the client's certificate comes late, and may get lost."""
    try:
        with open_wire(line, address, Deadline(min(_left(deadline), _LISTEN))) as wire:
            wire.receive()
    except Refusal as refusal:
        return refusal
    except ssl.SSLError as error:
        return _failed(line, error, address.host, wire)
    except (HungUp, NoAnswer, OSError):
        pass
    return line.refuse("peer:closed-after-tls", place=address.shown)


def _left(deadline: Deadline) -> float:
    try:
        return deadline.left
    except NoAnswer:
        return 0.001


def open_wire(line: Line, address: Address, deadline: Deadline, level: TlsLevel | None = None) -> Wire:
    """Open another connection to an address, secured in the same way, or as it is said; the caller closes it."""
    wire = Wire(socket.socket(address.family, socket.SOCK_STREAM), deadline)
    try:
        wire.connect(address.place)
        level = level or level_of(line.cord, line.driver)
        if not (address.host.is_socket or level is TlsLevel.OFF) and line.server.ask_for_tls(wire):
            _agree(line, wire, address.host, context_for(line, level))
    except BaseException:
        wire.plug.close()
        raise
    return wire


def _offered(line: Line, wire: Wire, level: TlsLevel) -> bool:
    if line.server.ask_for_tls(wire):
        return True
    if level is TlsLevel.OPPORTUNISTIC:
        return False
    raise line.refuse("tls:not-offered", level=level.value)


def _hear(line: Line, wire: Wire, seen: Seen, address: Address) -> None:
    """Hear what the server says before any password; where it refuses already, the log-in will tell."""
    try:
        seen.method = line.server.greet(wire, line.cord)
    except Refusal as refusal:
        if not _is_of_log_in(refusal):
            raise
        seen.early = refusal
    except ssl.SSLError as error:  # with TLS 1.3 the server looks at the client's certificate after the handshake
        raise _failed(line, error, address.host, wire) from None


def _path(path: Words | None) -> str | None:
    return None if path is None or path == "system" else clear(path)


def _native(cord: Cord, name: str) -> str | None:
    return next((value for key, value in cord.native if key.endswith(f"/{name}") and isinstance(value, str)), None)


def _authority(line: Line, level: TlsLevel) -> str | None:
    """The file of authorities: the cord's, or the one in which a driver without the system's looks."""
    tls, driver = line.cord.tls, load_driver(line.driver)
    own = driver.by_canonical.get("tls.ca")
    if tls.ca is not None or driver.system_trust is not False or own is None or not own.default:
        return _path(tls.ca)
    place = Path(str(own.default)).expanduser()
    if place.is_file():
        return str(place)
    if level >= TlsLevel.VERIFY_CHAIN:
        raise line.refuse("tls-file:missing", place=place)
    return None


def context_for(line: Line, level: TlsLevel) -> ssl.SSLContext:
    """Make the context that the driver would: authorities, revocation list, versions, the client's certificate.

    Raises
    ------
    Refusal
        When a file is not there or cannot be used.
    """
    cord, tls = line.cord, line.cord.tls
    authority = _authority(line, level)
    # libpq, which has no trust in the system's, verifies by such a file even where it need not (34.19.1)
    eager = load_driver(line.driver).system_trust is False
    verifies = level >= TlsLevel.VERIFY_CHAIN or (eager and authority is not None and level is TlsLevel.ENCRYPTED)
    _need(line, authority, tls)
    try:
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        if verifies and authority is None:
            context.load_default_certs()  # which takes tens of milliseconds
        elif authority is not None:
            context.load_verify_locations(cafile=authority)
        # in this order: ssl refuses CERT_NONE while the name is to be checked
        context.check_hostname = level is TlsLevel.VERIFY_IDENTITY
        context.verify_mode = ssl.CERT_REQUIRED if verifies else ssl.CERT_NONE
        if revoked := _native(cord, "sslcrl") or _native(cord, "ssl_crl"):
            context.load_verify_locations(cafile=revoked)
            context.verify_flags |= ssl.VERIFY_CRL_CHECK_LEAF
        least = str(dict(cord.options).get("tls_minimum_version") or "").lower().removeprefix("tls").lstrip("v")
        if least in _VERSIONS:
            context.minimum_version = _VERSIONS[least]
    except (ssl.SSLError, OSError, ValueError):
        raise line.refuse("tls-file:unusable", place=authority or "its list of revoked ones") from None
    if tls.certificate:
        # a function, since Python would ask for the pass phrase on the terminal
        phrase = tls.key_password.unmask() if tls.key_password else ""
        try:
            context.load_cert_chain(clear(tls.certificate), _path(tls.key), lambda: phrase)
        except (ssl.SSLError, OSError, ValueError):
            raise line.refuse("tls-file:unusable", place=tls.key or tls.certificate) from None
    return context


def _need(line: Line, authority: str | None, tls: Tls) -> None:
    for path in (authority, _path(tls.certificate), _path(tls.key)):
        if path is not None and not Path(path).exists():
            raise line.refuse("tls-file:missing", place=path)


def _handshake(
    line: Line, wire: Wire, address: Address, level: TlsLevel, seen: Seen
) -> tuple[Wire, list[str], list[str]]:
    """Agree on TLS; give the wire on which it was, what is told of it, and whether it would stand full verification."""
    context = context_for(line, level)
    more: list[str] = []
    if level is not TlsLevel.VERIFY_IDENTITY:
        fault, spent = _fault(line, wire, address.host)
        more = [f"full verification would fail: {fault}" if fault else _STANDS]
        if spent:
            wire = _anew(line, address, wire.deadline)
    if wire.tls is None:
        _agree(line, wire, address.host, context)
    assert wire.tls is not None
    chain = context.verify_mode is ssl.CERT_REQUIRED
    seen.verified = "host" if context.check_hostname else "chain" if chain else ""
    how = {"host": "chain and host name verified", "chain": "chain verified, host name not"}
    cipher = (wire.tls.cipher() or ("", "", 0))[0]
    told = [f"{wire.tls.version() or 'TLS'}, {how.get(seen.verified, 'nobody verified')}", cipher]
    told += describe(wire.tls.getpeercert(True))
    skipped = sorted({key.partition("/")[2] for key, _ in line.cord.native if _NOT_TRIED.search(key)})
    return wire, told + ([f"not tried here: {', '.join(skipped)}"] if skipped else []), more


def _fault(line: Line, wire: Wire, host: Host) -> tuple[str, bool]:
    """Agree on TLS with full verification; where that fails, say why, and whether the wire is spent."""
    try:
        context = context_for(line, TlsLevel.VERIFY_IDENTITY)
    except Refusal as refusal:
        return refusal.cause, False
    try:
        wire.begin_tls(context, _name(line, host))
    except ssl.SSLCertVerificationError as error:
        return line.refuse(f"x509:{error.verify_code}", place=host.address, name=error.verify_code).cause, True
    except (ssl.SSLError, ValueError) as error:  # ValueError: a name that cannot stand in a certificate
        raise _failed(line, error, host, wire) from None
    return "", False


def _anew(line: Line, address: Address, deadline: Deadline) -> Wire:
    """Begin again, as far as TLS."""
    if address.plug is not None:
        address.plug.close()
    address.plug = line.open.enter_context(socket.socket(address.family, socket.SOCK_STREAM))
    wire = address.wire = Wire(address.plug, deadline)
    wire.connect(address.place)
    if not line.server.ask_for_tls(wire):
        raise HungUp
    return wire


def _name(line: Line, host: Host) -> str:
    return str(dict(line.cord.options).get("tls_server_name") or host.name)


def _agree(line: Line, wire: Wire, host: Host, context: ssl.SSLContext) -> None:
    try:
        wire.begin_tls(context, _name(line, host))
    except (ssl.SSLError, ValueError) as error:  # ValueError: a name that cannot stand in a certificate
        raise _failed(line, error, host, wire) from None


def _failed(line: Line, error: Exception, host: Host, wire: Wire) -> Refusal:
    engine, place = line.cord.engine, host.address
    if isinstance(error, ssl.SSLCertVerificationError):
        told = "; ".join(describe(_certificate(line, host))[:2])
        name = told if error.verify_code in {9, 10} else error.verify_code
        return line.refuse(f"x509:{error.verify_code}", place=place, name=name)
    reason = str(getattr(error, "reason", None) or type(error).__name__)
    if reason in _PLAIN and wire.first:
        if who_is(wire.first) is not None:
            return stranger(wire.first, engine, wire.place)
        return line.refuse("tls:plain", name="it answers in plain text", place=place)
    alert = _ALERT.fullmatch(reason)
    if alert is not None:
        return line.refuse(f"alert:{_ALERTS.get(alert[1], 0)}", name=reason, place=place)
    return line.refuse("tls:no-version" if reason in _NO_VERSION else f"tls:{reason}", name=reason, place=place)


def _certificate(line: Line, host: Host) -> bytes | None:
    """The certificate of a server that was refused: it can be read where nobody is verified."""
    address = next(one for one in line.reached if one.host is host)
    try:
        wire = _anew(line, address, Deadline(min(line.limit, 1.0)))
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        wire.begin_tls(context, _name(line, host))
    except (Refusal, HungUp, NoAnswer, OSError):
        return None
    return wire.tls.getpeercert(True) if wire.tls is not None else None


def describe(certificate: bytes | None) -> list[str]:
    """Say for whom a certificate was issued, by whom, and how long it holds; nothing without ``cryptography``."""
    if certificate is None or not _has_cryptography():
        return []
    from cryptography import x509

    try:
        read = x509.load_der_x509_certificate(certificate)
        names = read.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        listed = [str(getattr(one, "value", one)) for one in names][:4]
    except x509.ExtensionNotFound:
        listed = []
    except ValueError:
        return []
    days = (read.not_valid_after_utc - datetime.now(UTC)).days
    until = f"valid until {read.not_valid_after_utc:%Y-%m-%d}, {days:,} day{'' if days == 1 else 's'} left"
    if days < 0:
        until = f"valid until {read.not_valid_after_utc:%Y-%m-%d}"
    elif read.not_valid_before_utc > datetime.now(UTC):
        until = f"valid from {read.not_valid_before_utc:%Y-%m-%d}"
    issuer = next((str(one.value) for one in reversed(list(read.issuer))), "nobody named")
    return [until, f"issued to {', '.join(listed) or 'no name'} by {issuer}"]


@cache
def _has_cryptography() -> bool:
    from importlib.util import find_spec

    return find_spec("cryptography") is not None
