"""Checks of secrets, TLS and accounts, on a cord, with places where the cord was read from a text."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import ip_address
from pathlib import Path

from ..catalog import load_engine
from ..exchange import Reading
from ..exchange.documents import default_level
from ..exchange.placeholders import is_placeholder
from ..model import AuthenticationMethod, Cord, Secret, TlsLevel
from .findings import Finding, Severity, finding

Span = tuple[int, int] | None
_NO_FILES = frozenset({"system"})


def place_of(reading: Reading | None, role: str) -> Span:
    """Find where a role stands in the text that was read."""
    if reading is None:
        return None
    return next(((p.start, p.end) for p in reading.parts if p.role == role), None)


def check_password(cord: Cord, reading: Reading | None) -> Iterator[Finding]:
    """Report a password in a text, and placeholders that were never replaced."""
    if isinstance(cord.password, Secret):
        span = place_of(reading, "password")
        if is_placeholder(cord.password.unmask()):
            yield finding(
                "placeholder-left", "the password is a placeholder", "put the real one in its place", span=span
            )
        elif cord.password and reading is not None:
            fix = "keep it in a variable or a file, and refer to it: env:NAME, file:PATH"
            yield finding("password-in-text", "the password stands in the text", fix, span=span)
    for role, value in (("user", cord.user), ("database", cord.database), ("host", _first_host(cord))):
        if value and _is_bracketed(value):
            fix = "put the real one in its place"
            yield finding("placeholder-left", f"the {role} is a placeholder", fix, span=place_of(reading, role))


def _is_bracketed(value: str) -> bool:
    return is_placeholder(value) and not value.isalpha() and not value.isalnum()


def _first_host(cord: Cord) -> str | None:
    return cord.hosts[0].address if cord.hosts else None


def check_split(cord: Cord, reading: Reading | None) -> Iterator[Finding]:
    """Report a host that swallowed the end of a password."""
    for host in cord.hosts:
        if "@" in host.address[1:]:
            message = "the host holds an @: the password ended at an earlier one"
            fix = "write each @ of the password as %40"
            yield finding("needs-escaping", message, fix, span=place_of(reading, "host"), severity=Severity.ERROR)


def check_tls(cord: Cord, reading: Reading | None) -> Iterator[Finding]:
    """Report TLS that is off or verifies nobody, for hosts that are not this machine."""
    if load_engine(cord.engine).embedded or all(_is_local(h.address) for h in cord.hosts) or not cord.hosts:
        return
    level, span = cord.tls.level, place_of(reading, "tls.level")
    stated = level is not None
    if level is None and reading is not None:
        default = default_level(reading)
        level = TlsLevel(default) if default is not None else None
    says = "" if stated else "nothing is stated, and by default "
    fix = "ask for verify-identity, and give the authority's certificate (ca)"
    if level is TlsLevel.OFF:
        yield finding("not-encrypted", f"{says}TLS is off", fix, span=span)
    elif level is TlsLevel.OPPORTUNISTIC:
        message = f"{says}TLS is used only if the server offers it, and verifies nobody"
        yield finding("encrypted-not-verified", message, fix, span=span)
    elif level is TlsLevel.ENCRYPTED:
        yield finding(
            "encrypted-not-verified", f"{says}the connection is encrypted, and the server not verified", fix, span=span
        )
    elif level is TlsLevel.VERIFY_CHAIN:
        message = f"{says}the certificate's chain is verified, but not that it was issued for this host"
        yield finding("encrypted-not-verified", message, fix, span=span, severity=Severity.NOTE)


def _is_local(address: str) -> bool:
    if address in {"", "localhost"} or address[:1] in {"/", "@"}:
        return True
    try:
        return ip_address(address.partition("%")[0]).is_loopback
    except ValueError:
        return address.endswith(".localhost")


def check_files(cord: Cord, reading: Reading | None, folder: Path | None = None) -> Iterator[Finding]:
    """Report certificate files that are not there; relative paths start from ``folder``, or the current one."""
    for part in ("ca", "certificate", "key"):
        path = getattr(cord.tls, part)
        if path is None or path in _NO_FILES or path.startswith(("classpath:", "-----BEGIN")):
            continue
        place = (folder or Path()) / Path(path).expanduser()
        try:
            missing = not place.exists()
        except (OSError, ValueError):
            missing = True
        if missing:
            fix = "correct the path, or put the file there"
            yield finding(
                "file-missing", f"the {part} file {path} does not exist", fix, span=place_of(reading, f"tls.{part}")
            )


def check_login(cord: Cord, reading: Reading | None) -> Iterator[Finding]:
    """Report a log-in method beside a password, and an administrator's account."""
    method = cord.authentication.method
    span = place_of(reading, "password")
    if cord.password is not None and method not in {None, AuthenticationMethod.PASSWORD}:
        assert method is not None
        message = f"log-in is set to {method.value}, and a password is given, too"
        yield finding("two-ways-to-log-in", message, "drop one of the two", span=span)
    if cord.password is not None and cord.option("password_file") is not None:
        message = "a password is given, and a password file, too"
        yield finding("two-ways-to-log-in", message, "drop one of the two", span=span)
    if cord.password is not None and cord.tls.certificate is not None:
        message = "a password is given, and a client certificate, too: the server decides which one counts"
        fix = "keep both only if the server asks for both"
        yield finding("two-ways-to-log-in", message, fix, span=span, severity=Severity.NOTE)
    if cord.user in load_engine(cord.engine).administrators:
        message = f"{cord.user} is an administrator of {load_engine(cord.engine).title}"
        fix = "create a user for the application that may do only what it needs"
        yield finding("administrative-user", message, fix, span=place_of(reading, "user"))
