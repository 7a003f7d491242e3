"""The catalog against its schema, its index, and the installed drivers themselves."""

import inspect
import shutil
import subprocess
import sys
from pathlib import Path

import aiomysql
import asyncpg
import mysql.connector.constants
import pg8000.dbapi
import psycopg
import pymysql
import pytest

from cordtally.catalog import (
    driver_ids,
    engine_ids,
    find_nearest,
    load_canonical,
    load_driver,
    load_engine,
)
from cordtally.catalog.building import FOLDER
from cordtally.model import Duration, TlsLevel

ROOT = Path(__file__).parents[2]
UNCHECKED = {
    "npgsql", "mongo-java", "mongo-dotnet", "go-redis", "lettuce", "redis-dotnet", "connector-j", "mysqlconnector", "connector-net",
    "connector-odbc", "rmariadb", "rpostgres", "sqlx-postgres", "r2dbc-postgresql", "r2dbc-mysql", "r2dbc-mariadb",
    "prisma+postgresql", "prisma+mysql", "prisma+sqlserver", "sqlclient", "msodbcsql", "oledb", "mssql-jdbc",
    "pdo-sqlsrv", "r2dbc-mssql", "ojdbc", "odp-net", "oracle-odbc", "godror",
    "sqlite-dotnet", "duckdb-jdbc", "clickhouse-jdbc", "jaybird", "firebird-odbc", "sqlalchemy+cx_oracle", "sqlalchemy+cymysql",
    "sqlalchemy+mariadbconnector", "sqlalchemy+mssqlpython", "yugabyte-jdbc", "redshift-jdbc",
    "access-odbc", "ace-oledb", "ase-odbc", "databricks-jdbc", "databricks-odbc", "db2-jdbc", "db2-odbc",
    "exasol-jdbc", "hana-jdbc", "hana-odbc", "hive-jdbc", "impala-jdbc",
    "informix-jdbc", "presto-jdbc", "snowflake-jdbc", "snowflake-odbc", "teradata-jdbc", "teradata-odbc",
    "trino-jdbc", "vertica-jdbc", "vertica-odbc",
    "cassandra-jdbc", "neo4j-jdbc", "jt400", "ibm-i-odbc", "ignite-jdbc", "sqlalchemy+druid",
    "amqp091-go", "ase-dotnet", "athena-jdbc", "athena-odbc", "bigquery-jdbc", "bigquery-odbc", "cassandra-dotnet",
    "cassandra-odbc", "clickhouse-dotnet", "clickhouse-go", "clickhouse-odbc", "confluent-kafka",
    "confluent-kafka-go", "couchbase-dotnet", "couchbase-java", "couchbase-node", "databricks-go", "db2-dotnet",
    "duckdb-dotnet", "duckdb-odbc", "elasticsearch-jdbc", "elasticsearch-odbc", "exasol-dotnet", "exasol-go",
    "exasol-odbc", "excel-odbc", "firebird-dotnet", "go-hdb", "go-ibm-db", "go-libsql", "gocb", "gosnowflake",
    "hana-dotnet", "hive-odbc", "ibm-db-node", "impala-odbc", "informix-dotnet", "informix-odbc", "jconnect",
    "kafka-clients", "neo4j-dotnet", "neo4j-go", "neo4j-java", "opensearch-jdbc", "opensearch-odbc", "presto-odbc",
    "rabbitmq-dotnet", "rabbitmq-java", "redshift-odbc", "singlestore-odbc", "snowflake-dotnet", "teradata-dotnet",
    "trino-go", "trino-odbc", "vertica-dotnet", "vertica-sql-go",
}  # fmt: skip


