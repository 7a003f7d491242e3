"""Real servers for the tests: PostgreSQL, MariaDB and Redis from Debian's packages, on free ports, with TLS, in a temporary folder."""

import json
import os
import shutil
import socket
import subprocess
import time
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import psycopg
import pymysql
import redis
import trustme
from influxdb import InfluxDBClient

ADMIN_PASSWORD = "not-a-real-pw-admin"
ROOT = os.geteuid() == 0
WAIT = 60.0


@dataclass(frozen=True)
class Server:
    host: str
    port: int
    socket_folder: str
    ca: str
    other_ca: str


def free_port() -> int:
    with socket.socket() as plug:
        plug.bind(("127.0.0.1", 0))
        return plug.getsockname()[1]


def find_program(*names: str) -> str | None:
    folders = [*sorted(Path("/usr/lib/postgresql").glob("*/bin"), reverse=True), Path("/usr/sbin"), Path("/usr/bin")]
    for name in names:
        for folder in folders:
            if (folder / name).is_file():
                return str(folder / name)
    return None


def as_user(user: str, command: list[str]) -> list[str]:
    return ["runuser", "-u", user, "--", *command] if ROOT else command


def make_certificates(folder: Path, names: tuple[str, ...] = ("localhost",)) -> tuple[str, str]:
    """Write a server certificate for some names and the authority that signed it, and an authority that did not."""
    authority, stranger = trustme.CA(), trustme.CA()
    issued = authority.issue_cert(*names)
    issued.private_key_pem.write_to_path(str(folder / "server.key"))
    for index, blob in enumerate(issued.cert_chain_pems):
        blob.write_to_path(str(folder / "server.crt"), append=index > 0)
    authority.cert_pem.write_to_path(str(folder / "ca.pem"))
    stranger.cert_pem.write_to_path(str(folder / "other-ca.pem"))
    (folder / "server.key").chmod(0o600)
    return str(folder / "ca.pem"), str(folder / "other-ca.pem")


def await_log_in(log_in, process: subprocess.Popen, log: Path) -> None:
    """Wait until the server lets its master in: a port opens before that."""
    deadline, last = time.monotonic() + WAIT, None
    while time.monotonic() < deadline and process.poll() is None:
        try:
            log_in().close()
        except (psycopg.OperationalError, pymysql.OperationalError, redis.ConnectionError, OSError) as error:
            last = error
            time.sleep(0.1)
        else:
            return
    raise RuntimeError(f"the server did not start: {last}: {log.read_text(errors='replace')[-2000:]}")


def own(folder: Path, user: str) -> None:
    folder.chmod(0o755)
    folder.parent.chmod(0o755)
    if ROOT:
        for place in [folder, *folder.rglob("*")]:
            shutil.chown(place, user, user)


@contextmanager
def postgresql(folder: Path, *, tls: bool = True, names: tuple[str, ...] = ("localhost",)):
    initdb, server = find_program("initdb"), find_program("postgres")
    if initdb is None or server is None:
        yield None
        return
    port, home = free_port(), folder / "pg"
    home.mkdir()
    ca, other = make_certificates(home, names)
    (home / "pw").write_text(ADMIN_PASSWORD)
    own(home, "postgres")
    made = [initdb, "-D", str(home / "data"), "-U", "harbour_master", "-A", "scram-sha-256", "-E", "UTF8", "--locale=C.UTF-8"]
    subprocess.run(as_user("postgres", [*made, f"--pwfile={home}/pw"]), check=True, capture_output=True, timeout=WAIT, cwd="/")
    settings = ["-c", f"port={port}", "-c", "listen_addresses=127.0.0.1,127.0.0.2", "-c", f"unix_socket_directories={home}", "-c", f"ssl={'on' if tls else 'off'}"]
    settings += ["-c", f"ssl_cert_file={home}/server.crt", "-c", f"ssl_key_file={home}/server.key", "-c", "fsync=off"]
    master = {"host": "127.0.0.1", "port": port, "user": "harbour_master", "password": ADMIN_PASSWORD}
    command = as_user("postgres", [server, "-D", str(home / "data"), *settings])
    with serve(command, home, lambda: psycopg.connect(**master, dbname="postgres")):
        yield Server("localhost", port, str(home), ca, other)


