"""Causes that few meet: older servers, drivers of ODBC, certificates for another purpose, damage on the disk."""

import datetime
import sqlite3
import ssl
from contextlib import suppress
from pathlib import Path

import psycopg
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec

import cordtally as ct
from cordtally.model import Host, Secret, Tls, TlsLevel
from cordtally.servers import Deadline, server_for

from ..servers import ADMIN_PASSWORD, free_port
from .peers import Peer, saying
from .test_causes import told

PASSWORD = "not-a-real-pw"


def packet(number, content):
    return len(content).to_bytes(3, "little") + bytes([number]) + content


def refusing(code):
    """Greet as MySQL 8 does, and refuse whoever logs in."""
    greeting = b"\x0a8.0.36\0\1\0\0\0abcdefgh\0\xff\xf7\x21\x02\0\xff\xdf\x15" + b"\0" * 10 + b"ijklmnopqrst\0mysql_native_password\0"
    if isinstance(code, int):
        return saying(packet(0, greeting), packet(2, b"\xff" + code.to_bytes(2, "little") + b"#HY000refused"))
    return saying(packet(0, greeting), packet(2, b"\xfe" + code + b"\0abc\0"))


@pytest.mark.parametrize(
    ("code", "cause"),
    [(3159, "tls-wanted"), (1275, "method-not-known"), (b"authentication_windows_client", "method-not-known"), (1862, "password-has-ended")],
)
def test_what_only_mysql_says(code, cause):
    with Peer(refusing(code)) as peer:
        cord = ct.Cord("mysql", (Host("127.0.0.1", peer.port),), "d", "rare_keeper", Secret(PASSWORD), tls=Tls(TlsLevel.OFF))
        assert told(ct.dial(cord, limit=2))[:2] == ("log in", cause)


def old_redis(plug, done):
    """Answer as Redis did before 6: no users, no HELLO."""
    while asked := plug.recv(4096):
        word = asked.split(b"\r\n")[2]
        known = {b"PING": b"+PONG\r\n", b"AUTH": b"-ERR Client sent AUTH, but no password is set\r\n"}
        plug.sendall(known.get(word, b"-ERR unknown command `%s`, with args beginning with: \r\n" % word))


@pytest.mark.parametrize(("protocol", "cause"), [("2", "user-not-taken"), ("3", "old-protocol")])
def test_a_redis_without_users(protocol, cause):
    with Peer(old_redis) as peer:
        cord = ct.Cord("redis", (Host("127.0.0.1", peer.port),), "0", "rare_keeper", Secret(PASSWORD), tls=Tls(TlsLevel.OFF))
        assert told(ct.dial(cord.copy_with(native=(("redis-py/protocol", protocol),)), limit=2))[:2] == ("log in", cause)


def test_a_certificate_for_another_purpose(tmp_path):
    key, day, now = ec.generate_private_key(ec.SECP256R1()), datetime.timedelta(days=1), datetime.datetime.now(datetime.UTC)
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "localhost")])
    made = x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key()).serial_number(7)
    made = made.not_valid_before(now - day).not_valid_after(now + day)
    made = made.add_extension(x509.ExtendedKeyUsage([x509.ExtendedKeyUsageOID.CLIENT_AUTH]), critical=True).sign(key, hashes.SHA256())
    pem = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    (tmp_path / "one.pem").write_bytes(pem + made.public_bytes(serialization.Encoding.PEM))
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(tmp_path / "one.pem")

    def serve(plug, done):
        with suppress(OSError), context.wrap_socket(plug, server_side=True) as secured:
            secured.recv(1)

    with Peer(serve) as peer:
        cord = ct.Cord("redis", (Host("localhost", peer.port),), "0", tls=Tls(TlsLevel.VERIFY_CHAIN, ca=str(tmp_path / "one.pem")))
        assert told(ct.dial(cord, limit=2))[:2] == ("secure", "certificate-refused")


