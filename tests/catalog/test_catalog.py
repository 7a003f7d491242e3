"""The catalog against its schema, its index, and the installed drivers themselves."""

import inspect
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
    CatalogError,
    driver_ids,
    engine_ids,
    find_nearest,
    load_canonical,
    load_driver,
    load_engine,
)
from cordtally.catalog.facts import option_from, state_from
from cordtally.catalog.loading import FOLDER
from cordtally.model import Duration, TlsLevel

ROOT = Path(__file__).parents[2]
UNCHECKED = {
    "npgsql", "mongo-java", "mongo-dotnet", "go-redis", "lettuce", "redis-dotnet", "connector-j", "mysqlconnector", "connector-net",
    "connector-odbc", "rmariadb", "rpostgres", "sqlx-postgres", "r2dbc-postgresql", "r2dbc-mysql", "r2dbc-mariadb",
    "prisma+postgresql", "prisma+mysql", "prisma+sqlserver", "sqlclient", "msodbcsql", "oledb", "mssql-jdbc",
    "pdo-sqlsrv", "r2dbc-mssql", "ojdbc", "odp-net", "oracle-odbc", "godror",
    "sqlite-dotnet", "duckdb-jdbc", "clickhouse-jdbc", "jaybird", "firebird-odbc",
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
            assert {name for name, _ in state.set} | set(state.given) | set(state.absent) <= set(driver.options)
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


@pytest.mark.parametrize(
    "raw",
    [{"colour": "red"}, {"type": "colour"}, {"type": "duration"}, {"type": "int", "unit": "s"}, {"zero": "maybe"}, {"canonical": "no_such"}],
)
def test_a_fact_that_breaks_the_schema_is_refused(raw):
    with pytest.raises(CatalogError, match="libpq: option x"):
        option_from("x", "libpq", raw, load_canonical())


def test_a_state_needs_its_meaning():
    with pytest.raises(CatalogError):
        state_from("x", {"set": {}}, "level")


@pytest.mark.parametrize(
    ("name", "known", "nearest"),
    [
        ("aplication_name", ["application_name", "host"], ("application_name",)),
        ("SslMode", ["SSL Mode", "Host"], ("SSL Mode",)),
        ("connect-timeout", ["connect_timeout"], ("connect_timeout",)),
        ("zzz", ["host"], ()),
    ],
)
def test_nearest_names(name, known, nearest):
    assert find_nearest(name, known) == nearest
