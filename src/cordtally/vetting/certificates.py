"""Rules of the files that TLS needs: there, readable, of their kind, in time, and fitting each other."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..model import clear
from .ids import RuleId
from .leading import Leads, where
from .looks import Look
from .rules import Severity, Sight, Told, rule

if TYPE_CHECKING:
    from cryptography import x509

_LARGEST = 4 << 20  # bytes: bundles of all public authorities have a quarter of a megabyte
_SOON = timedelta(days=30)
_MOST_ABOVE = 8  # folders
_BY_NAME = frozenset({"system", "none"})  # words that stand for no file
_STORES = (".jks", ".p12", ".pfx", ".keystore", ".truststore", ".sso")  # opened with a password, which is not fetched
_WALLET = ("cwallet.sso", "ewallet.p12", "ewallet.pem")
_VERIFIED = "sslmode=verify-full"
_PARTS = {"ca": "CA", "certificate": "certificate", "key": "key"}


def _path(look: Look, part: str) -> Path | None:
    """Where a file is; None where there is none, or its text stands there itself."""
    value = getattr(look.cord.tls, part)
    if (
        not isinstance(value, str)
        or value in _BY_NAME
        or value.startswith(("classpath:", "file:", "-----", "{", "$", "%"))
    ):
        return None
    path, folder = Path(value).expanduser(), look.folder or Path()
    if path.is_absolute() or not look.in_file:
        return folder / path
    # from which folder the program of a file runs is not known: one above the file, most often
    above = (folder, *folder.resolve().parents[:_MOST_ABOVE])
    return next((one / path for one in above if (one / path).exists()), folder / path)


def _content(look: Look, part: str) -> bytes | None:
    """What stands in a file; None where there is none, where it cannot be read, or is no file of its own."""
    path = _path(look, part)
    try:
        if path is None or path.suffix.casefold() in _STORES or not path.is_file() or path.stat().st_size > _LARGEST:
            return None
        return path.read_bytes()
    except (OSError, ValueError):
        return None


def _certificates(data: bytes) -> list[x509.Certificate] | None:
    """The certificates of a file, PEM or DER; None where cryptography is not installed."""
    try:
        from cryptography import x509
    except ImportError:
        return None
    try:
        if b"-----BEGIN" in data:
            return x509.load_pem_x509_certificates(data)
        return [x509.load_der_x509_certificate(data)]
    except ValueError:
        return []


def _key(data: bytes) -> Any:  # noqa: ANN401 -- one of many kinds of keys
    """The key of a file; None where it has a pass phrase, is of a kind that is not known, or is none."""
    try:
        from cryptography.exceptions import UnsupportedAlgorithm
        from cryptography.hazmat.primitives.serialization import load_der_private_key, load_pem_private_key
    except ImportError:
        return None
    try:
        load = load_pem_private_key if b"-----BEGIN" in data else load_der_private_key
        return load(data, None)
    except (ValueError, TypeError, UnsupportedAlgorithm):
        return None


@rule(
    RuleId.FILE_MISSING,
    Severity.ERROR,
    Sight.FILES,
    title="a file that is not there",
    why="The driver fails, or goes on without verifying the server.",
    about="Relative paths start from the tally's folder, or else from the current one, as for the driver. In a file "
    "it is a note: the file may be there where the program runs.",
    bad=f"postgresql://gauge.greywick.example/tides?sslrootcert=/no/such/harbour-ca.pem&{_VERIFIED}",
    good=f"postgresql://gauge.greywick.example/tides?sslrootcert=system&{_VERIFIED}",
)
def file_missing(look: Look) -> Iterator[Told]:
    for part, title in _PARTS.items():
        path = _path(look, part)
        try:
            missing = path is not None and not path.exists()
        except (OSError, ValueError):
            missing = True
        if missing:
            here = ", where this is vetted" if look.in_file else ""
            message = f"the {title} file {getattr(look.cord.tls, part)} does not exist{here}"
            severity = Severity.NOTE if look.in_file else None
            yield Told(message, "correct the path, or put the file there", look.place(f"tls.{part}"), severity)


@rule(
    RuleId.FILE_UNREADABLE,
    Severity.ERROR,
    Sight.FILES,
    title="a file that cannot be read",
    why="The driver cannot read it either, if it runs as the same user.",
    about="A folder where a file should be, or one that this user may not read.",
    bad=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/&{_VERIFIED}",
    good=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/harbour-ca.pem&{_VERIFIED}",
)
def file_unreadable(look: Look) -> Iterator[Told]:
    for part, title in _PARTS.items():
        path = _path(look, part)
        try:
            if path is None or not path.exists():
                continue
            what = (
                "is a folder" if path.is_dir() else "" if os.access(path, os.R_OK) else "may not be read by this user"
            )
        except (OSError, ValueError):
            continue
        # Oracle's and Java's stores may be folders
        if what and not (what == "is a folder" and look.engine.wallets):
            yield Told(
                f"the {title} file {getattr(look.cord.tls, part)} {what}", "name the file", look.place(f"tls.{part}")
            )


@rule(
    RuleId.NO_CERTIFICATE,
    Severity.ERROR,
    Sight.FILES,
    title="a file without the certificate that it is named for",
    why="The driver refuses it, or has no authority to verify by.",
    about="PEM and DER are read (RFC 7468, RFC 5280). A key where a certificate belongs, an empty file, a page that "
    "was "
    "saved under its name.",
    bad=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/notes.txt&{_VERIFIED}",
    good=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/harbour-ca.pem&{_VERIFIED}",
)
def no_certificate(look: Look) -> Iterator[Told]:
    for part in ("ca", "certificate"):
        data = _content(look, part)
        if data is not None and _certificates(data) == []:
            what = "a private key" if b"PRIVATE KEY-----" in data else "no certificate"
            message = f"the {_PARTS[part]} file {getattr(look.cord.tls, part)} holds {what}"
            yield Told(message, "name the file with the certificate", look.place(f"tls.{part}"))


@rule(
    RuleId.KEY_OPEN_TO_OTHERS,
    Severity.ERROR,
    Sight.FILES,
    title="a key that others may read",
    why="Whoever reads it can log in; libpq and others refuse such a file.",
    about="On POSIX a key's file is to be readable by its owner alone; libpq also takes one of root's that its "
    "group may "
    "read.",
    bad=f"postgresql://gauge.greywick.example/tides?sslcert=certificates/keeper.pem&sslkey=certificates/open.key&{_VERIFIED}",
    good=f"postgresql://gauge.greywick.example/tides?sslcert=certificates/keeper.pem&sslkey=certificates/keeper.key&{_VERIFIED}",
)
def key_open_to_others(look: Look) -> Iterator[Told]:
    path = _path(look, "key")
    try:
        if path is None or os.name != "posix" or not path.is_file():
            return
        status = path.stat()
    except (OSError, ValueError):
        return
    mode = stat.S_IMODE(status.st_mode)
    if mode & (0o037 if status.st_uid == 0 else 0o077):
        message = f"the key file {look.cord.tls.key} has mode {mode:04o}: others may read it"
        yield Told(message, f"chmod 600 {look.cord.tls.key}", look.place("tls.key"))


@rule(
    RuleId.KEY_MISSING,
    Severity.ERROR,
    Sight.FILES,
    title="a certificate without its key, or a key without its certificate",
    why="Neither proves anything alone: the driver fails, or logs in without them.",
    about="A file that holds both is no finding, where the driver takes one.",
    bad=f"postgresql://gauge.greywick.example/tides?sslcert=certificates/keeper.pem&{_VERIFIED}&sslrootcert=system",
    good=f"postgresql://gauge.greywick.example/tides?sslcert=certificates/keeper.pem&sslkey=certificates/keeper.key&{_VERIFIED}",
)
def key_missing(look: Look) -> Iterator[Told]:
    tls = look.cord.tls
    if (tls.certificate is None) == (tls.key is None) or look.driver is None:
        return
    lacking = "key" if tls.key is None else "certificate"
    option = look.driver.by_canonical.get(f"tls.{lacking}")
    if option is None:
        return  # this driver has both in one file
    given = "certificate" if tls.key is None else "key"
    data = _content(look, given)
    if data is not None and (b"PRIVATE KEY-----" in data if lacking == "key" else b"BEGIN CERTIFICATE-----" in data):
        return
    if getattr(tls, given) is not None and str(getattr(tls, given)).casefold().endswith(_STORES):
        return
    yield Told(
        f"a {given} is given without its {lacking}",
        f"give the {lacking}, too: {option.name}",
        look.place(f"tls.{given}"),
    )


@rule(
    RuleId.KEY_DOES_NOT_FIT,
    Severity.ERROR,
    Sight.FILES,
    title="a key that does not fit its certificate",
    why="TLS fails before anybody logs in.",
    about="The public keys of both are compared; a key with a pass phrase is not opened.",
    bad=f"postgresql://gauge.greywick.example/tides?sslcert=certificates/keeper.pem&sslkey=certificates/other.key&{_VERIFIED}",
    good=f"postgresql://gauge.greywick.example/tides?sslcert=certificates/keeper.pem&sslkey=certificates/keeper.key&{_VERIFIED}",
)
def key_does_not_fit(look: Look) -> Iterator[Told]:
    certificate, key = _content(look, "certificate"), _content(look, "key")
    if certificate is None or key is None:
        return
    found, private = _certificates(certificate), _key(key)
    if found and private is not None and found[0].public_key() != private.public_key():
        message = f"the key {look.cord.tls.key} is not that of the certificate {look.cord.tls.certificate}"
        yield Told(message, "name the two files that belong together", look.place("tls.key"))


def _in_time(look: Look) -> Iterator[tuple[str, datetime]]:
    """The end of each certificate of the client's, and of all authorities of a file where none is left."""
    for part in ("ca", "certificate"):
        data = _content(look, part)
        found = _certificates(data) if data is not None else None
        if found:
            ends = [one.not_valid_after_utc for one in found]
            yield part, ends[0] if part == "certificate" else max(ends)


