"""A certificate authority of one's own, for stand-ins on loopback; its key is never written to disk."""

from __future__ import annotations

import ipaddress
import ssl
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

_DAY = timedelta(days=1)


class Authority:
    """Issues certificates for hosts and addresses, each for some days around now (RFC 5280)."""

    def __init__(self, name: str = "Greywick Harbour Test Authority") -> None:
        self._key = ec.generate_private_key(ec.SECP256R1())
        self._name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
        now = datetime.now(UTC)
        usage = x509.KeyUsage(
            digital_signature=False, content_commitment=False, key_encipherment=False, data_encipherment=False,
            key_agreement=False, key_cert_sign=True, crl_sign=True, encipher_only=False, decipher_only=False,
        )  # fmt: skip
        self._certificate = (
            x509.CertificateBuilder()
            .subject_name(self._name)
            .issuer_name(self._name)
            .public_key(self._key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now - _DAY)
            .not_valid_after(now + 30 * _DAY)
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(usage, critical=True)
            .add_extension(x509.SubjectKeyIdentifier.from_public_key(self._key.public_key()), critical=False)
            .sign(self._key, hashes.SHA256())
        )

    def write(self, path: Path) -> Path:
        """Write the authority's certificate, for clients to trust; give the path."""
        path.write_bytes(self._certificate.public_bytes(serialization.Encoding.PEM))
        return path

    def context(self, *hosts: str, days: int = 30) -> ssl.SSLContext:
        """Make what a server shows: a certificate for hosts and addresses; for negative ``days`` one that expired."""
        key = ec.generate_private_key(ec.SECP256R1())
        now = datetime.now(UTC)
        certificate = (
            x509.CertificateBuilder()
            .subject_name(x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, hosts[0])]))
            .issuer_name(self._name)
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now + (days - 10) * _DAY if days < 0 else now - _DAY)
            .not_valid_after(now + days * _DAY)
            .add_extension(x509.SubjectAlternativeName([_general_name(host) for host in hosts]), critical=False)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(self._key.public_key()), critical=False)
            .sign(self._key, hashes.SHA256())
        )
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        with tempfile.TemporaryDirectory() as folder:  # load_cert_chain takes files alone
            path = Path(folder) / "server.pem"
            path.touch(0o600)
            path.write_bytes(
                key.private_bytes(
                    serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
                )
                + certificate.public_bytes(serialization.Encoding.PEM)
            )
            context.load_cert_chain(path)
        return context


def _general_name(host: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(host))
    except ValueError:
        return x509.DNSName(host)
