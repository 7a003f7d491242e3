"""Openers in real pools: the password is changed at the server and in its store, and the pool lives on."""

import asyncio

import asyncpg
import psycopg
import psycopg_pool
import pytest
import redis
import sqlalchemy

import cordtally as ct
from cordtally.secrets import Surroundings, put
from cordtally.standins import Authority, TokenBroker

from ..servers import ADMIN_PASSWORD

OLD, NEW = "not-a-real-pw/old", "not-a-real-pw'new"


@pytest.fixture
def gauge(postgresql, tmp_path):
    """A cord of a tally whose secret stands in a file, and what changes it on both sides, ending the sessions there are."""
    (tmp_path / "tally.toml").write_text(
        f'tally = 1\n[cords.tides]\nengine = "postgresql"\nhost = "127.0.0.1"\nport = {postgresql.port}\ndatabase = "postgres"\n'
        'user = "fresh_writer"\npassword = "file:secrets/tides"\n'
    )
    master = {"host": "127.0.0.1", "port": postgresql.port, "user": "harbour_master", "password": ADMIN_PASSWORD, "dbname": "postgres"}

    def change(password):
        put("file:secrets/tides", password, Surroundings(folder=tmp_path))
        with psycopg.connect(**master, autocommit=True) as server:
            server.execute(f"ALTER ROLE fresh_writer PASSWORD {psycopg.sql.quote(password)}")
            server.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = 'fresh_writer'")

    with psycopg.connect(**master, autocommit=True) as server:
        server.execute("DROP ROLE IF EXISTS fresh_writer")
        server.execute("CREATE ROLE fresh_writer LOGIN")
    change(OLD)
    yield ct.load(tmp_path).cord("tides"), change
    with psycopg.connect(**master, autocommit=True) as server:
        server.execute("DROP ROLE fresh_writer")


def test_sqlalchemy_s_creator(gauge):
    cord, change = gauge
    engine = sqlalchemy.create_engine("postgresql+psycopg://", creator=cord.opener("psycopg"), pool_pre_ping=True)
    for password in (OLD, NEW):
        change(password)
        with engine.connect() as connection:
            assert connection.exec_driver_sql("SELECT current_user").scalar() == "fresh_writer"
    engine.dispose()


def test_psycopg_s_pool(gauge):
    cord, change = gauge

    class Fresh(psycopg.Connection):
        @classmethod
        def connect(cls, conninfo="", **more):
            return super().connect(conninfo, **cord.arguments("psycopg"), **more)

    with psycopg_pool.ConnectionPool(connection_class=Fresh, min_size=1, max_size=2, check=psycopg_pool.ConnectionPool.check_connection) as pool:
        for password in (OLD, NEW):
            change(password)
            with pool.connection(timeout=30) as connection:
                assert connection.execute("SELECT current_user").fetchone() == ("fresh_writer",)


def test_asyncpg_s_pool(gauge):
    cord, change = gauge
    opener = cord.opener("asyncpg")

    async def used():
        async with asyncpg.create_pool(connect=lambda *_, **__: opener(), min_size=1, max_size=2) as pool:
            for password in (OLD, NEW):
                change(password)
                await pool.expire_connections()
                assert await pool.fetchval("SELECT current_user") == "fresh_writer"

    asyncio.run(used())


