"""More causes, each produced: names that lead nowhere, sockets that are shut, TLS that fails late, statements that servers refuse."""

import datetime
import socket
import ssl
import sys
import time
from base64 import urlsafe_b64encode
from contextlib import suppress
from pathlib import Path

import psycopg
import pymysql
import pytest
import redis
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization

import cordtally as ct
from cordtally.model import Host, Locator, Secret, Tls, TlsLevel
from cordtally.servers import Deadline, server_for
from cordtally.standins import Authority

from .. import servers
from ..servers import ADMIN_PASSWORD, free_port
from .peers import Peer
from .test_causes import self_signed
from .test_states import becomes, running, told

PASSWORD = "not-a-real-pw"


# --- before a server is reached


@pytest.mark.parametrize(
    ("cord", "cause"),
    [
        (ct.Cord("redis", (Host("127.0.0.1", 9),), "0", None, Locator("env", "NO_SUCH_VARIABLE")), "secret-not-found"),
        ("service=nowhere user=u", "name-leads-nowhere"),
        ("jdbc:h2:mem:berths", "names-no-host"),
    ],
)
def test_what_is_looked_up_and_not_there(tmp_path, monkeypatch, cord, cause):
    monkeypatch.setenv("PGSERVICEFILE", str(tmp_path / "services"))
    assert told(ct.dial(cord, limit=2))[:2] == ("resolve", cause)


def test_a_socket_whose_queue_is_full(tmp_path):
    with socket.socket(socket.AF_UNIX) as listener:
        listener.bind(str(tmp_path / ".s.PGSQL.5432"))
        listener.listen(0)
        kept = []
        for _ in range(4):
            plug = socket.socket(socket.AF_UNIX)
            plug.setblocking(False)
            plug.connect_ex(listener.getsockname())
            kept.append(plug)
        assert told(ct.dial(f"host={tmp_path} user=u", limit=0.5))[:2] == ("reach", "socket-full")
        for plug in kept:
            plug.close()


# --- TLS that fails in a way of its own


def refusing(alert):
    """A server that takes no name."""
    context = Authority().context("localhost")
    context.sni_callback = lambda *_: alert

    def serve(plug, done):
        with suppress(OSError), context.wrap_socket(plug, server_side=True):
            pass

    return serve


def leaving(plug, done):
    with suppress(OSError), Authority().context("localhost").wrap_socket(plug, server_side=True):
        pass


@pytest.mark.parametrize(
    ("serve", "cause"),
    [
        (refusing(ssl.ALERT_DESCRIPTION_UNRECOGNIZED_NAME), "name-not-served"),
        (refusing(ssl.ALERT_DESCRIPTION_INTERNAL_ERROR), "handshake-failed"),
        (leaving, "hung-up-after-tls"),
    ],
)
def test_tls_that_a_server_ends(serve, cause):
    with Peer(serve) as peer:
        cord = ct.Cord("redis", (Host("localhost", peer.port),), "0", tls=Tls(TlsLevel.ENCRYPTED))
        assert told(ct.dial(cord, limit=2))[:2] == ("secure", cause)


def test_a_certificate_of_tomorrow(tmp_path):
    context = self_signed(tmp_path, begins=1)
    with Peer(lambda plug, done: refuse_quietly(context, plug)) as peer:
        cord = ct.Cord("redis", (Host("localhost", peer.port),), "0", tls=Tls(TlsLevel.VERIFY_CHAIN, ca=str(tmp_path / "self.pem")))
        result = ct.dial(cord, limit=2)
    assert (told(result)[:2], "valid from" in result.diagnosis.cause) == (("secure", "certificate-not-yet-valid"), True)


def refuse_quietly(context, plug):
    with suppress(OSError), context.wrap_socket(plug, server_side=True):
        plug.recv(1)


@pytest.mark.servers
def test_a_key_that_others_may_read(postgresql, tmp_path):
    self_signed(tmp_path)
    (tmp_path / "self.pem").chmod(0o644)
    files = {"certificate": str(tmp_path / "self.pem"), "key": str(tmp_path / "self.pem")}
    cord = ct.Cord("postgresql", (Host("localhost", postgresql.port),), "postgres", "harbour_master", Secret(ADMIN_PASSWORD))
    result = ct.dial(cord.copy_with(tls=Tls(TlsLevel.ENCRYPTED, **files)), limit=5)
    assert told(result)[:2] == ("log in", "key-open-to-others")


# --- log-ins


