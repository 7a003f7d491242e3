"""Drivers of other languages as judges: what we wrote must be read by them as it was meant, and what they refuse, too.

Run by ``scripts/test-drivers``, which installs them from Debian and npm; left out of ``scripts/test``.
"""

import json
import os

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.model import Cord, Duration, Host, Secret, Tls, TlsLevel, clear

from ..strategies import ANY_TEXT
from .foreign_readers import started_judges

pytestmark = pytest.mark.skipif(os.environ.get("CORDTALLY_JUDGES") != "1", reason="run by scripts/test-drivers")
@pytest.fixture(scope="module")
def judges(tmp_path_factory):
    with started_judges(tmp_path_factory) as start:
        yield start


@pytest.fixture(scope="module")
def pgjdbc(judges):
    return judges("pgjdbc")


@pytest.fixture(scope="module")
def mariadb_java(judges):
    return judges("mariadb_java")


@pytest.fixture(scope="module")
def go(judges):
    return judges("go")


@pytest.fixture(scope="module")
def node(judges):
    return judges("node")


@pytest.fixture(scope="module")
def sqlclient(judges):
    return judges("sqlclient")


WORDS = ANY_TEXT.filter(lambda t: t and "\x00" not in t)
QUICK = settings(max_examples=300, suppress_health_check=list(HealthCheck))
CORDS = {
    "user": WORDS, "password": WORDS.map(Secret), "database": WORDS, "name": WORDS, "timeout": st.integers(1, 900),
}  # fmt: skip


def make(engine, user, password, database, name, timeout, host="tide-1"):
    options = (("application_name", name), ("connect_timeout", Duration.of(timeout)))
    return Cord(engine, (Host(host, 5433),), database, user, password, options=options)


def lost(writing, part):
    line = writing.ledger.line(part)
    return line is not None and line.outcome is ct.Outcome.DROPPED


@QUICK
@given(**CORDS)
def test_pgjdbc(pgjdbc, user, password, database, name, timeout):
    writing = ct.write(make("postgresql", user, password, database, name, timeout), "pgjdbc")
    assert pgjdbc.read(writing.text.unmask()) == {
        "user": user, "password": password.unmask(), "PGDBNAME": database, "PGHOST": "tide-1", "PGPORT": "5433",
        "ApplicationName": name, "connectTimeout": str(timeout),
    }  # fmt: skip


@QUICK
@given(**CORDS, level=st.sampled_from([TlsLevel.ENCRYPTED, TlsLevel.VERIFY_CHAIN, TlsLevel.VERIFY_IDENTITY]))
def test_mariadb_java(mariadb_java, user, password, database, name, timeout, level):
    cord = make("mariadb", user, password, database, name, timeout).copy_with(tls=Tls(level))
    writing = ct.write(cord, "mariadb-java")
    found = mariadb_java.read(writing.text.unmask())
    meant = {"hosts": "tide-1|5433", "connectTimeout": str(timeout * 1000), "useSsl": "true"}
    meant |= {"trustServerCertificate": str(level is TlsLevel.ENCRYPTED).lower()}
    meant |= {"disableSslHostnameVerification": str(level is TlsLevel.VERIFY_CHAIN).lower()}
    for part, value in (("user", user), ("password", password.unmask()), ("database", database)):
        if not lost(writing, part):
            meant[part] = value
    assert found == meant


@QUICK
@given(**CORDS, host=st.sampled_from(["tide-1", "2001:db8::1", "/run/m.sock"]))
def test_go_mysql(go, user, password, database, name, timeout, host):
    cord = make("mysql", user, password, database, name, timeout, host).copy_with(tls=Tls(TlsLevel.VERIFY_IDENTITY))
    writing = ct.write(cord.copy_with(options={**dict(cord.options), "charset": name}), "go-mysql")
    found = go.read(writing.text.unmask(), "go-mysql")
    address = {"/run/m.sock": "/run/m.sock", "tide-1": "tide-1:5433", "2001:db8::1": "[2001:db8::1]:5433"}[host]
    meant = {"address": address, "network": "unix" if host[0] == "/" else "tcp", "timeout": str(timeout * 10**9), "tls": "true", "charset": name}
    for part, value in (("user", user), ("password", password.unmask()), ("database", database)):
        meant[part] = "" if lost(writing, part) else value
    assert {name: found[name] for name in meant} == meant


@QUICK
@given(**CORDS)
@pytest.mark.parametrize("target", ["pgx/url", "pgx/keyword"])
def test_pgx(go, target, user, password, database, name, timeout):
    writing = ct.write(make("postgresql", user, password, database, name, timeout), target)
    found = go.read(writing.text.unmask(), "pgx")
    meant = {"host": "tide-1", "port": "5433", "timeout": str(timeout * 10**9), "application_name": name}
    meant |= {"user": user, "password": password.unmask(), "database": "" if lost(writing, "database") else database}
    assert {name: found[name] for name in meant} == meant