@pytest.mark.servers
def test_data_sources_of_odbc(postgresql, tmp_path, monkeypatch):
    def section(name, driver, port):
        return f"[{name}]\nDriver={driver}\nServername=127.0.0.1\nPort={port}\nDatabase=postgres\nUserName=harbour_master\nPassword={ADMIN_PASSWORD}\n"

    (tmp_path / "odbc.ini").write_text(
        section("Berths", "PostgreSQL Unicode", postgresql.port) + section("Far", "PostgreSQL Unicode", free_port()) + "[Lost]\nDriver=/nowhere/driver.so\n"
        "[Hidden]\nDriver=PostgreSQL Unicode\nUserName=nobody\n"
    )
    monkeypatch.setenv("ODBCINI", str(tmp_path / "odbc.ini"))
    monkeypatch.setenv("ODBCSYSINI", "/etc")
    good = ct.dial("DSN=Berths", driver="odbc", limit=5)
    assert told(good) is None, good.diagnosis
    assert (good.driver, good.engine, good.answer.user, good.rungs[2].in_clear) == ("odbc", "postgresql", "harbour_master", True)
    refused = ct.dial("DSN=Berths;PWD=wrong", driver="psqlodbc", limit=5)
    assert told(refused) == ("log in", "password-or-user", "28P01")
    assert told(ct.dial("DSN=Far", driver="odbc", limit=5))[:2] == ("reach", "nothing-listens")
    assert told(ct.dial("DSN=Lost", driver="odbc", limit=5))[:2] == ("log in", "source-not-known")
    hidden = ct.dial("DSN=Hidden", driver="odbc", limit=5)  # where it leads to, the driver alone knows
    assert (told(hidden)[:2], hidden.rungs[1].outcome.value) == (("log in", "not-connected"), "not needed")
    assert told(ct.dial("DSN=Nowhere", driver="odbc", limit=5))[:2] == ("resolve", "name-leads-nowhere")


# --- damage


@pytest.mark.servers
def test_a_table_whose_file_is_damaged(postgresql):
    cord = ct.Cord("postgresql", (Host("127.0.0.1", postgresql.port),), "postgres", "harbour_master", Secret(ADMIN_PASSWORD))
    server = server_for("postgresql")
    with psycopg.connect(**cord.arguments("psycopg"), autocommit=True) as master:
        master.execute("CREATE TABLE rare_berths AS SELECT generate_series(1, 1000)")
        master.execute("VACUUM FULL rare_berths")  # the new file is written past the server's own memory
        master.execute("CHECKPOINT")
        ((path,),) = master.execute("SELECT pg_relation_filepath('rare_berths')").fetchall()
        file = Path(postgresql.socket_folder) / "data" / path
        file.write_bytes(b"\x55" * file.stat().st_size)
        session = server.log_in(cord, Deadline(10))
        with pytest.raises(server.errors()) as refused:
            server.run(session, "SELECT * FROM rare_berths")
        server.close(session)
        master.execute("DROP TABLE rare_berths")
    assert server.cause_of(refused.value, cord).known.id == "damaged"


@pytest.mark.parametrize(
    ("statement", "cause"), [("ATTACH '/nowhere/berths.db' AS other", "cannot-be-opened"), ("INSERT INTO berths VALUES ('north')", "not-writable")]
)
def test_a_file_that_is_not_there_any_more(tmp_path, statement, cause):
    with sqlite3.connect(tmp_path / "berths.db") as made:
        made.execute("CREATE TABLE berths (name text)")
    made.close()
    server, cord = server_for("sqlite"), ct.read(f"sqlite:///{tmp_path}/berths.db").cord
    session = server.log_in(cord, Deadline(5), writes=True)
    (tmp_path / "berths.db").rename(tmp_path / "moved.db")
    with pytest.raises(server.errors()) as refused:
        server.run(session, statement)
    server.close(session)
    assert server.cause_of(refused.value, cord).known.id == cause


@pytest.mark.servers
def test_a_server_that_only_speaks_the_protocol(postgresql):
    """It lacks what is asked of PostgreSQL: here a view that this user may not read. Its engine is dialled as its family is."""
    master = ct.Cord("postgresql", (Host("127.0.0.1", postgresql.port),), "postgres", "harbour_master", Secret(ADMIN_PASSWORD))
    with psycopg.connect(**master.arguments("psycopg"), autocommit=True) as connection:
        connection.execute("CREATE DATABASE rare_kin")
        connection.execute(f"CREATE ROLE rare_kin LOGIN PASSWORD '{PASSWORD}'")
    with psycopg.connect(**master.copy_with(database="rare_kin").arguments("psycopg"), autocommit=True) as connection:
        connection.execute("REVOKE SELECT ON pg_catalog.pg_stat_ssl FROM PUBLIC")
    result = ct.dial(ct.Cord("cockroachdb", master.hosts, "rare_kin", "rare_kin", Secret(PASSWORD)), limit=5)
    assert (told(result), result.engine, result.driver) == (None, "cockroachdb", "psycopg")
    assert (result.answer.product, result.answer.user, result.answer.role) == ("PostgreSQL", "rare_kin", None)
