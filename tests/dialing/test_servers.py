"""The modules that talk to servers: every one has every name, keeps its deadline, and quotes nothing that a server says."""

import asyncio
import inspect
import os
import threading
import time
from functools import partial
from xml.etree import ElementTree

import pytest

import cordtally as ct
from cordtally.dialing import dial_all, dial_until
from cordtally.model import Host, Secret
from cordtally.servers import (
    DIALLED,
    ENGINES,
    Deadline,
    EngineServer,
    Reached,
    Refusal,
    Talking,
    ask_capacity,
    dialler_for,
    server_for,
)

from .peers import Peer, dripping, hanging_up, nonsense, saying, silent

NAMES = [name for name in (*EngineServer.__annotations__, *vars(EngineServer)) if not name.startswith("_")]


DIALLED_NAMES = [name for shape in (Reached, Talking) for name in (*shape.__annotations__, *vars(shape)) if not name.startswith("_")]


@pytest.mark.parametrize("engine", DIALLED)
def test_every_module_has_every_name_with_its_parameters(engine):
    module = server_for(engine) if engine in ENGINES else dialler_for(engine)
    for name in NAMES + DIALLED_NAMES if engine in ENGINES else DIALLED_NAMES:
        has = getattr(module, name)
        if callable(has):
            wanted = list(inspect.signature(getattr(EngineServer, name)).parameters)[1:]
            assert list(inspect.signature(has).parameters) == wanted, (engine, name)


@pytest.mark.parametrize("serve", [silent, dripping, nonsense])
@pytest.mark.parametrize("engine", ["postgresql", "mysql", "redis"])
def test_no_peer_outlasts_the_deadline_nor_is_quoted(engine, serve):
    """The cord's own timeout is an hour; the deadline counts all the same. Nothing depends on how fast the machine is."""
    with Peer(serve) as peer:
        option = {"connect_timeout": "3600s"}
        cord = ct.compose(engine=engine, host="127.0.0.1", port=peer.port, tls="off", user="keeper", options=option).copy_with(password=Secret("not-a-real-pw"))
        with pytest.raises((ct.ServerError, Refusal)) as caught:
            ask_capacity(cord, Deadline(0.4))
        assert "not-a-real-pw" not in str(caught.value)
        assert "\x1b" not in str(caught.value)
        result = ct.dial(cord, limit=0.4)
        assert result.broke_at in {"log in", "secure"}
        assert "not-a-real-pw" not in str(result.to_dict())


@pytest.mark.servers
@pytest.mark.parametrize(("password", "database", "broke_at"), [(True, "0", None), (False, "0", "log in"), (True, "99", "log in")])
def test_redis_is_dialled_like_the_others(redis_server, password, database, broke_at):
    from ..servers import ADMIN_PASSWORD

    secret = Secret(ADMIN_PASSWORD if password else "wrong not-a-real-pw")
    cord = ct.Cord("redis", (Host("127.0.0.1", redis_server.port),), database, None, secret)
    result = ct.dial(cord, limit=5)
    assert result.broke_at in ({broke_at, "database"} if database == "99" else {broke_at})
    assert broke_at or result.rungs[-1].detail.startswith("Redis 7")


LET_IN = b"R\0\0\0\x08\0\0\0\0" + b"K\0\0\0\x0c\0\0\0\1\0\0\0\1" + b"Z\0\0\0\x05I"


@pytest.mark.parametrize("serve", [saying(b"", LET_IN), saying(b"", LET_IN, b"T\xff\xff\xff\xff" * 999), saying(b"", LET_IN, b"nonsense" * 99)])
def test_a_server_that_lets_in_and_then_does_not_answer(serve):
    with Peer(serve) as peer:
        result = ct.dial(f"postgresql://keeper@127.0.0.1:{peer.port}/d?sslmode=disable&connect_timeout=3600", limit=0.6)
    assert (result.broke_at, result.rungs[3].outcome.value) == ("answer", "held")
    assert result.diagnosis.id in {"answer-hangs", "protocol-broken", "not-known"}


def test_many_dials_leave_nothing_behind(tmp_path):
    """Those that hang, that break and that hold: neither a socket nor a thread is left when their limit is over."""

    def held():
        return len(os.listdir("/proc/self/fd")) if os.path.isdir("/proc/self/fd") else 0

    with Peer(silent) as peer, Peer(hanging_up) as other:
        texts = [f"postgresql://k@127.0.0.1:{peer.port}/d?sslmode=disable", f"redis://127.0.0.1:{other.port}/0", ":memory:", f"mongodb://127.0.0.1:{other.port}/d"]
        for text in texts:
            ct.dial(text, limit=0.1)
        before = held(), threading.active_count()
        results = dial_all([partial(ct.dial, text, limit=0.1) for text in texts * 10])
    assert len(results) == 40
    ends = time.monotonic() + 30
    while (held() > before[0] or threading.active_count() > before[1]) and time.monotonic() < ends:
        time.sleep(0.05)
    assert (held() <= before[0], threading.active_count() <= before[1]) == (True, True)


def test_a_dial_that_is_cancelled_ends_and_closes():
    async def give_up(port):
        dialled = asyncio.create_task(ct.dial_async(f"redis://127.0.0.1:{port}/0", limit=0.5))
        await asyncio.sleep(0.05)
        dialled.cancel()
        with pytest.raises(asyncio.CancelledError):
            await dialled
        return await ct.dial_async(":memory:")

    with Peer(silent) as peer:
        assert asyncio.run(give_up(peer.port)).held
    with pytest.raises(ct.TextError):
        asyncio.run(ct.dial_async("postgresql://h:x/d"))


def test_dialling_until_it_answers_and_again_and_again(cli, tmp_path):
    made = []

    def attempt():
        made.append(1)
        return ct.dial(":memory:" if len(made) > 2 else str(tmp_path / "no.db"))

    tries = []
    assert dial_until(attempt, 30, lambda number, result: tries.append((number, result.held))).held
    assert tries == [(1, False), (2, False), (3, True)]
    assert not dial_until(lambda: ct.dial(str(tmp_path / "no.db")), 0.1).held
    status, out, _ = cli("dial", ":memory:", "--repeat", "3", "--every", "1ms", "--plot", str(tmp_path / "it.png"))
    assert (status, "3 of 3 dials answered" in out, (tmp_path / "it.png").read_bytes()[:4]) == (0, True, b"\x89PNG")
    status, out, _ = cli("dial", ":memory:", str(tmp_path / "no.db"), "--junit")
    suite = ElementTree.fromstring(out)
    assert (status, suite.get("tests"), suite.get("failures"), suite.find(".//failure").get("type")) == (1, "2", "1", "no-such-file")
    for wrong in (["--wait", "1s", "--repeat", "2", ":memory:"], ["--plot", "x.png", ":memory:"], ["--every-environment", ":memory:"], ["--explain", "nothing-listen"]):
        assert cli("dial", *wrong)[0] == 2
