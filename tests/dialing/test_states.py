"""States of a server, each brought about: full, starting, stopping, crashed, shut from outside, out of disk; and networks without a way."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import contextmanager, suppress
from pathlib import Path

import psycopg
import pymysql
import pytest
import redis

import cordtally as ct
from cordtally.model import Host, Secret, Tls, TlsLevel

from .. import servers
from ..servers import ADMIN_PASSWORD, free_port

pytestmark = pytest.mark.servers
PASSWORD = "not-a-real-pw"
WAIT = 60.0


def told(result):
    return None if result.diagnosis is None else (result.broke_at, result.diagnosis.id, result.diagnosis.code)


def until(wanted, attempt, wait=WAIT):
    """Try until it is as it should be: a server takes its time to come into a state, and to free a place."""
    ends = time.monotonic() + wait
    while (found := attempt()) != wanted and time.monotonic() < ends:
        time.sleep(0.05)
    return found


def becomes(cord, wanted, wait=WAIT):
    return until(wanted, lambda: told(ct.dial(cord, limit=5)), wait)


@contextmanager
def running(command, home, pid=None):
    """Run a server, whatever state it comes into; its own process is in a file where another one has started it."""
    with (home / "log").open("ab") as stream:
        process = subprocess.Popen(command, stdout=stream, stderr=stream, cwd="/")

    def tell(number):
        os.kill(process.pid if pid is None else int(pid.read_text().split()[0]), number)

    try:
        yield tell
    finally:
        with suppress(OSError):
            # PostgreSQL has to end its children; the others may be busy, or be started where SIGQUIT is ignored
            tell(signal.SIGKILL if pid is None else signal.SIGQUIT)
        process.wait(WAIT)


@pytest.fixture
def place():
    """A folder that servers with users of their own may enter."""
    with tempfile.TemporaryDirectory(prefix="cordtally-") as folder:
        yield Path(folder)


def test_postgresql_through_its_states(postgresql, place):
    port, home = free_port(), place / "home"
    home.mkdir()
    servers.own(home, "postgres")
    where = ["-h", "127.0.0.1", "-p", str(postgresql.port), "-U", "harbour_master"]
    copy = [servers.find_program("pg_basebackup"), *where, "-D", str(home / "data"), "-c", "fast"]
    subprocess.run(servers.as_user("postgres", copy), check=True, capture_output=True, env={**os.environ, "PGPASSWORD": ADMIN_PASSWORD}, cwd="/")
    master = ct.Cord("postgresql", (Host("127.0.0.1", port),), "postgres", "harbour_master", Secret(ADMIN_PASSWORD), tls=Tls(TlsLevel.OFF))
    keeper = master.copy_with(user="state_keeper", password=Secret(PASSWORD))

    def server(*settings):
        command = [servers.find_program("postgres"), "-D", str(home / "data"), "-c", f"port={port}", "-c", "listen_addresses=127.0.0.1"]
        command += ["-c", f"unix_socket_directories={home}", *(word for one in settings for word in ("-c", one))]
        return running(servers.as_user("postgres", command), home, home / "data/postmaster.pid")

    def session(cord):
        """Log in; the place of a dial that has just ended may not be free yet."""
        assert becomes(cord, None) is None
        while True:
            with suppress(psycopg.OperationalError):
                return psycopg.connect(**cord.arguments("psycopg"), autocommit=True)

    with server("max_connections=3", "superuser_reserved_connections=1", "default_transaction_read_only=on"):
        assert becomes(master, None) is None
        with session(master) as one:
            one.execute("SET default_transaction_read_only = off")
            one.execute(f"CREATE ROLE state_keeper LOGIN PASSWORD '{PASSWORD}'")
            with session(keeper):
                assert becomes(keeper, ("log in", "reserved-connections", "53300")) == ("log in", "reserved-connections", "53300")
                held = "held by (user/application): harbour_master 1, state_keeper 1"
                assert until((held,), lambda: ct.dial(keeper, administrator=master).notes) == (held,)
                while not (full := ct.dial(master)):
                    time.sleep(0.05)
                assert (full.answer.opened, full.answer.limit, full.answer.reserve, full.answer.reads_only) == (3, 3, 1, True)
                assert f"3 of 3 connections are open, {held}" in full.notes
                with session(master):
                    told_of = ct.dial(keeper, administrator=master)
                    assert told(told_of) == ("log in", "too-many-connections", "53300")
                    assert "not let in either" in told_of.notes[0]
    with server() as tell:
        assert becomes(keeper, None) is None
        with session(master) as held, session(keeper) as other:
            # a backend that does not end at once keeps the server from beginning its recovery
            os.kill(held.info.backend_pid, signal.SIGSTOP)
            os.kill(other.info.backend_pid, signal.SIGKILL)
            assert becomes(keeper, ("log in", "recovering", "57P03"), 5) == ("log in", "recovering", "57P03")
        assert becomes(keeper, None) is None
        with session(master):
            tell(signal.SIGTERM)
            assert becomes(keeper, ("log in", "stopping", "57P03")) == ("log in", "stopping", "57P03")
    (home / "data/recovery.signal").touch()
    servers.own(home, "postgres")
    with server("restore_command=sleep 60; false"):
        assert becomes(keeper, ("log in", "starting", "57P03")) == ("log in", "starting", "57P03")
    (home / "data/recovery.signal").rename(home / "data/standby.signal")
    with server("hot_standby=off"):
        assert becomes(keeper, ("log in", "standby-lets-nobody-in", "57P03")) == ("log in", "standby-lets-nobody-in", "57P03")


def test_mariadb_that_follows_another_and_is_full(place):
    with servers.mariadb(place, tls=False, more=("--max-connections=10",)) as server:
        if server is None:
            pytest.skip("mariadb-server is not installed")
        master = ct.Cord("mariadb", (Host("127.0.0.1", server.port),), None, "harbour_master", Secret(ADMIN_PASSWORD), tls=Tls(TlsLevel.OFF))
        keeper = master.copy_with(user="state_keeper", password=Secret(PASSWORD))
        with pymysql.connect(**master.arguments("pymysql")) as connection, connection.cursor() as cursor:
            cursor.execute(f"CREATE USER state_keeper@'%' IDENTIFIED BY '{PASSWORD}'")
            cursor.execute("CHANGE MASTER TO MASTER_HOST = '127.0.0.9', MASTER_USER = 'follower'")
            cursor.execute("SET GLOBAL max_statement_time = 9, GLOBAL read_only = ON")
            follows = ct.dial(master).answer
            cursor.execute("RESET SLAVE ALL")
            assert (follows.role, follows.statement_timeout, follows.reads_only, ct.dial(master).answer.role) == ("standby", 9, True, "primary")
            opened = [pymysql.connect(**keeper.arguments("pymysql")) for _ in range(8)]
            assert told(ct.dial(keeper)) is None  # what is tried before the log-in does not take the last place from it
            while len(opened) < 9:
                with suppress(pymysql.OperationalError):
                    opened.append(pymysql.connect(**keeper.arguments("pymysql")))
            full = becomes(keeper, ("log in", "too-many-connections", "1040"))
            for one in opened:
                one.close()
            assert full == ("log in", "too-many-connections", "1040")



REDIS = [
    ({"maxclients": "1"}, ("log in", "too-many-connections", None)),
    ({"replicaof": "127.0.0.1 9", "replica-serve-stale-data": "no"}, ("log in", "primary-lost", "MASTERDOWN")),
    ({"sentinel": "monitor roster 127.0.0.1 9 1"}, ("answer", "a-sentinel", None)),
    ({"appendonly": "yes", "key-load-delay": "200"}, ("log in", "starting-or-stopping", "LOADING")),
    ({"lua-time-limit": "1"}, ("log in", "busy-script", "BUSY")),
]


@pytest.mark.parametrize(("settings", "expected"), REDIS)
def test_redis_in_states_of_its_own(tmp_path, settings, expected):
    program, port = servers.find_program("redis-server"), free_port()
    if program is None:
        pytest.skip("redis-server is not installed")
    given = {"port": str(port), "bind": "127.0.0.1", "dir": str(tmp_path), "save": '""', **settings}
    (tmp_path / "redis.conf").write_text("".join(f"{name} {value}\n" for name, value in given.items()))
    if "appendonly" in settings:
        command = "".join(f"*3\r\n$3\r\nSET\r\n$6\r\nb{n:05}\r\n$1\r\nx\r\n" for n in range(20000))
        (tmp_path / "appendonlydir").mkdir()
        (tmp_path / "appendonlydir/appendonly.aof.1.incr.aof").write_text(command)
        (tmp_path / "appendonlydir/appendonly.aof.manifest").write_text("file appendonly.aof.1.incr.aof seq 1 type i\n")
    with running([program, str(tmp_path / "redis.conf"), *(["--sentinel"] if "sentinel" in settings else [])], tmp_path):
        cord = ct.Cord("redis", (Host("127.0.0.1", port),), "0", tls=Tls(TlsLevel.OFF))
        client = redis.Redis(host="127.0.0.1", port=port)
        if "maxclients" in settings:
            assert becomes(cord, None) is None
            client.connection_pool.get_connection()
        if "lua-time-limit" in settings:
            assert becomes(cord, None) is None
            plug = client.connection_pool.get_connection()
            plug.send_command("EVAL", "while true do end", 0)
        assert becomes(cord, expected) == expected


# --- in networks of their own: what an address of this machine's other than loopback is needed for, and what no packet leaves

NETWORK = """
ip link set lo up
ip link add tide0 type veth peer name tide1
ip link set tide0 up
ip link set tide1 up
ip addr add 192.0.2.1/24 dev tide0
ip neigh add 192.0.2.9 lladdr 02:00:00:00:00:09 dev tide0
ip route add unreachable 198.51.100.1
ip route add prohibit 198.51.100.2
"""


def in_network(*arguments):
    """Run ``from_outside`` in a network of its own; give the JSON that it prints."""
    may = ["unshare", "-nm", "sh", "-ec", NETWORK + "mount -t tmpfs tmpfs /mnt"]
    if subprocess.run(may, capture_output=True, check=False).returncode != 0:
        pytest.skip("no network of one's own may be made here")
    started = ["unshare", "-nm", "sh", "-ec", NETWORK + 'exec "$@"', "sh", sys.executable, "-m", "tests.dialing.from_outside", *arguments]
    done = subprocess.run(started, capture_output=True, text=True, check=False, timeout=3 * WAIT, cwd=Path(__file__).parents[2])
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_networks_without_a_way():
    addresses = ["192.0.2.9", "198.51.100.1", "198.51.100.2", "203.0.113.1"]
    assert in_network("dial", *[f"postgresql://u@{address}/d" for address in addresses]) == [
        ["reach", "no-reply"], ["reach", "host-unreachable"], ["reach", "forbidden-here"], ["reach", "no-route"]
    ]


def test_servers_whose_disk_is_full():
    if None in {servers.find_program("redis-server"), servers.find_program("postgres")}:
        pytest.skip("redis-server or postgresql is not installed")
    found = in_network("full")
    assert (found["redis"], "the server's disk is full" in found["postgresql"]) == (["log in", "disk-full", "MISCONF"], True)


def test_a_process_that_lacks_what_others_have():
    assert in_network("poor") == {
        "names": [["resolve", "name-without-address"], ["resolve", "service-record-missing"]],
        "ports": [["reach", "no-local-port-left"]], "rights": [["reach", "socket-shut"], ["reach", "file-shut"]],
        "folder": "not-writable", "disk": "disk-fails", "files": [["reach", "too-many-files-open"]],
    }


def test_servers_that_are_asked_from_outside():
    if None in {servers.find_program("redis-server"), servers.find_program("mariadbd")}:
        pytest.skip("redis-server or mariadb-server is not installed")
    assert in_network("outside") == {
        "guarded": ["log in", "protected", "DENIED"], "wrong": [["log in", "account-or-place", "1045"]] * 6, "counted": 0,
        "blocked": ["log in", "blocked", "1129"], "unknown": ["log in", "not-from-here", "1130"],
    }