@pytest.mark.servers
def test_further_ways_of_postgresql_to_refuse(postgresql, monkeypatch):
    cord = ct.Cord("postgresql", (Host("127.0.0.1", postgresql.port),), "postgres", "more_keeper", Secret(PASSWORD))
    with psycopg.connect(host="127.0.0.1", port=postgresql.port, user="harbour_master", password=ADMIN_PASSWORD, dbname="postgres", autocommit=True) as master:
        master.execute(f"CREATE ROLE more_keeper LOGIN PASSWORD '{PASSWORD}'")
        rules = Path(postgresql.socket_folder) / "data/pg_hba.conf"
        rules.write_text("local all more_keeper peer\n" + rules.read_text())
        master.execute("SELECT pg_reload_conf()")
        peer = told(ct.dial(cord.copy_with(hosts=(Host(postgresql.socket_folder, postgresql.port),)), limit=5))
    ended = urlsafe_b64encode(b'{"exp":1700000000}').decode().rstrip("=")
    token = told(ct.dial(cord.copy_with(password=Secret(f"eyJhbGciOiJub25lIn0.{ended}.not-a-real-signature")), limit=5))
    monkeypatch.setitem(sys.modules, "psycopg", None)
    assert (peer, token, told(ct.dial(cord, limit=5))) == (
        ("log in", "method-refused", "28000"), ("log in", "token-ended", "28P01"), ("log in", "driver-missing", None)
    )


@pytest.mark.servers
def test_an_account_of_the_operating_system_on_mariadb(mariadb):
    cord = ct.Cord("mariadb", (Host("127.0.0.1", mariadb.port),), None, "harbour_master", Secret(ADMIN_PASSWORD), tls=Tls(TlsLevel.OFF))
    with pymysql.connect(host="127.0.0.1", port=mariadb.port, user="harbour_master", password=ADMIN_PASSWORD) as master, master.cursor() as cursor:
        cursor.execute("CREATE USER more_system@'%' IDENTIFIED VIA unix_socket")
        system = told(ct.dial(cord.copy_with(user="more_system"), limit=5))
    assert system == ("log in", "log-in-of-system", "1698")


@pytest.mark.servers
def test_poolers_that_are_full_or_wait(postgresql, tmp_path):
    program = servers.find_program("pgbouncer")
    if program is None:
        pytest.skip("pgbouncer is not installed")
    import tempfile

    home, port = Path(tempfile.mkdtemp(prefix="cordtally-")) / "pooler", free_port()
    home.mkdir()
    (home / "users.txt").write_text(f'"harbour_master" "{ADMIN_PASSWORD}"\n')
    (home / "pgbouncer.ini").write_text(
        f"[databases]\npostgres = host=127.0.0.1 port={postgresql.port} pool_size=1\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = {port}\n"
        f"auth_type = scram-sha-256\nauth_file = {home}/users.txt\nunix_socket_dir =\nmax_client_conn = 2\nquery_wait_timeout = 1\npool_mode = transaction\n"
    )
    servers.own(home, "postgres")
    keeper = {"host": "127.0.0.1", "port": port, "user": "harbour_master", "password": ADMIN_PASSWORD, "dbname": "postgres", "connect_timeout": 30}
    cord = ct.Cord("postgresql", (Host("127.0.0.1", port),), "postgres", "harbour_master", Secret(ADMIN_PASSWORD), tls=Tls(TlsLevel.OFF))
    with servers.serve(servers.as_user("postgres", [program, str(home / "pgbouncer.ini")]), home, lambda: psycopg.connect(**keeper)):
        setting = told(ct.dial(cord.copy_with(native=(("libpq/options", "-c geqo=off"),)), limit=5))
        with psycopg.connect(**keeper) as busy:
            busy.execute("SELECT 1")  # its transaction holds the one connection to the server
            waits = told(ct.dial(cord, limit=5))
            with psycopg.connect(**keeper):
                full = told(ct.dial(cord, limit=5))
    assert (setting[:2], waits[1], full[:2]) == (("log in", "pooler-refused-setting"), "pooler-waits", ("log in", "pooler-full"))


# --- what servers refuse once they let in: through the same modules, by the servers' own codes

STATEMENTS = [
    ("postgresql", "SELEC 1", "syntax"), ("postgresql", "SELECT * FROM nowhere", "nothing-of-that-name"),
    ("postgresql", "SET statement_timeout = 1; SELECT pg_sleep(9)", "statement-took-too-long"),
    ("postgresql", "SET default_transaction_read_only = on; COMMIT; CREATE TABLE more (x int)", "reads-only"),
    ("postgresql", "SELECT pg_terminate_backend(pg_backend_pid())", "ended-by-administrator"),
    ("mariadb", "SELEC 1", "syntax"), ("mariadb", "SELECT * FROM mysql.nowhere", "nothing-of-that-name"),
    ("mariadb", "SET STATEMENT max_statement_time = 0.01 FOR SELECT sleep(9) FROM mysql.user a, mysql.user b", "statement-took-too-long"),
    ("mariadb", "KILL connection_id()", "ended-by-administrator"),
]