@QUICK
@given(**CORDS)
def test_lib_pq(go, user, password, database, name, timeout):
    """lib/pq turns a URL into keywords; ours reads them back."""
    writing = ct.write(make("postgresql", user, password, database, name, timeout), "lib-pq/url")
    again = ct.read(go.read(writing.text.unmask(), "lib-pq")["keywords"], driver="lib-pq/keyword").cord
    assert (clear(again.user), again.password, clear(again.database)) == (user, password, database)
    options = {key: clear(value) if isinstance(value, (str, Secret)) else value for key, value in again.options}
    assert options == {"application_name": name, "connect_timeout": Duration.of(timeout)}


@QUICK
@given(**CORDS, level=st.sampled_from([None, TlsLevel.ENCRYPTED, TlsLevel.VERIFY_CHAIN, TlsLevel.VERIFY_IDENTITY]),
       host=st.sampled_from(["tide-1", "2001:db8::1", "/run/pg"]))  # fmt: skip
def test_node_pg(node, user, password, database, name, timeout, level, host):
    cord = make("postgresql", user, password, database, name, timeout, host).copy_with(tls=Tls(level))
    writing = ct.write(cord, "node-pg")
    found = node.read(writing.text.unmask(), "node-pg")
    meant = {"user": user, "password": password.unmask(), "host": host, "port": "5433", "application_name": name}
    meant |= {"verifies": {None: "no TLS", TlsLevel.ENCRYPTED: "false"}.get(level, "true")}
    meant["database"] = user if lost(writing, "database") else database
    assert found == meant


def is_json(text):
    try:
        json.loads(text)
    except ValueError:
        return False
    return True


@QUICK
@given(**CORDS)
def test_mysql2(node, user, password, database, name, timeout):
    options = (("time_zone", name), ("connect_timeout", Duration.of(timeout)))
    writing = ct.write(make("mysql", user, password, database, name, timeout).copy_with(options=options), "mysql2/url")
    found = node.read(writing.text.unmask(), "mysql2")
    meant = {"user": user, "password": password.unmask(), "host": "tide-1", "port": "5433", "connectTimeout": str(timeout * 1000)}
    meant["database"] = "" if lost(writing, "database") else database
    # mysql2 takes a value that is JSON for what it says: 5, true, "x"
    assert (found.pop("timezone") in {name, found.get("timezone", name)} or is_json(name), found) == (True, meant)


@QUICK
@given(**CORDS, number=st.integers(0, 99))
def test_ioredis(node, user, password, database, name, timeout, number):
    writing = ct.write(make("redis", user, password, str(number), name, timeout), "ioredis/url")
    assert node.read(writing.text.unmask(), "ioredis") == {
        "username": user, "password": password.unmask(), "host": "tide-1", "port": "5433", "db": str(number),
        "connectionName": name, "connectTimeout": str(timeout * 1000),
    }  # fmt: skip


@QUICK
@given(**CORDS, number=st.integers(0, 99), level=st.sampled_from([None, TlsLevel.VERIFY_IDENTITY]))
def test_node_redis(node, user, password, database, name, timeout, number, level):
    writing = ct.write(make("redis", user, password, str(number), name, timeout).copy_with(tls=Tls(level)), "node-redis")
    assert node.read(writing.text.unmask(), "node-redis") == {
        "username": user, "password": password.unmask(), "host": "tide-1", "port": "5433", "database": str(number), "tls": str(level is not None).lower(),
    }  # fmt: skip


@QUICK
@given(token=WORDS, host=st.sampled_from(["tide-1", "2001:db8::1"]), port=st.sampled_from([None, 5433]), level=st.sampled_from([TlsLevel.OFF, TlsLevel.VERIFY_IDENTITY]))
def test_libsql(node, token, host, port, level):
    cord = Cord("libsql", (Host(host, 5433 if level is TlsLevel.OFF else port),), tls=Tls(level), options=(("login_token", Secret(token)),))
    found = node.read(ct.write(cord, "libsql-client").text.unmask(), "libsql-client")
    assert found == {"host": host, "port": str(cord.hosts[0].port or ""), "authToken": token, "tls": str(level is not TlsLevel.OFF).lower()}


@QUICK
@given(user=WORDS, password=WORDS, host=st.sampled_from(["tide-1", "2001:db8::1"]), port=st.sampled_from([None, 5433]), level=st.sampled_from([None, TlsLevel.VERIFY_IDENTITY]))
def test_amqplib(node, user, password, host, port, level):
    writing = ct.write(Cord("amqp", (Host(host, port),), "tides", user, Secret(password), tls=Tls(level)), "amqplib")
    found, usual = node.read(writing.text.unmask(), "amqplib"), 5672 if level is None else 5671
    told = {line.part for line in writing.ledger if line.outcome is ct.Outcome.APPROXIMATED}  # it unescapes byte by byte
    assert told == {part for part, value in (("user", user), ("password", password)) if not value.isascii()}
    assert found == {"host": host, "port": str(port or usual)} | {"user": user, "password": password} | {part: found[part] for part in told}


