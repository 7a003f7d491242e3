"""Python's drivers as judges: their own readers must find in our texts what was meant."""

import inspect
import sqlite3
import warnings
from contextlib import closing, nullcontext

import oracledb
import psycopg
import pytest
import sqlalchemy
from asyncpg.connect_utils import _parse_connect_dsn_and_args
from clickhouse_driver.util.helpers import parse_url as clickhouse_url
from hypothesis import example, given, settings
from hypothesis import strategies as st
from psycopg.conninfo import conninfo_to_dict
from pymongo.errors import PyMongoError
from pymongo.uri_parser import parse_uri
from redis.connection import parse_url as redis_url
from sqlalchemy.dialects.mysql.pymysql import MySQLDialect_pymysql
from sqlalchemy.dialects.oracle.oracledb import OracleDialect_oracledb
from sqlalchemy.dialects.postgresql.asyncpg import dialect as asyncpg_dialect

import cordtally as ct
from cordtally.model import Authentication, Cord, Duration, Host, Secret, Tls, TlsLevel, clear

from ..strategies import ANY_TEXT

WORDS = ANY_TEXT.filter(lambda t: t and "\x00" not in t and t.encode("utf-8", "replace").decode() == t)
QUICK = settings(max_examples=150)


def kept(writing, part):
    line = writing.ledger.line(part)
    return line is not None and line.outcome is not ct.Outcome.DROPPED


@QUICK
@given(user=WORDS, password=WORDS, database=WORDS, name=WORDS, realm=WORDS, seconds=st.integers(1, 900))
def test_pymongo(user, password, database, name, realm, seconds):
    options = (("application_name", name), ("connect_timeout", Duration.of(seconds)), ("retry_writes", False))
    hosts = (Host("a.greywick.example", 27018), Host("2001:db8::1"))
    cord = Cord("mongodb", hosts, database, user, Secret(password), authentication=Authentication(None, realm), tls=Tls(TlsLevel.VERIFY_CHAIN), options=options)
    writing = ct.write(cord, "pymongo")
    found = parse_uri(writing.text.unmask(), warn=False, validate=False)
    assert found["nodelist"] == [("a.greywick.example", 27018), ("2001:db8::1", 27017)]
    assert (found["username"], found["password"]) == (user, password)
    assert found["database"] == (database if kept(writing, "database") else None)
    meant = {"authSource": realm, "appname": name, "connectTimeoutMS": str(seconds * 1000), "retryWrites": "false"}
    assert dict(found["options"]) == {**meant, "tls": "true", "tlsAllowInvalidHostnames": "true"}


@pytest.mark.parametrize(
    "text",
    ["mongodb://u:p@ss@h/d", "mongodb://u:p:q@h/d", "mongodb://@h/d", "mongodb://h:99999/d", "mongodb://h:x/d", "mongodb://h/a b", "mongodb://h/d?a=b=c",
     "mongodb://h,[::1/d"],
)  # fmt: skip
def test_what_pymongo_refuses_we_refuse(text):
    with pytest.raises((PyMongoError, ValueError)), warnings.catch_warnings(action="ignore"):
        parse_uri(text)
    with pytest.raises(ct.TextError):
        ct.read(text)


@QUICK
@given(user=WORDS, password=WORDS, number=st.integers(0, 99), name=WORDS, milliseconds=st.integers(1, 10**6), secure=st.booleans())
def test_redis_py(user, password, number, name, milliseconds, secure):
    options = (("application_name", name), ("read_timeout", Duration.of(milliseconds, "ms")))
    cord = Cord("redis", (Host("buoy", 6380),), str(number), user, Secret(password), tls=Tls(TlsLevel.VERIFY_IDENTITY if secure else None), options=options)
    found = redis_url(ct.write(cord, "redis-py").text.unmask())
    assert (found.pop("connection_class", None) is not None) is secure
    meant = {"host": "buoy", "port": 6380, "db": number, "username": user, "password": password, "client_name": name}
    assert found == {**meant, "socket_timeout": milliseconds / 1000}
    socket = cord.copy_with(hosts=(Host("/run/b uoy.sock"),), tls=Tls())
    found = redis_url(ct.write(socket, "redis-py").text.unmask())
    assert (found["path"], found["db"], found["password"]) == ("/run/b uoy.sock", number, password)


NAMES = st.from_regex(r"[A-Za-z0-9_.-]{1,12}", fullmatch=True)