def test_every_file_loads_and_says_where_its_facts_come_from():
    assert {p.stem for p in (FOLDER / "drivers").glob("*.toml")} == set(driver_ids())
    for driver_id in driver_ids():
        driver = load_driver(driver_id)
        assert driver.id == driver_id
        assert any(c.isdigit() for c in driver.source), driver_id
        assert set(driver.engines) <= set(engine_ids())
        for option in driver.options.values():
            assert option.note or option.canonical, f"{driver_id}: {option.name} is not explained"
        for state in driver.tls:
            assert TlsLevel(state.meaning)
            named = {name for name, _ in state.set} | set(state.given) | set(state.absent)
            inside = f"{driver.nested[0]}." if driver.nested else "\n"  # an option of the text inside that one
            assert {name for name in named if not name.startswith(inside)} <= set(driver.options)
    for engine_id in engine_ids():
        assert load_engine(engine_id).source


def test_unchecked_drivers_are_counted():
    """Facts that no installed driver confirmed: this list may shrink, and grows only on purpose."""
    assert {i for i in driver_ids() if not load_driver(i).checked} == UNCHECKED
    assert all("not checked" in load_driver(i).source for i in UNCHECKED)


def test_the_index_is_current():
    subprocess.run([sys.executable, ROOT / "scripts" / "catalog-index", "--check"], check=True)


def test_canonical_options_are_explained_and_bounded():
    for name, fact in load_canonical().items():
        assert fact.meaning.endswith("."), name
        assert (fact.type == "word") == bool(fact.values), name
        if fact.usual:
            assert Duration.parse(fact.usual[0]) < Duration.parse(fact.usual[1])


def test_libpq_options_are_those_of_the_installed_libpq():
    known = {o.keyword.decode(): o for o in psycopg.pq.Conninfo.get_defaults()}
    options = load_driver("libpq").options
    assert set(options) == set(known)
    for name, option in known.items():
        assert options[name].secret == (option.dispchar == b"*" or name.startswith("scram_")), name
        if option.compiled and name in {"sslmode", "channel_binding", "target_session_attrs", "load_balance_hosts", "port"}:
            assert str(options[name].default) == option.compiled.decode(), name


def test_pymysql_options_are_those_of_the_installed_pymysql():
    driver = load_driver("pymysql")
    for name, parameter in inspect.signature(pymysql.connections.Connection.__init__).parameters.items():
        if name not in {"self", "compress", "named_pipe"}:
            option = driver.option(name)
            assert option is not None, name
            if name == option.name and option.default not in (None, "localhost", "utf8mb4", 3306):
                assert option.default == parameter.default, name


def test_connector_python_options_are_its_defaults():
    driver = load_driver("mysql-connector-python")
    for name, default in mysql.connector.constants.DEFAULT_CONFIGURATION.items():
        option = driver.option(name)
        assert option is not None, name
        if default not in (None, "") and name == option.name:
            assert option.default == default, name


def arguments_of(function):
    return set(inspect.signature(function).parameters) - {"self", "dsn"}


@pytest.mark.parametrize(("driver_id", "function"), [("asyncpg", asyncpg.connect), ("pg8000", pg8000.dbapi.connect), ("aiomysql", aiomysql.connect)])
def test_arguments_are_those_of_the_installed_driver(driver_id, function):
    options = load_driver(driver_id).options.values()
    assert {o.name for o in options if o.is_in("arguments")} == arguments_of(function)


