"""Servers that mean ill: no answer ends a dial but as a result, shows a secret, or fills the memory."""

import json
import re
import resource
import socket
import struct
import subprocess
import sys
import zlib
from importlib import import_module
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.deadline import Deadline
from cordtally.model import Authentication, Host, Secret, Tls, TlsLevel
from cordtally.pooling.measuring import Plan, measure
from cordtally.pooling.watching import Watch
from cordtally.servers import DIALLED, OVER_HTTP, HungUp, NoAnswer, Refusal, Wire, ask_capacity
from cordtally.standins.mongodb import MongoStandIn
from cordtally.standins.sqlserver import SqlServerStandIn

from ..servers import ADMIN_PASSWORD
from .peers import DAMAGE, Peer, damaged, pouring, saying

MODULES = sorted({*DIALLED.values(), *OVER_HTTP.values(), "plain"})
STEPS = ("ask_for_tls", "greet", "inquire", "part")
BEGINNINGS = [
    b"", b"S", b"N", b"R\0\0\0\x08\0\0\0\0", b"R\0\0\0\x17\0\0\0\x0aSCRAM-SHA-256\0\0", b"E\0\0\0\x20SFATAL\0C28000\0", b"-NOAUTH ", b"+PONG\r\n",
    b"\x4a\0\0\0\x0a8.0.0\0\1\0\0\0aaaaaaaa\0\xff\xf7\x21\2\0", b"\x04\1\0\x20\0\0\1\0", struct.pack("<iiii", 60, 1, 0, 2013), b"\0\x20\0\0\4\0\0\0",
]
CORD = ct.Cord("postgresql", (Host("127.0.0.1", 1),), "tides", "keeper", Secret("not-a-real-pw"))


@given(st.sampled_from(MODULES), st.sampled_from(STEPS), st.sampled_from(BEGINNINGS), st.binary(max_size=400))
@settings(max_examples=400)
def test_every_parser_takes_any_bytes(module, step, beginning, rest):
    """What is senseless may raise as it does in any reading of bytes: a dial makes a cause of that."""
    here, there = socket.socketpair()
    with there, Wire(here, Deadline(2.0)) as wire:
        there.sendall(beginning + rest)
        there.shutdown(socket.SHUT_WR)
        found = import_module(f"cordtally.servers.{module}")
        call = getattr(found.for_engine("h2") if module == "jdbc" else found, step)
        try:
            call(wire, CORD) if step in {"greet", "inquire"} else call(wire)
        except (Refusal, HungUp, NoAnswer, LookupError, ValueError, struct.error) as told:
            assert "not-a-real-pw" not in str(told)


def _dialled(engine, port, query=()):
    cord = ct.Cord(engine, (Host("127.0.0.1", port),), "tides", "keeper", Secret("not-a-real-pw"), tls=Tls(TlsLevel.OFF))
    return cord.copy_with(**dict(query))


@pytest.fixture(scope="module")
def targets(request):
    """Servers behind the proxies: stand-ins, and real ones where they are installed.

    Not Oracle's listener: python-oracledb 26.1 crashes, with the process, once its connection is collected, when an answer goes on behind its end.
    """
    with MongoStandIn(user="keeper", password="not-a-real-pw") as mongo, SqlServerStandIn(password="not-a-real-pw") as tds:
        found = {"mongodb": _dialled("mongodb", mongo.port, {"authentication": Authentication(realm="admin")}), "sqlserver": _dialled("sqlserver", tds.port)}
        for engine, fixture, database in (("postgresql", "postgresql", "postgres"), ("mariadb", "mariadb", None), ("redis", "redis_server", "0")):
            port = request.getfixturevalue(fixture).port
            user = None if engine == "redis" else "harbour_master"
            found[engine] = _dialled(engine, port, {"database": database, "user": user, "password": Secret(ADMIN_PASSWORD)})
        yield found


@pytest.mark.servers
@pytest.mark.parametrize("engine", ["mongodb", "sqlserver", "postgresql", "mariadb", "redis"])
def test_conversations_that_are_damaged(targets, engine):
    cord = targets[engine]

    @given(st.integers(0, 12), st.sampled_from(sorted(DAMAGE)), st.integers(0, 300))
    @settings(max_examples=25)
    def law(number, kind, at):
        with Peer(damaged(cord.hosts[0].port, number, kind, at)) as peer:
            result = ct.dial(cord.copy_with(hosts=(Host("127.0.0.1", peer.port),)), limit=0.4)
        shown = json.dumps(result.to_dict(), ensure_ascii=False)
        assert "not-a-real-pw" not in shown
        assert not re.search(r"[\x00-\x08\x0b-\x1f\x7f]", result.sentence)
        assert result.held or result.diagnosis.id

    law()