@QUICK
@example(database="¼", dn="0", wallet="0", several=False, match=False)
@given(database=NAMES | WORDS, dn=WORDS, wallet=WORDS, several=st.booleans(), match=st.booleans())
def test_oracledb(database, dn, wallet, several, match):
    hosts = (Host("a.greywick.example", 1522), *((Host("2001:db8::1", 1521),) if several else ()))
    options = (("connect_retries", 3), ("connect_timeout", Duration.of(1500, "ms")), ("tls_server_name", dn), ("wallet_location", wallet))
    level = TlsLevel.VERIFY_IDENTITY if match else TlsLevel.VERIFY_CHAIN
    for target in ("oracle-net/descriptor", *([] if several else ["oracle-net/easyconnect"])):
        writing = ct.write(Cord("oracle", hosts, database, tls=Tls(level), options=options), target)
        found = oracledb.ConnectParams()
        found.parse_connect_string(writing.text.unmask())
        assert found.host == ([h.address for h in hosts] if several else hosts[0].address)
        assert found.port == ([1522, 1521] if several else 1522)
        assert found.service_name == (database if kept(writing, "database") else None)
        assert (found.retry_count, found.tcp_connect_timeout, found.ssl_server_dn_match) == (3, 1.5, match)
        assert found.ssl_server_cert_dn == (dn if kept(writing, "options.tls_server_name") else None)
        assert found.wallet_location == (wallet if kept(writing, "options.wallet_location") else None)


@QUICK
@given(user=WORDS, password=WORDS, database=WORDS, seconds=st.integers(1, 900))
def test_toolkit_urls(user, password, database, seconds):
    """What SQLAlchemy would hand to each driver."""
    options = (("connect_timeout", Duration.of(seconds)), ("application_name", "gauge"))
    cord = Cord("mysql", (Host("2001:db8::1", 3307),), database, user, Secret(password), options=options)
    url = sqlalchemy.make_url(ct.write(cord, "sqlalchemy+pymysql").text.unmask())
    _, found = MySQLDialect_pymysql().create_connect_args(url)
    assert (found["host"], found["port"], found["connect_timeout"], found["program_name"]) == ("2001:db8::1", 3307, seconds, "gauge")
    assert (found["user"], found["password"], found["database"]) == (user, password, database)
    oracle = ct.write(cord.copy_with(engine="oracle", options=()), "sqlalchemy+oracledb")
    _, found = OracleDialect_oracledb(dbapi=oracledb).create_connect_args(sqlalchemy.make_url(oracle.text.unmask()))
    named = f"(SERVICE_NAME={database})" in found["dsn"] if kept(oracle, "database") else True
    assert (found["user"], found["password"], named) == (user, password, True)
    carried = ct.write(cord.copy_with(engine="sqlserver", options=()), "sqlalchemy+pyodbc/odbc-url")
    inner = sqlalchemy.make_url(carried.text.unmask()).query["odbc_connect"]
    again = ct.read(inner, driver="msodbcsql").cord
    assert (clear(again.user), again.password, clear(again.database), again.hosts) == (user, Secret(password), database, cord.hosts)


@QUICK
@given(user=WORDS, password=WORDS, database=WORDS, seconds=st.integers(1, 900))
def test_clickhouse(user, password, database, seconds):
    cord = Cord("clickhouse", (Host("h", 9440),), database, user, Secret(password), tls=Tls(TlsLevel.ENCRYPTED), options=(("connect_timeout", Duration.of(seconds)),))
    writing = ct.write(cord, "clickhouse-driver")
    host, found = clickhouse_url(writing.text.unmask())
    meant = {"user": user, "password": password, "port": 9440, "secure": True, "verify": False, "connect_timeout": float(seconds)}
    assert (host, found) == ("h", meant | ({"database": database} if kept(writing, "database") else {}))


PARTS = ["keeper", "a%40b", "a+b", "", "p:w", "é", "%C3%A9", "a b", "%zz", "%00", "x/y", "x?y", "x#y", "a@b", "'", "u%"]
HOSTS = ["h", "gauge.example", "127.0.0.1", "[::1]", "[::1%25eth0]", "%2Frun%2Fpg", "", "[::1", "h%41"]
PORTS = ["", ":5432", ":0", ":70000", ":05432"]
QUERIES = ["sslmode=require", "sslmode=REQUIRE", "connect_timeout=5", "application_name=a%20b", "application_name=a+b", "port=6432", "host=g", "host=/run/pg",
           "host=a,b&port=1,2", "user=x", "password=y", "dbname=z", "zork=1", "sslmode=require&sslmode=disable", "ssl=true", "", "a", "=", "options=-c%20a%3Db"]  # fmt: skip