BROKEN = [
    ("drivers/pgjdbc.toml", 'unknown_options = "ignored"', 'unknown_options = "ignord"', "did you mean 'ignored'?"),
    ("drivers/pgjdbc.toml", "refuses = ", "refusse = ", "unknown key 'refusse'; did you mean 'refuses'?"),
    ("drivers/pgjdbc.toml", 'plus = "blank"', 'plus = "blnk"', "plus = 'blnk' is none of 'literal', 'blank'; did you mean 'blank'?"),
    ("drivers/pgjdbc.toml", "port_range = true", "port_rang = true", "there is no flag 'port_rang'; did you mean 'port_range'?"),
    ("drivers/pgjdbc.toml", 'checked = true', 'checked = "yes"', "a bool is wanted here"),
    ("drivers/pgjdbc.toml", 'language = "java"', "", "the key 'language' is missing"),
    ("drivers/pgjdbc.toml", 'engines = ["postgresql"]', 'engines = ["postgresq"]', "there is no engine 'postgresq'"),
    ("drivers/pgjdbc.toml", 'canonical = "connect_timeout"', 'canonical = "conect_timeout"', "did you mean 'connect_timeout'?"),
    ("drivers/pgjdbc.toml", 'level = "verify-chain"', 'level = "verify-chian"', "did you mean 'verify-chain'?"),
    ("drivers/redis-py.toml", 'socket = "none"', 'socket = "noen"', "did you mean 'none'?"),
    ("drivers/redis-py.toml", 'zero = "refused"', 'zero = "refusd"', "did you mean 'refused'?"),
    ("drivers/redis-py.toml", 'type = "duration", unit = "s"', 'type = "duration"', "type duration and unit None disagree"),
    ("drivers/redis-py.toml", 'only_in = ["url"]', 'only_in = ["ur"]', "there is no notation 'ur'"),
    ("drivers/redis-py.toml", "ssl_cert_reqs = \"none\" }", "ssl_cert_rqs = \"none\" }", "did you mean 'ssl_cert_reqs'?"),
    ("drivers/pgjdbc.toml", "password_charset = \"saslprep\"", "password_charset = \"sasl\"", "is none of ascii, saslprep"),
    ("engines/postgresql.toml", "default_port = ", "default_prt = ", "did you mean 'default_port'?"),
    ("options.toml", 'type = "duration"', 'type = "duratoin"', "did you mean 'duration'?"),
    ("stores.toml", 'asks = "file"', 'asks = "fle"', "did you mean 'file'?"),
    ("services.toml", 'plain_user = true', 'plain_usr = true', "unknown key 'plain_usr'; did you mean 'plain_user'?"),
    ("remarks.toml", "[boolean]", "[boolaen]", "cases ['boolaen', 'boolean']"),
]  # fmt: skip


@pytest.fixture
def broken_catalog(tmp_path):
    """A copy of the package and of the script that checks it, to break."""
    shutil.copytree(ROOT / "src" / "cordtally", tmp_path / "src" / "cordtally", ignore=shutil.ignore_patterns("__pycache__", "pooling", "cli", "demo"))
    shutil.copytree(ROOT / "scripts", tmp_path / "scripts")
    return tmp_path


@pytest.mark.parametrize("turn", range(4))
def test_each_kind_of_fact_that_is_broken_is_found_with_its_place(broken_catalog, turn):
    """What ``scripts/catalog-index --check`` says of each: the file, the line, and the nearest word."""
    for name, right, wrong, words in BROKEN[turn::4]:
        path = broken_catalog / "src/cordtally/catalog" / name
        text = path.read_text()
        assert right in text, (name, right)
        path.write_text(text.replace(right, wrong, 1))
        command = [sys.executable, broken_catalog / "scripts" / "catalog-index", "--check"]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        path.write_text(text)
        assert done.returncode == 1, (name, wrong)
        assert words in done.stderr, done.stderr
        assert f"catalog/{name}" in done.stderr
        if "flag" not in words and "engine" not in words and name != "remarks.toml" and "' is none of '" not in words:
            number = int(done.stderr.partition(f"{name}:")[2].partition(":")[0])
            assert wrong.strip('"') in text.replace(right, wrong, 1).splitlines()[number - 1] or not wrong, done.stderr


@pytest.mark.parametrize(
    ("name", "known", "nearest"),
    [
        ("aplication_name", ["application_name", "host"], ("application_name",)),
        ("SslMode", ["SSL Mode", "Host"], ("SSL Mode",)),
        ("connect-timeout", ["connect_timeout"], ("connect_timeout",)),
        ("zzz", ["host"], ()),
        ("tsl", ["ssl", "tls", "host"], ("tls",)),
    ],
)
def test_nearest_names(name, known, nearest):
    assert find_nearest(name, known) == nearest
