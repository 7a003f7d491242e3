"""Everyday names for engines, languages, levels, drivers and pools: which one is taken is said, and what none is, too."""

import pytest

from cordtally.catalog import engine_ids, find_name, load_index
from cordtally.catalog.everyday import _everyday
from cordtally.catalog.pool_libraries import list_pools
from cordtally.model import TlsLevel

URL = "postgresql://keeper@gauge.greywick.example/tides"
COMPOSE = ["compose", "--host", "h", "-q", "--no-questions"]
TAKEN = [
    ([*COMPOSE, "--engine", "postgres"], "postgresql is taken for 'postgres'", "postgresql://h"),
    ([*COMPOSE, "--engine", "MSSQL"], "sqlserver is taken for 'MSSQL'", "Data Source=h"),
    ([*COMPOSE, "--engine", "SQL Server"], "sqlserver is taken", "Data Source=h"),
    ([*COMPOSE, "--engine", "mongo"], "mongodb is taken", "mongodb://h"),
    ([*COMPOSE, "--engine", "postgresql", "--tls", "verify-full"], "verify-identity is taken", "sslmode=verify-full"),
    ([*COMPOSE, "--engine", "postgresql", "--tls", "VERIFY_CA"], "verify-chain is taken", "sslmode=verify-ca"),
    ([*COMPOSE, "--engine", "postgresql", "--tls", "required"], "encrypted is taken", "sslmode=require"),
    (["convert", URL, "-q", "--to", "Npgsql"], "npgsql is taken for 'Npgsql'", "Host=gauge"),
    (["convert", URL, "-q", "--for", "npgsql"], "", "Host=gauge"),
    (["convert", URL, "-q", "--to", "Psycopg/arguments"], "psycopg is taken", '"host"'),
    (["convert", URL, "-q", "--to", "npg"], "npgsql is taken for 'npg'", "Host=gauge"),
    (["read", URL, "--driver", "pgjdbc/jdbc", "--json"], "", ""),
    (["drivers", "--language", "dotnet", "--engine", "mssql"], "c# is taken for 'dotnet'", "sqlclient"),
    (["drivers", "--language", "Node.js"], "javascript is taken", "node-pg"),
    (["drivers", "MariaDB Connector/J"], "mariadb-java is taken", "mariadb-java"),
    (["show", "tides", "--for", "psycopg2"], "", "for psycopg2"),
    (["show", "tides", "-e", "prod"], "production is taken for 'prod'", "gauge-1"),
    (["pool", "convert", "--from", "HikariCP", "--to", "psycopg_pool", "maximumPoolSize=5"], "psycopg-pool is taken", "max_size = 5"),
    (["pool", "convert", "--from", "hikaricp", "--to", "knex", "maximumPoolSize=5"], "tarn is taken for 'knex'", "max = 5"),
    (["pool", "vet", "--pool", "SQLAlchemy", "pool_size=5"], "sqlalchemy is taken", ""),
]
TOLD = [
    (["convert", URL, "--to", "java"], "java has pgjdbc, r2dbc-postgresql for postgresql"),
    (["convert", URL, "--to", "dotnet"], "c# has npgsql for postgresql"),
    (["convert", URL, "--to", "perl/url"], "perl has dbd-pg for postgresql"),
    (["convert", URL, "--to", "pyscopg"], "did you mean psycopg or"),
    (["convert", URL, "--to", "mysqlx"], "drivers --engine postgresql lists them"),
    (["convert", URL, "npgsql"], "did you mean --to npgsql?"),
    (["read", URL, "--from", "golang"], "go has "),
    ([*COMPOSE, "--engine", "postgers"], "did you mean postgresql?"),
    ([*COMPOSE, "--engine", "my"], "one of clickhouse"),
    ([*COMPOSE, "--engine", "postgresql", "--tls", "requird"], "did you mean encrypted?"),
    ([*COMPOSE, "--engine", "postgrs"], "did you mean postgresql?"),
    (["read", "C:/harbour/app.yml"], "there is no file 'C:/harbour/app.yml'"),
    (["pool", "vet", "--pool", "hikaricq", "a=1"], "did you mean hikaricp?"),
]


@pytest.mark.parametrize(("arguments", "note", "shown"), TAKEN)
def test_an_everyday_name_is_taken_and_said(cli, harbour, arguments, note, shown):
    status, out, err = cli(*arguments)
    assert status in {0, 1} or "jdbc" in err, err
    assert note in err
    assert shown in out


@pytest.mark.parametrize(("arguments", "told"), TOLD)
def test_a_name_that_no_one_has_gets_the_nearest_that_fits(cli, harbour, arguments, told):
    status, out, err = cli(*arguments)
    assert (status, out) == (2, "")
    assert told in err


def test_second_names_are_not_shown(cli):
    for command, hidden in (("convert", "--for"), ("show", "--for"), ("compose", "--for"), ("read", "--driver"), ("vet", "--driver")):
        shown = cli(command, "--help")[1]
        assert hidden not in shown
        assert "--to TARGET" in shown or "--from DRIVER" in shown


def test_everyday_names_lead_to_names_and_hide_none():
    known = {"engine": set(engine_ids()), "language": {facts["language"] for facts in load_index()["drivers"].values()},
             "TLS level": {level.value for level in TlsLevel}, "pool library": set(list_pools())}  # fmt: skip
    assert set(_everyday()) == set(known)
    for kind, names in _everyday().items():
        assert set(names.values()) <= known[kind]
        assert not set(names) & known[kind]
        assert all(find_name(kind, name.upper(), known[kind]) == called for name, called in names.items())