@pytest.mark.servers
@pytest.mark.parametrize(("engine", "statement", "cause"), STATEMENTS)
def test_statements_that_a_server_refuses(request, engine, statement, cause):
    target = request.getfixturevalue(engine)
    database = "postgres" if engine == "postgresql" else None
    cord = ct.Cord(engine, (Host("127.0.0.1", target.port),), database, "harbour_master", Secret(ADMIN_PASSWORD), tls=Tls(TlsLevel.OFF))
    server = server_for(engine)
    session = server.log_in(cord, Deadline(10))
    try:
        *before, last = statement.split("; ")
        for one in before:
            Deadline(60).run(lambda one=one: server.run(session, one))
        with pytest.raises(server.errors()) as refused:
            Deadline(60).run(lambda: server.run(session, last))
    finally:
        server.close(session)
    assert server.cause_of(refused.value, cord).known.id == cause


@pytest.mark.servers
def test_a_session_that_is_idle_for_too_long(postgresql):
    server = server_for("postgresql")
    cord = ct.Cord("postgresql", (Host("127.0.0.1", postgresql.port),), "postgres", "harbour_master", Secret(ADMIN_PASSWORD))
    session = server.log_in(cord, Deadline(10))
    server.run(session, "SET idle_session_timeout = 1")
    time.sleep(0.3)
    with pytest.raises(server.errors()) as refused:
        server.run(session, "SELECT 1")
    server.close(session)
    assert server.cause_of(refused.value, cord).known.id in {"idle-too-long", "protocol-broken"}


REDIS = [({"maxmemory": "1"}, "SET a 1", "out-of-memory"), ({"cluster-enabled": "yes", "cluster-port": "0"}, "GET a", "cluster-elsewhere")]


@pytest.mark.servers
@pytest.mark.parametrize(("settings", "statement", "cause"), REDIS)
def test_commands_that_redis_refuses(tmp_path, settings, statement, cause):
    program, port = servers.find_program("redis-server"), free_port()
    if program is None:
        pytest.skip("redis-server is not installed")
    # the port of the cluster's bus is 10,000 above the other one where none is named, which need not be a port
    settings = {name: value if name != "cluster-port" else str(free_port()) for name, value in settings.items()}
    given = [word for name, value in settings.items() for word in (f"--{name}", value)]
    cord = ct.Cord("redis", (Host("127.0.0.1", port),), "0", tls=Tls(TlsLevel.OFF))
    server = server_for("redis")
    with running([program, "--port", str(port), "--dir", str(tmp_path), "--save", "", *given], tmp_path):
        assert becomes(cord, None) is None
        session = server.log_in(cord, Deadline(5))
        with pytest.raises(redis.RedisError) as refused:
            server.run(session, statement)
        server.close(session)
    assert server.cause_of(refused.value, cord).known.id == cause



def test_a_statement_that_sqlite_does_not_understand(tmp_path):
    (tmp_path / "berths.db").write_bytes(b"")
    server, cord = server_for("sqlite"), ct.read(f"sqlite:///{tmp_path}/berths.db").cord
    session = server.log_in(cord, Deadline(5))
    with pytest.raises(server.errors()) as refused:
        server.run(session, "SELEC 1")
    server.close(session)
    assert server.cause_of(refused.value, cord).known.id == "statement-refused"


def test_a_certificate_that_its_authority_has_withdrawn(tmp_path):
    authority, day, now = Authority(), datetime.timedelta(days=1), datetime.datetime.now(datetime.UTC)
    ca, context = authority.write(tmp_path / "ca.pem"), authority.context("localhost")
    with Peer(lambda plug, done: refuse_quietly(context, plug)) as peer:
        shown = x509.load_pem_x509_certificate(ssl.get_server_certificate(("127.0.0.1", peer.port)).encode())
        withdrawn = x509.RevokedCertificateBuilder().serial_number(shown.serial_number).revocation_date(now - day).build()
        made = x509.CertificateRevocationListBuilder().issuer_name(shown.issuer).last_update(now - day).next_update(now + day)
        listed = made.add_revoked_certificate(withdrawn).sign(authority._key, hashes.SHA256())
        (tmp_path / "crl.pem").write_bytes(listed.public_bytes(serialization.Encoding.PEM))
        cord = ct.Cord("redis", (Host("localhost", peer.port),), "0", tls=Tls(TlsLevel.VERIFY_IDENTITY, ca=str(ca)))
        found = told(ct.dial(cord.copy_with(native=(("redis-py/ssl_crl", str(tmp_path / "crl.pem")),)), limit=2))
    assert found[:2] == ("secure", "certificate-revoked")


@pytest.mark.servers
def test_a_server_that_answers_slowly(redis_server):
    def slow(plug, done):
        with suppress(OSError), socket.create_connection(("127.0.0.1", redis_server.port)) as server:
            while asked := plug.recv(4096):
                server.sendall(asked)
                time.sleep(0.6)
                plug.sendall(server.recv(65536))

    with Peer(slow) as peer:
        cord = ct.Cord("redis", (Host("127.0.0.1", peer.port),), "0", None, Secret(ADMIN_PASSWORD), tls=Tls(TlsLevel.OFF))
        result = ct.dial(cord, limit=60)
    assert any("answers-slowly" in note for note in result.notes)
