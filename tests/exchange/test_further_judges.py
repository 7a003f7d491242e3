"""Drivers of further engines as judges: what their own readers find in our texts, for any user, password and database."""

import base64
import json
import signal
import subprocess
import sys
import warnings
from pathlib import Path
from urllib.parse import unquote, urlsplit

import pytest
import sqlalchemy
import yarl
from couchdb.http import extract_credentials as couchdb_credentials
from elastic_transport.client_utils import url_to_node_config
from hypothesis import assume, given, settings
from kombu.utils.url import url_to_parts
from neo4j._api import parse_neo4j_uri
from opensearchpy.client.utils import _normalize_hosts
from pika import URLParameters
from pymemcache.client.base import normalize_server_spec
from singlestoredb.connection import _parse_url as singlestore_url
from snowflake.sqlalchemy.snowdialect import SnowflakeDialect
from sqlalchemy_exasol.websocket import EXADialect_websocket
from sqlalchemy_hana.dialect import HANAHDBCLIDialect
from trino.dbapi import Connection as TrinoConnection
from trino.sqlalchemy.dialect import TrinoDialect
from valkey._parsers.url_parser import parse_url as valkey_url
from vertica_python.vertica.connection import parse_dsn

import cordtally as ct
from cordtally.model import Cord, Host, Secret, Tls, TlsLevel

from .test_judges import WORDS, kept

# hdbcli blocks it as it is loaded, and every program that these tests start would inherit that
signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGPIPE})


def valkey(text):
    found = valkey_url(text, async_connection=False)
    return found["host"], found["port"], found.get("username"), found.get("password"), str(found["db"])


def vertica(text):
    found = parse_dsn(text)
    return found["host"], found["port"], found.get("user"), found.get("password"), found.get("database")


def pika(text):
    found = URLParameters(text)
    return found.host, found.port, found.credentials.username, found.credentials.password, found.virtual_host


def trino(text):
    _, found = TrinoDialect().create_connect_args(sqlalchemy.make_url(text))
    password = found["auth"]._password if "auth" in found else None
    return found["host"], found["port"], found.get("user"), password, found["catalog"]


def hana(text):
    _, found = HANAHDBCLIDialect().create_connect_args(sqlalchemy.make_url(text))
    return found["address"], found["port"], found.get("user"), found.get("password"), found.get("databaseName")


def snowflake(text):
    _, found = SnowflakeDialect().create_connect_args(sqlalchemy.make_url(text))
    return found["host"], found["port"], found.get("user"), found.get("password"), found.get("database")


def exasol(text):
    _, found = EXADialect_websocket().create_connect_args(sqlalchemy.make_url(text))
    host, _, port = found["dsn"].rpartition(":")
    return host, int(port), found.get("username"), found.get("password"), found.get("schema")


def kombu(text):
    _, host, port, user, password, path, _ = url_to_parts(text)
    return host, port, user, password, path


def singlestore(text):
    found = singlestore_url(text)
    return found["host"], found["port"], found.get("user"), found.get("password"), found.get("database")


def elasticsearch(text):
    found = url_to_node_config(text)
    user, _, password = base64.b64decode(found.headers["authorization"].removeprefix("Basic ")).decode().partition(":")
    return found.host, found.port, user, password, None


def opensearch(text):
    (found,) = _normalize_hosts(text)
    user, _, password = found["http_auth"].partition(":")
    return found["host"], found["port"], user, password, None


def couchdb(text):
    place, (user, password) = couchdb_credentials(text)
    parts = urlsplit(place)
    return parts.hostname, parts.port, user, password, None


def aio_pika(text):
    found = yarl.URL(text)  # as aiormq takes it (connection.py)
    return found.host, found.port, found.user, found.password, found.path[1:]


JUDGES = {
    "kombu/url": (kombu, "amqp"), "celery/url": (kombu, "couchdb"), "singlestoredb/url": (singlestore, "singlestore"), "elasticsearch-py/url": (elasticsearch, "elasticsearch"),
    "opensearch-py/url": (opensearch, "opensearch"), "couchdb-python/url": (couchdb, "couchdb"), "pycouchdb/url": (couchdb, "couchdb"),
    "aio-pika/url": (aio_pika, "amqp"),
    "valkey-py/url": (valkey, "valkey"), "vertica-python/url": (vertica, "vertica"), "pika/url": (pika, "amqp"), "sqlalchemy+trino/url": (trino, "trino"),
    "sqlalchemy+hana/url": (hana, "hana"), "sqlalchemy+snowflake/url": (snowflake, "snowflake"), "sqlalchemy+exasol/url": (exasol, "exasol"),
}


@pytest.mark.parametrize("target", JUDGES)
@settings(max_examples=100)
@given(user=WORDS, password=WORDS, database=WORDS)
def test_what_a_driver_finds_in_our_text(target, user, password, database):
    read, engine = JUDGES[target]
    database = "7" if engine == "valkey" else database
    writing = ct.write(Cord(engine, (Host("harbour.greywick.example", 4711),), database, user, Secret(password)), target)
    meant = {"user": user, "password": password, "database": database}
    if any(line.outcome is ct.Outcome.APPROXIMATED for line in writing.ledger):  # a colon in HTTP's header
        assert ":" in user
        del meant["user"], meant["password"]
    found = dict(zip(("host", "port", "user", "password", "database"), read(writing.text.unmask()), strict=True))
    assert (found["host"], found["port"]) == ("harbour.greywick.example", 4711)
    assert {part: found[part] for part in meant if kept(writing, part)} == {part: value for part, value in meant.items() if kept(writing, part)}


