"""TLS, asked of the drivers themselves: each level that is written is the level that the driver keeps to.

For each driver, each level, with and without a CA, four situations: the right authority, another one, another name, and
a server without TLS. Whether a connection comes about, and whether the server saw TLS, must be what the level that is
read back allows; a level other than the one that was asked for must be booked as approximated or dropped.
"""

import json
import os
import shutil

import pytest

import cordtally as ct
from cordtally.exchange.defaults import default_level
from cordtally.model import Cord, Host, Secret, Tls, TlsLevel

from ..conftest import _start
from ..servers import ADMIN_PASSWORD, mariadb, postgresql, redis_server
from . import foreign, tls

# asyncmy leaves a refused connection to the garbage collector
pytestmark = [pytest.mark.servers, pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")]
LEVELS = {level.value: level for level in TlsLevel}
JUDGED = os.environ.get("CORDTALLY_JUDGES") == "1"
FAMILIES = {"postgresql": (postgresql, "postgres", "harbour_master"), "mysql": (mariadb, "mysql", "harbour_master"), "redis": (redis_server, None, None)}
DRIVERS = [("postgresql", *d) for d in tls.PG_DRIVERS.items()] + [("mysql", *d) for d in tls.MY_DRIVERS.items()]
DRIVERS += [("redis", *d) for d in tls.REDIS_DRIVERS.items()]
DRIVERS += [("postgresql", *d) for d in foreign.PG_DRIVERS.items()] + [("mysql", *d) for d in foreign.MY_DRIVERS.items()]
DRIVERS += [("redis", *d) for d in foreign.REDIS_DRIVERS.items()]
# mysql2 compares names and no addresses, which is all that loopback has to be called by a wrong name
NAMES_ONLY = {"mysql2/url", "mysql2/arguments"}


@pytest.fixture(scope="module")
def pairs():
    """A server with TLS and one without, of each kind."""
    started, running = {}, []

    def of(engine):
        if engine not in started:
            make = FAMILIES[engine][0]
            both = [_start(lambda folder, on=on: make(folder, tls=on, names=("127.0.0.1", "localhost")), engine, "") for on in (True, False)]
            running.extend(both)
            started[engine] = [next(one) for one in both]
        return started[engine]

    yield of
    for one in running:
        next(one, None)


def allowed(level, *, offered, trusted, named):
    """What may come of a connection at a level."""
    if not offered:
        return {"plain"} if level <= TlsLevel.OPPORTUNISTIC else {"refused"}
    if level <= TlsLevel.ENCRYPTED:
        return {"tls", "plain"} if level is TlsLevel.OPPORTUNISTIC else {"plain"} if level is TlsLevel.OFF else {"tls"}
    return {"tls"} if trusted and (named or level is TlsLevel.VERIFY_CHAIN) else {"refused"}


@pytest.mark.parametrize(("engine", "target", "connect"), DRIVERS, ids=[d[1] for d in DRIVERS])
def test_a_driver_keeps_to_the_level_that_was_written(engine, target, connect, pairs):
    if getattr(connect, "needs_judges", False) and not JUDGED:
        pytest.skip("run by scripts/test-drivers")
    if (program := getattr(connect, "program", None)) is not None and shutil.which(program) is None:
        pytest.skip(f"{program} is not installed")
    (secured, bare), (_, database, user) = pairs(engine), FAMILIES[engine]
    situations = [("right", secured, "127.0.0.1", secured.ca, True, True), ("stranger", secured, "127.0.0.1", secured.other_ca, False, True),
                  ("name", secured, "127.0.0.2", secured.ca, True, False), ("bare", bare, "127.0.0.1", bare.ca, True, True)]  # fmt: skip
    wrong, seen = [], {}
    for level in (None, *TlsLevel):
        for with_ca in (True, False) if level is None or level < TlsLevel.VERIFY_CHAIN else (True,):
            for situation, server, host, ca, trusted, named in situations:
                cord = Cord(engine, (Host(host, server.port),), database, user, Secret(ADMIN_PASSWORD), tls=Tls(level, ca if with_ca else None))
                writing = ct.write(cord, target)
                back = ct.read(writing.text if writing.arguments is None else dict(writing.clear_arguments()), driver=writing.target)
                meant = LEVELS[default_level(back) if back.cord.tls.level is None else back.cord.tls.level.value]
                lost = {line.part for line in writing.ledger.losses}
                fine = allowed(meant, offered=server is secured, trusted=trusted and with_ca, named=named or target in NAMES_ONLY)
                # stricter than the level says is no lie: a CA that is lost, or heeded beyond its level
                if "tls.ca" in lost or (with_ca and meant is TlsLevel.OPPORTUNISTIC):
                    fine |= {"refused"}
                if engine == "redis" and (meant is TlsLevel.OFF) is (server is secured):
                    continue  # TLS has a port of its own there: each side waits in vain for the other to say something
                found = tls.seen(connect, writing)
                seen.setdefault((level, with_ca), (meant, {}))[1][situation] = found
                told = meant is level or level is None or "tls.level" in lost
                wrong += [] if found in fine and told else [(level, with_ca, situation, meant, found, str(writing.text))]
    if (record := os.environ.get("CORDTALLY_JUDGED")) is not None:
        rows = [[level.value if level else "", with_ca, meant.value, found] for (level, with_ca), (meant, found) in seen.items()]
        with open(record, "a") as stream:
            stream.write(json.dumps({"target": writing.target, "rows": rows}) + "\n")
    assert wrong == []
