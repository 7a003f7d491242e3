"""The facts about pools, held against the pools themselves: defaults, which idle connection is taken, who waits for what."""

import inspect
import re
import subprocess
import time
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest

from cordtally.catalog.pool_libraries import load_pool
from cordtally.pooling.settings import read_settings

from ..servers import as_user, find_program, free_port
from .seen import POOLS, look


def signature(name):
    import aiomysql
    import asyncpg
    import psycopg_pool
    import redis
    from mysql.connector.pooling import MySQLConnectionPool
    from sqlalchemy.pool import Pool, QueuePool

    found = {
        "psycopg-pool": [psycopg_pool.ConnectionPool], "asyncpg": [asyncpg.create_pool], "aiomysql": [aiomysql.create_pool], "redis-py-pool": [redis.BlockingConnectionPool],
        "mysql-connector-pool": [MySQLConnectionPool], "sqlalchemy": [QueuePool, Pool],
    }[name]  # fmt: skip
    return {key: parameter.default for source in found for key, parameter in inspect.signature(source).parameters.items()}


@pytest.mark.parametrize("name", ["psycopg-pool", "asyncpg", "aiomysql", "redis-py-pool", "mysql-connector-pool", "sqlalchemy"])
def test_defaults_are_those_of_the_installed_package(name):
    defaults = signature(name)
    for setting in load_pool(name).settings.values():
        actual = defaults[setting.name.removeprefix("pool_") if name == "sqlalchemy" and setting.name != "pool_size" else setting.name]
        assert setting.default == actual or (setting.default is None and actual is None), setting.name


def test_pymongo_defaults():
    from pymongo import MongoClient

    client = MongoClient("mongodb://127.0.0.1:9/", connect=False)
    options = client._options.pool_options
    read = read_settings("pymongo-pool", {})
    assert (read.count("max_size"), read.count("min_size"), read.count("opening_at_once")) == (options.max_pool_size, options.min_pool_size, options.max_connecting)
    assert (read.value("idle_timeout"), read.value("acquire_timeout")) == (options.max_idle_time_seconds, options.wait_queue_timeout)
    client.close()


def sqlalchemy_pool(**settings):
    import sqlite3

    from sqlalchemy.pool import QueuePool

    return QueuePool(lambda: sqlite3.connect(":memory:", check_same_thread=False), **settings)


def test_sqlalchemy_counts_overflow_on_top_and_takes_the_oldest():
    from sqlalchemy.exc import TimeoutError as PoolTimeout

    pool = sqlalchemy_pool(pool_size=2, max_overflow=1, timeout=0.05)
    taken = [pool.connect() for _ in range(read_settings("sqlalchemy", {"pool_size": "2", "max_overflow": "1"}).count("max_size"))]
    begun = time.monotonic()
    with pytest.raises(PoolTimeout):
        pool.connect()
    assert 0.04 < time.monotonic() - begun < 1
    first, second = (connection.driver_connection for connection in taken[:2])
    for connection in taken:
        connection.close()
    assert pool.checkedin() == 2
    again = pool.connect()
    assert again.driver_connection is {"oldest": first, "newest": second}[load_pool("sqlalchemy").behaviour.reuse]
    again.close()
    pool.dispose()
    lifo = sqlalchemy_pool(pool_size=2, use_lifo=True)
    taken = [lifo.connect() for _ in range(2)]
    last = taken[1].driver_connection
    for connection in taken:
        connection.close()
    with_lifo = lifo.connect()
    assert with_lifo.driver_connection is last
    with_lifo.close()
    lifo.dispose()


@pytest.mark.servers
@pytest.mark.parametrize("name", POOLS)
def test_a_pool_does_what_the_catalog_says(name, request):
    """Filled, asked for one more, left alone for longer than its times: see `seen`."""
    server, ways = POOLS[name]
    port = 0 if server is None else request.getfixturevalue(server).port
    assert [row for opened in ways for row in look(name, opened, port) if row.catalog != row.seen] == []


@pytest.mark.servers
def test_psycopg_takes_the_least_for_the_most(postgresql):
    from psycopg_pool import ConnectionPool

    with ConnectionPool(f"host=127.0.0.1 port={postgresql.port}", min_size=1, open=False) as pool:
        assert pool.max_size == 1  # max_size is min_size where it is not given


@pytest.mark.servers
def test_pgbouncer_says_its_defaults():
    """A real PgBouncer with an empty configuration: SHOW CONFIG against the catalog."""
    import psycopg

    program = find_program("pgbouncer")
    if program is None:
        pytest.skip("pgbouncer is not installed: apt-get install pgbouncer")
    port, folder = free_port(), TemporaryDirectory(prefix="cordtally-")
    home = Path(folder.name)
    home.chmod(0o755)
    (home / "users").write_text('"harbour_master" ""\n')
    (home / "pgbouncer.ini").write_text(
        f"[databases]\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = {port}\nunix_socket_dir =\nauth_type = any\nauth_file = {home}/users\n"
        "admin_users = harbour_master\n"
    )
    process = subprocess.Popen(as_user("postgres", [program, str(home / "pgbouncer.ini")]), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd="/")
    try:
        rows = {}
        for _ in range(100):
            try:
                with psycopg.connect(f"host=127.0.0.1 port={port} user=harbour_master dbname=pgbouncer", autocommit=True, cursor_factory=psycopg.ClientCursor) as session:
                    rows = {row[0]: row[1] for row in session.execute("SHOW CONFIG").fetchall()}
                break
            except psycopg.OperationalError:
                time.sleep(0.1)
        for setting in load_pool("pgbouncer").settings.values():
            actual = rows[setting.name]
            assert (actual if setting.type == "word" else float(actual)) == setting.default, setting.name
    finally:
        process.terminate()
        process.wait(10)
        folder.cleanup()


def test_pgpool_says_its_defaults():
    sample = Path("/usr/share/pgpool2/pgpool.conf.sample")
    sample = sample if sample.exists() else Path("/etc/pgpool2/pgpool.conf")
    if not sample.exists():
        pytest.skip("pgpool2 is not installed")
    text = sample.read_text(errors="replace")
    for setting in load_pool("pgpool-ii").settings.values():
        found = re.search(rf"^#?{setting.name} *= *(\d+)(min|s)?", text, re.MULTILINE)
        assert found, setting.name
        assert int(found[1]) * (60 if found[2] == "min" else 1) == setting.default