@QUICK
@given(**CORDS)
def test_mongo_node(node, user, password, database, name, timeout):
    cord = make("mongodb", user, password, database, name, timeout).copy_with(tls=Tls(TlsLevel.VERIFY_IDENTITY))
    writing = ct.write(cord, "mongo-node")
    found = node.read(writing.text.unmask(), "mongo-node")
    kept = "" if lost(writing, "database") else database
    meant = {"hosts": "tide-1:5433", "user": user, "password": password.unmask(), "name": name, "timeout": str(timeout * 1000), "tls": "true"}
    assert {k: found[k] for k in meant} == meant
    assert (found["database"], found["source"]) == ((kept, kept) if kept else ("test", "admin"))


@QUICK
@given(**CORDS, instance=st.sampled_from([None, "CUSTOMS"]))
def test_sqlclient(sqlclient, user, password, database, name, timeout, instance):
    cord = make("sqlserver", user, password, database, name, timeout)
    cord = cord.copy_with(hosts=(Host("desk", 5433, instance),), tls=Tls(TlsLevel.ENCRYPTED))
    found = sqlclient.read(ct.write(cord, "sqlclient").text.unmask())
    server = f"desk\\{instance},5433" if instance else "desk,5433"
    assert found == {
        "source": server, "user": user, "password": password.unmask(), "database": database, "name": name,
        "timeout": str(timeout), "integrated": "False", "any": "True",
    }  # fmt: skip


REFUSED = [
    ("node-pg", "postgresql://a:1,b:2/d"), ("mysql2", "mysql://u@/d"), ("mongo-node", "mongodb://h/d?a=b=c"), ("mongo-node", "mongodb://u:p@s@h/d"),
    ("sqlclient", "Server=h;Password"), ("sqlclient", "Server=h;Password='x"), ("node-pg", "postgresql://h:99999/d"),
    ("pgx", "postgresql://h:x/d"), ("pgx", "postgresql://u:p%zz@h/d"), ("pgx", "host=h user=u\\"), ("pgx", "host=h password='x"),
    ("lib-pq", "postgresql://h/d%zz"),
    ("pgjdbc", "jdbc:postgresql://h"), ("pgjdbc", "jdbc:postgresql://h/a/b"), ("pgjdbc", "jdbc:postgresql://h:70000/d"),
    ("pgjdbc", "jdbc:postgresql://h/d?user=%zz"), ("pgjdbc", "jdbc:postgresql://h/%zz"), ("pgjdbc", "jdbc:postgresql://h:x/d"),
    ("go-mysql", "u:p@tcp(h:3306)"), ("go-mysql", "u:p@tcp(h/d"), ("go-mysql", "u@tcp(h)/d?charset=%zz"),
]  # fmt: skip
TAKEN = [
    ("mysql2", "mysql://u:p@ss@h/d"), ("ioredis", "redis://h/0?zork=1"), ("mongo-node", "mongodb://h/d"), ("sqlclient", "Server=h;Password={a b};;"),
    ("node-pg", "postgresql://u:p@ss@h/d"), ("node-pg", "postgresql://u@/d"), ("node-pg", "postgresql://h/d?x"),
    ("pgx", "postgresql://u:p@ss@h/d"), ("pgx", "host=h zork=1"), ("pgx", "postgresql:///d"), ("lib-pq", "postgresql://u:p@ss@h/d"),
    ("pgjdbc", "jdbc:postgresql:///d"), ("pgjdbc", "jdbc:postgresql://h/d?x"), ("pgjdbc", "jdbc:postgresql://h:1,g:2/"),
    ("pgjdbc", "jdbc:postgresql://[::1]/d"), ("go-mysql", "/"), ("go-mysql", "u@/d"), ("go-mysql", "u:p@a@tcp(h)/d"),
    ("mariadb-java", "jdbc:mariadb://h"), ("mariadb-java", "jdbc:mariadb://h/a?b?c=d"), ("mariadb-java", "jdbc:mariadb:///d?user"),
]  # fmt: skip


@pytest.mark.parametrize(("driver", "text", "taken"), [(*row, False) for row in REFUSED] + [(*row, True) for row in TAKEN])
def test_what_they_refuse_we_refuse(driver, text, taken, pgjdbc, mariadb_java, go, node, sqlclient):
    judge = {
        "pgjdbc": pgjdbc, "mariadb-java": mariadb_java, "sqlclient": sqlclient,
        **dict.fromkeys(("node-pg", "mysql2", "ioredis", "mongo-node"), node),
    }.get(driver, go)  # fmt: skip
    assert (judge.read(text, driver if judge in (go, node) else "") is not None) is taken
    try:
        ct.read(text, driver=driver)
    except ct.TextError:
        assert not taken
    else:
        assert taken