def test_tokens_expire_and_the_pools_live_on(postgresql, tmp_path):
    """Each token is the password of a role that the broker says is good for two seconds, and the server lets in a little longer: no machine is too slow."""
    master = {"host": "127.0.0.1", "port": postgresql.port, "user": "harbour_master", "password": ADMIN_PASSWORD, "dbname": "postgres"}
    roles = []

    def issued(user, token):
        roles.append(f"{user}_{len(roles)}")
        with psycopg.connect(**master, autocommit=True) as server:
            server.execute(f"DROP ROLE IF EXISTS {roles[-1]}")
            server.execute(f"DO $$ BEGIN EXECUTE format('CREATE ROLE {roles[-1]} LOGIN PASSWORD %L VALID UNTIL %L', '{token}', now() + interval '10 min'); END $$")
        return roles[-1]

    authority = Authority()
    authority.write(tmp_path / "ca.pem")
    with TokenBroker(authority, life=2.0, issued=issued) as broker:
        (tmp_path / "token").write_text(broker.token)
        table = broker.tally("harbour", "ca.pem", "file:token").replace('"{user}"', '"gauge"')
        cord_text = f'host = "127.0.0.1"\nport = {postgresql.port}\ndatabase = "postgres"\nuser = "broker:harbour#user"\npassword = "broker:harbour"\n'
        (tmp_path / "tally.toml").write_text(f'tally = 1\n[cords.tides]\nengine = "postgresql"\n{cord_text}{table}')
        cord = ct.load(tmp_path).cord("tides")
        engine = sqlalchemy.create_engine("postgresql+psycopg://", creator=cord.opener("psycopg"))
        seen = set()
        while len(seen) < 3:
            with engine.connect() as connection:
                seen.add(connection.exec_driver_sql("SELECT current_user").scalar())
                connection.invalidate()
        engine.dispose()

        async def used():
            async with asyncpg.create_pool(connect=lambda *_, **__: cord.async_opener("asyncpg")(), min_size=1, max_size=2) as pool:
                while len(seen) < 5:
                    await pool.expire_connections()
                    seen.add(await pool.fetchval("SELECT current_user"))

        asyncio.run(used())
    assert seen <= set(roles)
    with psycopg.connect(**master, autocommit=True) as server:
        for role in roles:
            server.execute(f"DROP ROLE {role}")


def test_pymysql_under_sqlalchemy(mariadb, monkeypatch):
    master = ct.compose(engine="mariadb", host="127.0.0.1", port=mariadb.port, user="harbour_master", password="env:MASTER_PASSWORD")
    monkeypatch.setenv("MASTER_PASSWORD", ADMIN_PASSWORD)
    cord = ct.compose(engine="mariadb", host="127.0.0.1", port=mariadb.port, user="fresh_writer", password="env:FRESH_PASSWORD")
    engine = sqlalchemy.create_engine("mysql+pymysql://", creator=cord.opener("pymysql"), pool_pre_ping=True)
    with master.connect("pymysql", autocommit=True) as server, server.cursor() as cursor:
        cursor.execute("CREATE OR REPLACE USER fresh_writer@'%'")
        for password in (OLD, NEW):
            cursor.execute("ALTER USER fresh_writer@'%%' IDENTIFIED BY %s", (password,))
            monkeypatch.setenv("FRESH_PASSWORD", password)
            engine.dispose()
            with engine.connect() as connection:
                assert connection.exec_driver_sql("SELECT substring_index(user(), '@', 1)").scalar() == "fresh_writer"
        cursor.execute("DROP USER fresh_writer@'%'")
    engine.dispose()


def test_redis_asks_a_provider_for_each_connection(redis_server, monkeypatch):
    cord = ct.compose(engine="redis", host="127.0.0.1", port=redis_server.port, user="fresh_writer", password="env:FRESH_PASSWORD")

    class Fresh(redis.CredentialProvider):
        def get_credentials(self):
            return cord.log_in()

    master = redis.Redis(host="127.0.0.1", port=redis_server.port, password=ADMIN_PASSWORD)
    pool = redis.ConnectionPool(host="127.0.0.1", port=redis_server.port, credential_provider=Fresh())
    for password in (OLD, NEW):
        monkeypatch.setenv("FRESH_PASSWORD", password)
        master.acl_setuser("fresh_writer", enabled=True, reset=True, passwords=[f"+{password}"], commands=["+@all"])
        pool.disconnect()
        assert redis.Redis(connection_pool=pool).acl_whoami() == "fresh_writer"
    master.acl_deluser("fresh_writer")


@pytest.mark.parametrize(
    ("driver", "words"),
    [("npgsql", "a driver of c#"), ("sqlalchemy+psycopg", r"creator=cord.opener\('psycopg'\)"), ("psycpg", "did you mean psycopg"), ("pymysql", "connects to mysql and mariadb, and the cord is one of postgresql")],
)
def test_what_cannot_open_it_is_said_before_the_secret_is_fetched(driver, words):
    cord = ct.compose(engine="postgresql", host="h", password="env:NOBODY_SET_THIS_ONE")
    with pytest.raises(ct.CordTallyError, match=words) as caught:
        cord.opener(driver)
    assert "NOBODY_SET_THIS_ONE" not in str(caught.value)
    with pytest.raises(ct.FieldError, match="has no password"):
        ct.compose(engine="postgresql", host="h").log_in()