@rule(
    RuleId.CERTIFICATE_EXPIRED,
    Severity.ERROR,
    Sight.FILES,
    title="a certificate that has expired",
    why="The other side refuses it.",
    about="The client's own; of the authorities in a file one at least has to be valid.",
    bad=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/old-ca.pem&{_VERIFIED}",
    good=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/harbour-ca.pem&{_VERIFIED}",
)
def certificate_expired(look: Look) -> Iterator[Told]:
    for part, end in _in_time(look):
        if end < datetime.now(UTC):
            message = f"the {_PARTS[part]} {getattr(look.cord.tls, part)} expired on {end:%Y-%m-%d}"
            yield Told(message, "put a new one there", look.place(f"tls.{part}"))


@rule(
    RuleId.CERTIFICATE_ENDS_SOON,
    Severity.WARNING,
    Sight.FILES,
    title="a certificate that expires within a month",
    why="From then on nobody connects.",
    about="Thirty days, as most people need to have one issued.",
    bad=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/ending-ca.pem&{_VERIFIED}",
    good=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/harbour-ca.pem&{_VERIFIED}",
)
def certificate_ends_soon(look: Look) -> Iterator[Told]:
    now = datetime.now(UTC)
    for part, end in _in_time(look):
        if now <= end < now + _SOON:
            days = (end - now).days
            when = f"{end:%Y-%m-%d}, in {days} day{'' if days == 1 else 's'}"
            message = f"the {_PARTS[part]} {getattr(look.cord.tls, part)} expires on {when}"
            yield Told(message, "have it renewed", look.place(f"tls.{part}"))


