"""The modules that talk to servers: every one has every name, keeps its deadline, and quotes nothing that a server says."""

import inspect

import pytest

import cordtally as ct
from cordtally.model import Host, Secret
from cordtally.servers import (
    ENGINES,
    Deadline,
    EngineServer,
    Refusal,
    ask_capacity,
    server_for,
)

from .peers import Peer, dripping, nonsense, silent

NAMES = [name for name in (*EngineServer.__annotations__, *vars(EngineServer)) if not name.startswith("_")]


@pytest.mark.parametrize("engine", ENGINES)
def test_every_module_has_every_name_with_its_parameters(engine):
    module = server_for(engine)
    for name in NAMES:
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
