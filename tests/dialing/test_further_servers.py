"""memcached, RabbitMQ, InfluxDB, H2, HSQLDB and Derby: real servers of Debian, dialled with right and wrong cords."""

import os
import subprocess

import pytest

import cordtally as ct
from cordtally.model import Host, Secret, Tls, TlsLevel

from ..servers import ADMIN_PASSWORD
from .peers import Peer, nonsense, silent

pytestmark = pytest.mark.servers


def told(result):
    return None if result.diagnosis is None else (result.broke_at, result.diagnosis.id)


BROKER = [
    ({}, None), ({"password": Secret("x")}, ("log in", "password-or-user")), ({"user": "nobody"}, ("log in", "password-or-user")),
    ({"database": "none"}, ("database", "no-such-database")), ({"database": "shut"}, ("database", "database-not-for-user")),
    ({"database": "full"}, ("log in", "database-has-enough")),
]


@pytest.mark.parametrize(("changes", "expected"), BROKER)
def test_rabbitmq(rabbitmq, changes, expected):
    cord = ct.Cord("amqp", (Host("127.0.0.1", rabbitmq.port),), "tides", "keeper", Secret(ADMIN_PASSWORD)).copy_with(**changes)
    result = ct.dial(cord, limit=20)
    assert told(result) == expected
    if expected is None:
        assert (result.answer.product, result.answer.user, result.answer.database) == ("RabbitMQ", "keeper", "tides")
        assert "PLAIN" in next(rung.detail for rung in result.rungs if rung.name == "log in")


@pytest.mark.parametrize(("host", "authority", "expected"), [("localhost", "ca", None), ("localhost", "other_ca", ("secure", "authority-not-known")),
                                                             ("127.0.0.1", "ca", ("secure", "certificate-of-other-name"))])  # fmt: skip
def test_rabbitmq_with_tls(rabbitmq, host, authority, expected):
    tls = Tls(TlsLevel.VERIFY_IDENTITY, ca=getattr(rabbitmq, authority))
    cord = ct.Cord("amqp", (Host(host, int(rabbitmq.socket_folder)),), "tides", "keeper", Secret(ADMIN_PASSWORD), tls=tls)
    assert told(ct.dial(cord, limit=20)) == expected
    plain = cord.copy_with(tls=Tls(TlsLevel.OFF))
    assert told(ct.dial(plain, limit=20)) == ("secure", "tls-only-port")


SERIES = [
    ({}, None), ({"password": Secret("x")}, ("log in", "password-or-user")), ({"user": None, "password": None}, ("log in", "password-or-user")),
    ({"database": "none"}, ("database", "database-not-for-user")), ({"user": "harbour_master", "database": None}, None),
]


@pytest.mark.parametrize(("changes", "expected"), SERIES)
def test_influxdb(influxdb, changes, expected):
    cord = ct.Cord("influxdb", (Host("127.0.0.1", influxdb.port),), "tides", "keeper", Secret(ADMIN_PASSWORD)).copy_with(**changes)
    result = ct.dial(cord, limit=20)
    assert told(result) == expected
    if expected is None:
        assert (result.answer.product, result.answer.user) == ("InfluxDB", cord.user)
        assert bool(result.answer.rights) is (cord.user == "harbour_master")


def test_memcached(memcached, memcached_with_tls, rabbitmq):
    result = ct.dial(ct.read({"server": f"127.0.0.1:{memcached.port}"}, driver="pymemcache").cord, limit=20)
    assert told(result) is None
    assert (result.answer.product, result.answer.limit) == ("memcached", 100)
    assert abs(result.answer.clock) < 5
    assert told(ct.dial(ct.Cord("memcached", (Host("127.0.0.1", memcached_with_tls.port),)), limit=3))[0] == "secure"
    away = ct.Cord("memcached", (Host("127.0.0.1", rabbitmq.port),))
    assert told(ct.dial(away, limit=20)) == ("secure", "wrong-protocol")
    secured = ct.Cord("memcached", (Host("localhost", memcached_with_tls.port),), tls=Tls(TlsLevel.VERIFY_IDENTITY, ca=memcached_with_tls.ca))
    assert told(ct.dial(secured, limit=20)) is None
    assert told(ct.dial(secured.copy_with(tls=Tls(TlsLevel.VERIFY_IDENTITY, ca=memcached_with_tls.other_ca)), limit=20))[0] == "secure"


def dialled(text):
    result = ct.dial(text, limit=60)
    return told(result), result.answer


def test_h2(h2):
    url = f"jdbc:h2:tcp://127.0.0.1:{h2.port}/./tides;USER=sa;PASSWORD="
    broke, answer = dialled(f"{url}fog1")
    assert (broke, answer.product, answer.user, answer.database) == (None, "H2", "SA", "./tides")
    assert dialled(f"{url}fog2")[0] == ("log in", "password-or-user")
    assert dialled(f"jdbc:h2:tcp://127.0.0.1:{h2.port}/./none;USER=sa;IFEXISTS=TRUE")[0] == ("database", "no-such-database")


def test_hsqldb(hsqldb):
    url = f"jdbc:hsqldb:hsql://127.0.0.1:{hsqldb.port}"
    assert dialled(f"{url}/tides;user=SA")[1].product == "HSQL"
    assert dialled(f"{url}/tides;user=SA;password=fog")[0] == ("log in", "password-or-user")
    assert dialled(f"{url}/none;user=SA")[0] == ("database", "no-such-database")


def test_derby(derby):
    url = f"jdbc:derby://127.0.0.1:{derby.port}"
    broke, answer = dialled(f"{url}/tides;create=true;user=keeper;password=fog")
    assert (broke, answer.product, answer.user) == (None, "Apache Derby", "keeper")
    assert dialled(f"{url}/none;user=keeper;password=fog")[0] == ("database", "no-such-database")


def test_a_java_driver_that_hears_nothing_or_nonsense():
    """Its machine ends with the limit."""
    for serve in (silent, nonsense):
        with Peer(serve) as peer:
            for text in (f"jdbc:h2:tcp://127.0.0.1:{peer.port}/t;USER=sa", f"jdbc:derby://127.0.0.1:{peer.port}/t;user=k"):
                assert told(ct.dial(text, limit=5))[0] == "log in"
    assert subprocess.run(["pgrep", "-P", str(os.getpid()), "-f", "jdbc_machine"], capture_output=True, check=False).stdout == b""