@contextmanager
def mariadb(folder: Path, *, tls: bool = True, names: tuple[str, ...] = ("localhost",), more: tuple[str, ...] = ()):
    server, install = find_program("mariadbd"), find_program("mariadb-install-db")
    if server is None or install is None:
        yield None
        return
    port, home = free_port(), folder / "my"
    home.mkdir()
    ca, other = make_certificates(home, names)
    own(home, "mysql")
    base = [f"--datadir={home}/data", f"--tmpdir={home}", *(["--user=mysql"] if ROOT else [])]
    made = [install, "--no-defaults", f"--datadir={home}/data", "--auth-root-authentication-method=normal", "--skip-test-db"]
    # temporary tables of two that are installed at once have the same names: each gets a folder of its own for them
    environ = {**os.environ, "TMPDIR": str(home)}
    subprocess.run(made + (["--user=mysql"] if ROOT else []), check=True, capture_output=True, timeout=WAIT, cwd="/", env=environ)
    (home / "init.sql").write_text(
        f"ALTER USER root@localhost IDENTIFIED BY '{ADMIN_PASSWORD}';\n"
        f"CREATE USER harbour_master@'%' IDENTIFIED BY '{ADMIN_PASSWORD}';\nGRANT ALL ON *.* TO harbour_master@'%' WITH GRANT OPTION;\n"
    )
    own(home, "mysql")
    settings = [f"--port={port}", "--bind-address=0.0.0.0", f"--socket={home}/m.sock", f"--init-file={home}/init.sql", "--skip-name-resolve"]
    settings += [f"--pid-file={home}/m.pid", "--skip-log-bin", *([f"--ssl-cert={home}/server.crt", f"--ssl-key={home}/server.key"] if tls else ["--skip-ssl"])]
    master = {"host": "127.0.0.1", "port": port, "user": "harbour_master", "password": ADMIN_PASSWORD}
    with serve([server, "--no-defaults", *base, *settings, *more], home, lambda: pymysql.connect(**master)):
        yield Server("localhost", port, str(home), ca, other)


@contextmanager
def redis_server(folder: Path, *, tls: bool = False, names: tuple[str, ...] = ("localhost",)):
    server = find_program("redis-server")
    if server is None:
        yield None
        return
    port, home = free_port(), folder / "redis"
    home.mkdir()
    ca, other = make_certificates(home, names)
    ports = ["--port", "0", "--tls-port", str(port), "--tls-auth-clients", "no", "--tls-cert-file", f"{home}/server.crt"] if tls else ["--port", str(port)]
    ports += ["--tls-key-file", f"{home}/server.key", "--tls-ca-cert-file", ca] if tls else []
    command = [server, *ports, "--bind", "127.0.0.1", "127.0.0.2", "--dir", str(home), "--save", "", "--requirepass", ADMIN_PASSWORD]
    master = redis.Redis(host="localhost", port=port, password=ADMIN_PASSWORD, socket_timeout=5, ssl=tls, ssl_ca_certs=ca if tls else None)

    def log_in():
        master.ping()
        return master

    with serve(command, home, log_in):
        yield Server("localhost", port, str(home), ca, other)


CLICKHOUSE = """<yandex><logger><level>warning</level><console>1</console></logger>
<http_port>{http}</http_port><tcp_port>{port}</tcp_port><listen_host>127.0.0.1</listen_host>
<path>{home}/data/</path><tmp_path>{home}/tmp/</tmp_path><users_config>{home}/users.xml</users_config>
<default_profile>default</default_profile><default_database>default</default_database><mark_cache_size>5368709120</mark_cache_size>
<profiles><default/></profiles><quotas><default/></quotas><users>{users}</users></yandex>"""
CLICKHOUSE_USER = "<{0}><password>{1}</password><networks><ip>{2}</ip></networks><profile>default</profile><quota>default</quota></{0}>"


@contextmanager
def clickhouse(folder: Path):
    """ClickHouse, its own port and that for HTTP; one of its users comes from elsewhere."""
    server = find_program("clickhouse-server")
    if server is None:
        yield None
        return
    port, http = free_port(), free_port()
    users = CLICKHOUSE_USER.format("harbour_master", ADMIN_PASSWORD, "::/0") + CLICKHOUSE_USER.format("far", ADMIN_PASSWORD, "192.0.2.9")
    written = CLICKHOUSE.format(port=port, http=http, home=folder, users=users)
    (folder / "config.xml").write_text(written)
    (folder / "users.xml").write_text(written)

    def log_in():
        return socket.create_connection(("127.0.0.1", port), 1)

    with serve([server, f"--config-file={folder}/config.xml"], folder, log_in):
        yield Server("127.0.0.1", port, str(http), "", "")


@contextmanager
def memcached(folder: Path, *, tls: bool = False):
    server = find_program("memcached")
    if server is None:
        yield None
        return
    port = free_port()
    ca, other = make_certificates(folder)
    options = ["-Z", "-o", f"ssl_chain_cert={folder}/server.crt,ssl_key={folder}/server.key"] if tls else []

    def log_in():
        return socket.create_connection(("127.0.0.1", port), 1)

    with serve([server, "-u", "root", "-l", "127.0.0.1", "-p", str(port), "-c", "100", *options], folder, log_in):
        yield Server("127.0.0.1", port, str(folder), ca, other)


RABBITMQ = """listeners.tcp.1 = 127.0.0.1:{port}
listeners.ssl.1 = 127.0.0.1:{tls}
ssl_options.cacertfile = {ca}
ssl_options.certfile = {home}/server.crt
ssl_options.keyfile = {home}/server.key
load_definitions = {home}/definitions.json
log.file.level = warning
"""
DEFINITIONS = {
    "users": [{"name": "keeper", "password": ADMIN_PASSWORD, "tags": ""}],
    "vhosts": [{"name": name} for name in ("tides", "shut", "full")],
    "permissions": [{"user": "keeper", "vhost": name, "configure": ".*", "write": ".*", "read": ".*"} for name in ("tides", "full")],
    "parameters": [{"vhost": "full", "component": "vhost-limits", "name": "limits", "value": {"max-connections": 0}}],
}