URLS = st.tuples(
    st.sampled_from(["postgresql://", "postgres://"]),
    st.one_of(st.just(""), st.tuples(st.sampled_from(PARTS), st.sampled_from(["", *(f":{w}" for w in PARTS)])).map(lambda both: f"{''.join(both)}@")),
    st.lists(st.tuples(st.sampled_from(HOSTS), st.sampled_from(PORTS)).map("".join), min_size=1, max_size=3).map(",".join),
    st.sampled_from(["", *(f"/{w}" for w in PARTS)]),
    st.one_of(st.just(""), st.lists(st.sampled_from(QUERIES), min_size=1, max_size=3).map(lambda pairs: "?" + "&".join(pairs))),
).map("".join)


@settings(max_examples=1500)
@given(text=URLS)
def test_libpq_reads_odd_urls_alike(text):
    """What libpq refuses is refused or reported as an error; what it takes means the same."""
    try:
        theirs = conninfo_to_dict(text)
    except psycopg.ProgrammingError:
        theirs = None
    try:
        ours = ct.read(text, driver="libpq")
    except ct.TextError as error:
        assert theirs is None or "port" in error.problem or "in a password" in error.problem  # libpq looks at a port when it connects
        return
    errors = [found for found in ct.vet(ours) if found.severity is ct.Severity.ERROR]
    if theirs is None or errors:
        assert errors
        return
    cord, port = ours.cord, theirs.get("port")
    assert (clear(cord.user or ""), cord.password.unmask() if cord.password else "") == (theirs.get("user", ""), theirs.get("password", ""))
    assert (clear(cord.database or ""), ",".join(host.name for host in cord.hosts)) == (theirs.get("dbname", ""), theirs.get("host", ""))
    if port is not None:
        ports = [int(one) if one else None for one in port.split(",")]
        assert [host.port for host in cord.hosts] == (ports * len(cord.hosts) if len(ports) == 1 else ports)


@QUICK
@given(name=st.text(st.characters(exclude_characters="/\0", exclude_categories=["Cs"]), min_size=1, max_size=8), mode=st.sampled_from([None, "read-only", "read-write"]))
def test_sqlite_opens_the_file_and_in_the_mode(tmp_path_factory, name, mode):
    file = tmp_path_factory.mktemp("db") / f"x{name}"
    with closing(sqlite3.connect(file)) as made:
        made.execute("CREATE TABLE tides (height)")
    cord = Cord("sqlite", database=str(file), options=(("open_mode", mode),) if mode else ())
    engine = sqlalchemy.create_engine(ct.write(cord, "sqlalchemy+sqlite3").text.unmask(), poolclass=sqlalchemy.NullPool)
    for connection in (engine.raw_connection(), sqlite3.connect(**ct.write(cord, "sqlite3/arguments").clear_arguments())):
        with closing(connection):
            cursor = connection.cursor()
            assert cursor.execute("SELECT count(*) FROM tides").fetchone() == (0,)
            with pytest.raises(sqlite3.OperationalError) if mode == "read-only" else nullcontext():
                cursor.execute("INSERT INTO tides VALUES (1)")


@QUICK
@given(hosts=st.lists(st.tuples(st.sampled_from(["tide-1", "2001:db8::1", "192.0.2.7", "/run/pg"]), st.sampled_from([None, 5433])), min_size=1, max_size=3))
def test_asyncpg_goes_to_the_same_hosts(hosts):
    cord = Cord("postgresql", tuple(Host(*host) for host in hosts), "tides", "keeper", Secret("fog"))
    given = dict.fromkeys(inspect.signature(_parse_connect_dsn_and_args).parameters) | {"direct_tls": False}
    for target in ("asyncpg/url", "asyncpg/arguments", "sqlalchemy+asyncpg"):
        writing = ct.write(cord, target)
        text = {"dsn": writing.text.unmask()}
        if target == "sqlalchemy+asyncpg":
            text = asyncpg_dialect().create_connect_args(sqlalchemy.make_url(writing.text.unmask()))[1]
        found, _ = _parse_connect_dsn_and_args(**given | (text if writing.arguments is None else dict(writing.clear_arguments())))
        assert found == [f"{name}/.s.PGSQL.{port or 5432}" if name[0] == "/" else (name, port or 5432) for name, port in hosts], target