@settings(max_examples=50)
@given(schema=WORDS, name=WORDS)
def test_a_schema_behind_the_database(schema, name):
    cord = Cord("trino", (Host("harbour.greywick.example", 443),), "tides", options=(("schema_search_path", schema), ("application_name", name)))
    writing = ct.write(cord, "sqlalchemy+trino")
    _, found = TrinoDialect().create_connect_args(sqlalchemy.make_url(writing.text.unmask()))
    assert (found["catalog"], found["source"]) == ("tides", name)
    assert found.get("schema") == (schema if kept(writing, "options.schema_search_path") else None)
    assert TrinoConnection(**found).schema == found.get("schema")


LEVELS = [
    ("valkeys://h/0", TlsLevel.VERIFY_CHAIN), ("valkeys://h/0?ssl_check_hostname=True", TlsLevel.VERIFY_IDENTITY),
    ("valkeys://h/0?ssl_cert_reqs=none", TlsLevel.ENCRYPTED),
]


@pytest.mark.parametrize(("text", "level"), LEVELS)
def test_levels_of_tls_in_valkey(text, level):
    """What its connection would verify, by the arguments that its own reader makes of the text."""
    assert ct.read(text).cord.tls.level is level
    made = valkey_url(text, async_connection=False)
    connection = made.pop("connection_class")(**made)
    assert (connection.cert_reqs.name, connection.check_hostname) == (
        "CERT_NONE" if level is TlsLevel.ENCRYPTED else "CERT_REQUIRED", level is TlsLevel.VERIFY_IDENTITY
    )


@pytest.mark.parametrize("level", [TlsLevel.OFF, TlsLevel.ENCRYPTED, TlsLevel.VERIFY_IDENTITY])
def test_schemes_of_neo4j(level):
    text = ct.write(Cord("neo4j", (Host("2001:db8::1", 7688),), tls=Tls(level)), "neo4j-python").text.unmask()
    _, security, parsed = parse_neo4j_uri(text)
    assert (parsed.hostname, parsed.port) == ("2001:db8::1", 7688)
    wanted = {"off": "NOT_SECURE", "encrypted": "SELF_SIGNED", "verify-identity": "SECURE"}[level.value]
    assert security.removeprefix("SECURITY_TYPE_").startswith(wanted), unquote(text)


@pytest.mark.parametrize(("user", "level", "word"), [("k", TlsLevel.VERIFY_IDENTITY, "SASL_SSL"), (None, TlsLevel.VERIFY_IDENTITY, "SSL"), ("k", None, "SASL_PLAINTEXT"), (None, None, None)])
def test_who_is_logged_in_to_kafka(user, level, word):
    """One word says TLS and log-in: without it the user would be passed over."""
    cord = Cord("kafka", (Host("harbour.greywick.example", 9093),), user=user, password=user and Secret("fog"), tls=Tls(level))
    for target in ("kafka-python", "aiokafka", "confluent-kafka"):
        arguments = ct.write(cord, target).clear_arguments()
        assert arguments.get("security_protocol", arguments.get("security.protocol")) == word
        again = ct.read(arguments, driver=target).cord
        assert (again.user, again.tls.level, again.native) == (user, level or (TlsLevel.OFF if word else None), ())


PLACES = [Host("harbour.greywick.example"), Host("2001:db8::7", 4711), Host("192.0.2.7", 9093)]


def test_places_in_one_value():
    with warnings.catch_warnings(action="ignore"):  # it reads its own files in a way that Python has given up
        from kafka.cluster import collect_hosts
    servers = ct.write(Cord("kafka", tuple(PLACES)), "kafka-python").arguments["bootstrap_servers"]
    assert [found[:2] for found in collect_hosts(servers, randomize=False)] == [(host.name, host.port or 9092) for host in PLACES]
    for host in [*PLACES, Host("/run/memcached.sock")]:
        found = normalize_server_spec(ct.write(Cord("memcached", (host,)), "pymemcache").arguments["server"])
        assert found == (host.name if host.is_socket else (host.name, host.port or 11211))


@pytest.fixture(scope="module")
def java():
    if not all(Path(f"/usr/share/java/{name}.jar").is_file() for name in ("h2", "hsqldb", "derbyclient")):
        pytest.skip("the drivers of H2, HSQLDB and Derby are not installed: apt-get install libh2-java libhsqldb-java libderbyclient-java")
    with subprocess.Popen([sys.executable, Path(__file__).with_name("java_readers.py")], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as process:

        def ask(*question):
            process.stdin.write(json.dumps(question) + "\n")
            process.stdin.flush()
            return json.loads(process.stdout.readline())

        yield ask
        process.stdin.close()


@pytest.mark.parametrize("engine", ["h2", "hsqldb", "derby"])
@settings(max_examples=200)
@given(user=WORDS, password=WORDS, database=WORDS)
def test_what_a_driver_in_java_finds_in_our_text(java, engine, user, password, database):
    """What is made of names: H2 has users in capitals, HSQLDB databases of servers in small letters."""
    assume(database == database.strip())  # of a path that begins with a blank nobody says whose it is
    writing = ct.write(Cord(engine, (Host("harbour.greywick.example", 4711),), database, user, Secret(password)), f"{engine}-jdbc")
    place, found, secret = java(engine, writing.text.unmask(), password)
    wanted = ["harbour.greywick.example", "4711", database.lower() if engine == "hsqldb" else database]
    assert place == (f"//{wanted[0]}:4711/{database}" if engine == "h2" else wanted) or not kept(writing, "database"), writing.text.unmask()
    if kept(writing, "user"):
        assert found == (user.upper() if engine == "h2" else user)
    if kept(writing, "password"):
        assert secret == password, writing.text.unmask()
