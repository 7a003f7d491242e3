"""Dialling: each rung breaks for its own reason, and says which, on files and on real servers."""

import socket
import sqlite3
import threading

import psycopg
import pymysql
import pytest

import cordtally as ct
from cordtally.model import Host, Secret, Tls, TlsLevel

from ..servers import ADMIN_PASSWORD, free_port

RUNGS = ["resolve", "reach", "secure", "log in", "database", "answer"]


def test_a_file_answers_and_is_not_created(tmp_path):
    path = tmp_path / "log book.sqlite"
    missing = ct.dial(str(path))
    assert (missing.held, missing.broke_at, path.exists()) == (False, "reach", False)
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE entries (berth TEXT)")
    connection.close()
    seen = []
    found = ct.dial(f"sqlite:///{path}", progress=seen.append)
    assert found.held
    assert [rung.name for rung in seen] == RUNGS
    assert "1 table" in found.rungs[-1].more[0]
    assert found.sentence.startswith(f"Opened {path} with SQLite ")


@pytest.mark.parametrize(
    ("content", "broke_at"), [(b"not a database at all, only text", "database"), (b"SQLite format 3\0 cut short", "answer")]
)
def test_a_file_that_is_no_database(tmp_path, content, broke_at):
    (tmp_path / "x.db").write_bytes(content)
    assert ct.dial(str(tmp_path / "x.db")).broke_at == broke_at


def test_in_memory_needs_nothing():
    result = ct.dial(":memory:")
    assert [rung.outcome.value for rung in result.rungs][1:4] == ["not needed"] * 3
    assert result.held


@pytest.mark.parametrize(
    ("text", "broke_at", "words"),
    [
        ("postgresql://tide_gauge@no-such-host.invalid/tides", "resolve", "no address is known"),
        ("postgresql://tide_gauge@127.0.0.1:{port}/tides", "reach", "nothing listens"),
        ("mariadb+pymysql://tide_gauge@127.0.0.1:{port}/tides", "reach", "nothing listens"),
        ("host=/no/such/folder user=tide_gauge", "reach", "there is no socket"),
    ],
)
def test_what_breaks_before_a_server_is_reached(text, broke_at, words):
    result = ct.dial(text.format(port=free_port()), limit=2)
    assert result.broke_at == broke_at
    assert words in result.diagnosis.cause
    assert result.diagnosis.hint
    assert all(rung.outcome.value == "not tried" for rung in result.rungs[RUNGS.index(broke_at) + 1 :])


def test_a_server_that_says_nothing_is_left_in_time():
    """A listener that never answers: the question for TLS runs into the limit."""
    done = threading.Event()

    def listen(listener):
        for _ in range(2):
            with listener.accept()[0] as plug:
                plug.recv(64)
                done.wait(2)

    with socket.create_server(("127.0.0.1", 0)) as listener:
        thread = threading.Thread(target=listen, args=(listener,))
        thread.start()
        result = ct.dial(f"postgresql://x@127.0.0.1:{listener.getsockname()[1]}/tides", limit=0.3)
        done.set()
        thread.join(5)
    assert result.broke_at == "secure"
    assert "0.3 s" in result.diagnosis.cause
    with pytest.raises(ct.FieldError, match="more than 0"):
        ct.dial(":memory:", limit=0)


def good_cord(engine, server, **changes):
    tls = Tls(TlsLevel.VERIFY_IDENTITY, ca=server.ca)
    cord = ct.Cord(engine, (Host("localhost", server.port),), None, "harbour_master", Secret(ADMIN_PASSWORD), tls=tls)
    return cord.copy_with(database="postgres" if engine == "postgresql" else "mysql").copy_with(**changes)


CASES = [
    ({}, None, "user harbour_master"),
    ({"tls": Tls(TlsLevel.ENCRYPTED)}, None, "user harbour_master"),
    ({"tls": Tls(TlsLevel.OFF)}, None, "user harbour_master"),
    ({"password": Secret("wrong not-a-real-pw")}, "log in", "does not accept"),
    ({"user": "nobody's friend"}, "log in", "does not accept"),
    ({"database": "no such place"}, "database", "does not exist"),
    ({"tls": "other"}, "secure", "not trusted"),
    ({"tls": "missing"}, "secure", "is not there"),
    ({"hosts": "address"}, "secure", "not issued for 127.0.0.1"),
]


@pytest.mark.servers
@pytest.mark.parametrize("engine", ["postgresql", "mariadb"])
@pytest.mark.parametrize(("changes", "broke_at", "words"), CASES)
def test_each_rung_of_a_real_server(engine, changes, broke_at, words, request):
    server = request.getfixturevalue(engine)
    named = {
        "other": Tls(TlsLevel.VERIFY_IDENTITY, ca=server.other_ca),
        "missing": Tls(TlsLevel.VERIFY_IDENTITY, ca="/no/such/ca.pem"),
        "address": (Host("127.0.0.1", server.port),),
    }
    made = {k: named.get(v, v) if isinstance(v, str) else v for k, v in changes.items()}
    result = ct.dial(good_cord(engine, server, **made), limit=10)
    assert (result.broke_at, bool(result)) == (broke_at, broke_at is None)
    assert [rung.name for rung in result.rungs if rung.in_clear] == (["secure"] if changes.get("tls") == Tls(TlsLevel.OFF) else [])
    told = result.diagnosis.cause if result.diagnosis else result.rungs[-1].detail
    assert words in told
    assert ADMIN_PASSWORD not in repr(result) + str(result.to_dict())


@pytest.mark.servers
def test_a_socket_and_a_second_host(postgresql):
    through_socket = good_cord("postgresql", postgresql, hosts=(Host(postgresql.socket_folder, postgresql.port),))
    assert ct.dial(through_socket).held
    dead = Host("127.0.0.1", free_port())
    two = good_cord("postgresql", postgresql, hosts=(dead, Host("localhost", postgresql.port)))
    assert ct.dial(two).held


@pytest.mark.servers
def test_too_many_clients(postgresql):
    master = {"host": "127.0.0.1", "port": postgresql.port, "user": "harbour_master", "password": ADMIN_PASSWORD, "dbname": "postgres"}
    with psycopg.connect(**master, autocommit=True) as connection:
        connection.execute("CREATE ROLE lonely LOGIN CONNECTION LIMIT 0 PASSWORD 'not-a-real-pw'")
        result = ct.dial(good_cord("postgresql", postgresql, user="lonely", password=Secret("not-a-real-pw")))
    assert (result.broke_at, "all the connections that it may have" in result.diagnosis.cause) == ("log in", True)


@pytest.mark.servers
def test_grants_on_a_mariadb_database(mariadb):
    master = {"host": "127.0.0.1", "port": mariadb.port, "user": "harbour_master", "password": ADMIN_PASSWORD}
    with pymysql.connect(**master) as connection, connection.cursor() as cursor:
        cursor.execute("CREATE USER clerk@'%' IDENTIFIED BY 'not-a-real-pw'")
    result = ct.dial(good_cord("mariadb", mariadb, user="clerk", password=Secret("not-a-real-pw")))
    assert (result.broke_at, "may not use" in result.diagnosis.cause) == ("database", True)