@rule(
    RuleId.CERTIFICATE_OF_OTHER_HOST,
    Severity.ERROR,
    Sight.FILES,
    title="a server's certificate that does not cover the host",
    why="The names are compared, and the connection is refused.",
    about="Asked where the file that is trusted is the server's own certificate, and not an authority's: then it tells "
    "for which hosts it was issued (RFC 6125).",
    bad=f"postgresql://gauge.greywick.example/tides?sslrootcert=certificates/berths-server.pem&{_VERIFIED}",
    good=f"postgresql://berths.greywick.example/tides?sslrootcert=certificates/berths-server.pem&{_VERIFIED}",
)
def certificate_of_other_host(look: Look) -> Iterator[Told]:
    data = _content(look, "ca")
    found = _certificates(data) if data is not None else None
    if not found or len(found) != 1 or look.cord.tls.level is None or look.cord.tls.level.value != "verify-identity":
        return
    names = _names(found[0])
    for host in look.cord.hosts:
        if names and where(host.name) is not Leads.HERE and not _covers(names, host.name.lower()):
            message = f"the certificate {look.cord.tls.ca} is for {', '.join(sorted(names)[:3])}, and not for {host}"
            yield Told(
                message, "name the host as the certificate does, or have it issued for both", look.place("tls.ca")
            )
            return


def _names(certificate: x509.Certificate) -> set[str]:
    """The names that a server's certificate covers; none where it is an authority's."""
    from cryptography import x509

    try:
        if certificate.extensions.get_extension_for_class(x509.BasicConstraints).value.ca:
            return set()
    except x509.ExtensionNotFound:
        pass
    try:
        names = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except x509.ExtensionNotFound:
        return set()
    dns = {name.lower() for name in names.get_values_for_type(x509.DNSName)}
    return dns | {str(address) for address in names.get_values_for_type(x509.IPAddress)}


def _covers(names: set[str], host: str) -> bool:
    """Whether one of the names is the host's; a * stands for its first label (RFC 6125, 6.4.3)."""
    return host in names or f"*.{host.partition('.')[2]}" in names


@rule(
    RuleId.WALLET_INCOMPLETE,
    Severity.ERROR,
    Sight.OPTIONS,
    options=("wallet_location",),
    title="a wallet's folder without a wallet in it",
    why="The driver finds neither authorities nor a certificate there.",
    about="Oracle's drivers look for cwallet.sso, ewallet.p12 or ewallet.pem in the folder.",
    bad="tcps://tariff.greywick.example:2484/tariff?wallet_location=certificates",
    good="tcps://tariff.greywick.example:2484/tariff?wallet_location=wallet",
)
def wallet_incomplete(look: Look) -> Iterator[Told]:
    value = look.cord.option("wallet_location")
    if not isinstance(value, str) or value.casefold() in _BY_NAME or "${" in value:
        return
    folder = (look.folder or Path()) / Path(clear(value).removeprefix("file:")).expanduser()
    span = look.option_place("wallet_location")
    try:
        if not folder.is_dir():
            yield Told(f"the wallet's folder {value} does not exist", "correct the path", span)
        elif not any((folder / name).exists() for name in _WALLET):
            yield Told(f"there is no wallet in {value}", f"put {_WALLET[0]} or {_WALLET[2]} there", span)
    except (OSError, ValueError):
        return