@contextmanager
def rabbitmq(folder: Path):
    """RabbitMQ without its wrapper, which wants to be its own user; the port for TLS is the socket folder's place."""
    server = find_program("/usr/lib/rabbitmq/bin/rabbitmq-server")
    if server is None:
        yield None
        return
    port, tls, far, names = free_port(), free_port(), free_port(), free_port()
    ca, other = make_certificates(folder)
    (folder / "definitions.json").write_text(json.dumps(DEFINITIONS))
    (folder / "rabbitmq.conf").write_text(RABBITMQ.format(port=port, tls=tls, home=folder, ca=ca))
    (folder / "plugins").write_text("[].")
    environment = {
        "HOME": str(folder), "RABBITMQ_NODENAME": f"harbour{port}@localhost", "RABBITMQ_MNESIA_BASE": f"{folder}/data", "RABBITMQ_LOG_BASE": f"{folder}/logs",
        "RABBITMQ_CONFIG_FILE": f"{folder}/rabbitmq.conf", "RABBITMQ_ENABLED_PLUGINS_FILE": f"{folder}/plugins", "RABBITMQ_DIST_PORT": str(far),
        "ERL_EPMD_PORT": str(names), "ERL_EPMD_ADDRESS": "127.0.0.1",
    }

    def log_in():
        return socket.create_connection(("127.0.0.1", port), 1)

    try:
        with serve(["env", *(f"{name}={value}" for name, value in environment.items()), server], folder, log_in):
            yield Server("localhost", port, str(tls), ca, other)
    finally:  # the name server of Erlang stays behind
        subprocess.run(["env", f"ERL_EPMD_PORT={names}", "epmd", "-kill"], capture_output=True, check=False)


@contextmanager
def influxdb(folder: Path):
    server = find_program("influxd")
    if server is None:
        yield None
        return
    port, other = free_port(), free_port()
    (folder / "influxdb.conf").write_text(
        f'reporting-disabled = true\nbind-address = "127.0.0.1:{other}"\n[meta]\ndir = "{folder}/meta"\n[data]\ndir = "{folder}/data"\nwal-dir = "{folder}/wal"\n'
        f'[http]\nbind-address = "127.0.0.1:{port}"\nauth-enabled = true\nlog-enabled = false\n'
    )

    def ask(statement, *user):
        client = InfluxDBClient("127.0.0.1", port, *user, timeout=5)
        client.query(statement, method="POST")
        return client

    def log_in():
        return ask(f"CREATE USER harbour_master WITH PASSWORD '{ADMIN_PASSWORD}' WITH ALL PRIVILEGES")

    with serve([server, "-config", f"{folder}/influxdb.conf"], folder, log_in):
        for statement in ("CREATE DATABASE tides", f"CREATE USER keeper WITH PASSWORD '{ADMIN_PASSWORD}'", "GRANT READ ON tides TO keeper"):
            ask(statement, "harbour_master", ADMIN_PASSWORD)
        yield Server("127.0.0.1", port, str(folder), "", "")


JARS = {"h2": ("h2",), "hsqldb": ("hsqldb",), "derby": ("derby", "derbynet", "derbyclient")}


@contextmanager
def java_database(folder: Path, engine: str):
    """H2, HSQLDB or Derby as a server; H2 and Derby make a database for whoever asks first."""
    java, jars = find_program("java"), [Path(f"/usr/share/java/{name}.jar") for name in JARS[engine]]
    if java is None or not all(jar.is_file() for jar in jars):
        yield None
        return
    port = free_port()
    command = {
        "h2": ["org.h2.tools.Server", "-tcp", "-tcpPort", str(port), "-baseDir", str(folder), "-ifNotExists"],
        "hsqldb": ["org.hsqldb.server.Server", "--port", str(port), "--address", "127.0.0.1", "--database.0", f"file:{folder}/tides", "--dbname.0", "tides"],
        "derby": ["org.apache.derby.drda.NetworkServerControl", "start", "-h", "127.0.0.1", "-p", str(port), "-noSecurityManager"],
    }[engine]

    def log_in():
        return socket.create_connection(("127.0.0.1", port), 1)

    with serve([java, "-Xmx128m", f"-Dderby.system.home={folder}", "-cp", ":".join(map(str, jars)), *command], folder, log_in):
        yield Server("127.0.0.1", port, str(folder), "", "")


@contextmanager
def serve(command: list[str], home: Path, log_in):
    log = home / "log"
    with log.open("wb") as stream:
        process = subprocess.Popen(command, stdout=stream, stderr=stream, cwd="/")
    try:
        await_log_in(log_in, process, log)
        yield
    finally:
        process.terminate()
        with suppress(subprocess.TimeoutExpired):
            process.wait(10)
        process.kill()
