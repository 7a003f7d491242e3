"""Certificates and keys of the harbour: right ones, and each kind of wrong one."""

from datetime import UTC, datetime, timedelta

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

PEM = serialization.Encoding.PEM


def certificate(key, name, days, *, is_authority=True, hosts=()):
    """A certificate that signs itself, and ends in some days."""
    now = datetime.now(UTC)
    called = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    made = x509.CertificateBuilder().subject_name(called).issuer_name(called).public_key(key.public_key())
    made = made.serial_number(7).not_valid_before(now - timedelta(days=400)).not_valid_after(now + timedelta(days=days))
    made = made.add_extension(x509.BasicConstraints(ca=is_authority, path_length=None), critical=True)
    if hosts:
        made = made.add_extension(x509.SubjectAlternativeName([x509.DNSName(host) for host in hosts]), critical=False)
    return made.sign(key, hashes.SHA256()).public_bytes(PEM)


def private(key):
    return key.private_bytes(PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())


@pytest.fixture(scope="session")
def certificates(tmp_path_factory):
    """A folder that has the files which the examples of rules name."""
    folder = tmp_path_factory.mktemp("harbour")
    (folder / "certificates").mkdir()
    (folder / "wallet").mkdir()
    (folder / "wallet" / "cwallet.sso").write_bytes(b"\xa1\xf8\x4e")
    key, other = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())
    files = {
        "harbour-ca.pem": certificate(key, "Harbour", 300),
        "ca.pem": certificate(key, "Harbour", 300),
        "old-ca.pem": certificate(key, "Harbour", -1),
        "ending-ca.pem": certificate(key, "Harbour", 9),
        "keeper.pem": certificate(key, "keeper", 300, is_authority=False),
        "berths-server.pem": certificate(key, "berths", 300, is_authority=False, hosts=["berths.greywick.example"]),
        "notes.txt": b"ask the harbour master\n",
        "keeper.key": private(key),
        "other.key": private(other),
        "open.key": private(key),
    }
    for name, data in files.items():
        path = folder / "certificates" / name
        path.write_bytes(data)
        path.chmod(0o600 if name in {"keeper.key", "other.key"} else 0o644)
    return folder