LET_IN = b"R\0\0\0\x08\0\0\0\0" + b"K\0\0\0\x0c\0\0\0\1\0\0\0\1" + b"Z\0\0\0\x05I"
COLUMN = b"T\0\0\0\x21\0\1?column?\0\0\0\0\0\0\0\0\0\0\x19\xff\xff\xff\xff\xff\xff\0\0"
GREETING = b"\x0a8.0.0\0\1\0\0\0aaaaaaaa\0\xff\xf7\x21\2\0\xff\x81\x15" + b"\0" * 10 + b"bbbbbbbbbbbb\0mysql_native_password\0"
FLOODS = {
    "one great row": ("postgresql://k:p@127.0.0.1:{}/d?sslmode=disable", (LET_IN, COLUMN + b"D" + struct.pack("!ihi", (1 << 30) + 10, 1, 1 << 30), b"x" * 65536)),
    "rows": ("postgresql://k:p@127.0.0.1:{}/d?sslmode=disable", (LET_IN, COLUMN, b"D\0\0\0\x0b\0\1\0\0\0\1a" * 9000)),
    "packets": ("mysql+pymysql://k:p@127.0.0.1:{}/d?ssl_disabled=true", (b"\7\0\0\2\0\0\0\2\0\0\0", b"")),
    "a banner": ("redis://127.0.0.1:{}/0", (b"-ERR ", b"x" * 65536)),
    "a bomb": ("mongodb://k:p@127.0.0.1:{}/d?compressors=zlib", ()),
}


@pytest.mark.parametrize("name", ["silence", "one great row", "rows"])
def test_pools_are_kept_waiting_no_longer_and_take_no_more(monkeypatch, name):
    monkeypatch.setattr("cordtally.pooling.watching.watch.LOOK_LIMIT", 0.5)
    monkeypatch.setattr(import_module("cordtally.pooling.measuring.measure"), "CONNECT_LIMIT", 0.5)
    words = (LET_IN, b"") if name == "silence" else FLOODS[name][1]
    serve = saying(b"", LET_IN) if name == "silence" else pouring(*words)
    cord = ct.Cord("postgresql", (Host("127.0.0.1", 1),), "d", "k", Secret("p"), tls=Tls(TlsLevel.OFF), options=(("connect_timeout", "3600s"),))
    for ask in (lambda c: Watch(c).__enter__(), lambda c: measure(c, Plan(statement="SELECT 1", most_connections=1)), lambda c: ask_capacity(c, Deadline(0.5))):
        with Peer(serve) as peer, pytest.raises(ct.ServerError):
            ask(cord.copy_with(hosts=(Host("127.0.0.1", peer.port),)))


BOMB = zlib.compress(bytes(1 << 30), 9)


def packets(plug, done):
    """A greeting, and then packets that are one, of 16 MB each."""
    try:
        plug.sendall(len(GREETING).to_bytes(3, "little") + b"\0" + GREETING)
        plug.recv(4096)
        plug.sendall(b"\7\0\0\2\0\0\0\2\0\0\0")
        plug.recv(4096)
        for number in range(1, 300):
            plug.sendall(b"\xff\xff\xff" + bytes([number & 0xFF]) + b"\1" * 0xFFFFFF)
    except OSError:
        pass


def bomb(plug, done):
    """To whatever is asked, a compressed message (opcode 2012) of a gigabyte."""
    try:
        while asked := plug.recv(65536):
            body = struct.pack("<iiB", 2013, (1 << 31) - 1, 2) + BOMB
            plug.sendall(struct.pack("<iiii", len(body) + 16, 1, struct.unpack_from("<i", asked, 4)[0], 2012) + body)
    except (OSError, struct.error):
        pass


@pytest.mark.parametrize("name", FLOODS)
def test_no_flood_fills_the_memory(name):
    """In a process that may have no more than a gigabyte and a half of addresses."""
    text, words = FLOODS[name]
    with Peer({"packets": packets, "a bomb": bomb}.get(name) or pouring(*words)) as peer:
        done = subprocess.run(
            [sys.executable, "-m", "cordtally", "dial", text.format(peer.port), "--limit", "3s", "--json"], capture_output=True, text=True, check=False,
            timeout=120, cwd=Path(__file__).parents[2], preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_AS, (3 << 29, 3 << 29)),
        )
    told = json.loads(done.stdout)
    assert (done.returncode, told["held"], "Traceback" in done.stderr) == (1, False, False)
    expected = {"a banner": {"log-in-hangs", "not-known", "protocol-broken"}, "a bomb": {"unknown-protocol", "handshake-hangs"}}
    assert told["cause_id"] in expected.get(name, {"sends-too-much"})
