"""How real drivers connect with what was written for them, and whether the server saw TLS."""

import asyncio
import ssl
import warnings

import aiomysql
import asyncmy
import asyncpg
import mysql.connector
import pg8000.dbapi
import psycopg
import psycopg2
import pymysql
import redis
import sqlalchemy
from redis.backoff import NoBackoff
from redis.retry import Retry
from sqlalchemy.ext.asyncio import create_async_engine

PG_ASKS = "SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()"
MY_ASKS = "SHOW STATUS LIKE 'Ssl_version'"


def _pg(connection):
    try:
        cursor = connection.cursor()
        cursor.execute(PG_ASKS)
        return bool(cursor.fetchone()[0])
    finally:
        connection.close()


def _my(connection):
    try:
        cursor = connection.cursor()
        cursor.execute(MY_ASKS)
        return bool(cursor.fetchone()[1])
    finally:
        connection.close()


def _asyncpg(writing):
    async def ask():
        connection = await (asyncpg.connect(**_clear(writing)) if writing.arguments is not None else asyncpg.connect(writing.text.unmask()))
        try:
            return bool(await connection.fetchval(PG_ASKS))
        finally:
            await connection.close()

    return asyncio.run(ask())


def _aiomysql(writing, module=aiomysql):
    async def ask():
        connection = await module.connect(**_clear(writing))
        try:
            async with connection.cursor() as cursor:
                await cursor.execute(MY_ASKS)
                return bool((await cursor.fetchone())[1])
        finally:
            connection.close()

    return asyncio.run(ask())


def _asyncmy(writing):
    return _aiomysql(writing, asyncmy)


def _redis(writing):
    once = Retry(NoBackoff(), 0)  # else every refusal is asked for again
    client = redis.Redis(**_clear(writing), retry=once) if writing.arguments is not None else redis.Redis.from_url(writing.text.unmask(), retry=once)
    try:
        client.ping()
        return isinstance(client.connection_pool.connection_class, type) and issubclass(client.connection_pool.connection_class, redis.SSLConnection)
    finally:
        client.close()


def _toolkit(asked, column):
    def connect(writing):
        engine = sqlalchemy.create_engine(writing.text.unmask(), poolclass=sqlalchemy.NullPool)
        with engine.connect() as connection:
            return bool(connection.execute(sqlalchemy.text(asked)).one()[column])

    return connect


def _async_toolkit(asked, column):
    def connect(writing):
        async def ask():
            engine = create_async_engine(writing.text.unmask(), poolclass=sqlalchemy.NullPool)
            async with engine.connect() as connection:
                return bool((await connection.execute(sqlalchemy.text(asked))).one()[column])

        return asyncio.run(ask())

    return connect


def _clear(writing):
    return dict(writing.clear_arguments())


PG_DRIVERS = {
    "libpq/url": lambda w: _pg(psycopg.connect(w.text.unmask())),
    "libpq/keyword": lambda w: _pg(psycopg.connect(w.text.unmask())),
    "psycopg/arguments": lambda w: _pg(psycopg.connect(**_clear(w))),
    "psycopg2/arguments": lambda w: _pg(psycopg2.connect(**_clear(w))),
    "asyncpg/url": _asyncpg,
    "asyncpg/arguments": _asyncpg,
    "pg8000": lambda w: _pg(pg8000.dbapi.connect(**_clear(w))),
    "sqlalchemy+psycopg": _toolkit(PG_ASKS, 0),
    "sqlalchemy+psycopg2": _toolkit(PG_ASKS, 0),
    "sqlalchemy+pg8000": _toolkit(PG_ASKS, 0),
    "sqlalchemy+asyncpg": _async_toolkit(PG_ASKS, 0),
}
MY_DRIVERS = {
    "pymysql": lambda w: _my(pymysql.connect(**_clear(w))),
    "aiomysql": _aiomysql,
    "mysql-connector-python": lambda w: _my(mysql.connector.connect(**_clear(w), use_pure=True)),
    "sqlalchemy+pymysql": _toolkit(MY_ASKS, 1),
    "sqlalchemy+mysqlconnector": _toolkit(MY_ASKS, 1),
    "sqlalchemy+aiomysql": _async_toolkit(MY_ASKS, 1),
    "sqlalchemy+asyncmy": _async_toolkit(MY_ASKS, 1),
    "asyncmy": _asyncmy,
}
REDIS_DRIVERS = {"redis-py/url": _redis, "redis-py/arguments": _redis}


def seen(connect, writing):
    """``tls``, ``plain``, ``refused`` for a connection that failed, ``broken`` for a text that the driver cannot use."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            return "tls" if connect(writing) else "plain"
        except asyncpg.ClientConfigurationError:  # a ValueError, and said where a file of authorities is missing
            return "refused"
        except (TypeError, AttributeError, sqlalchemy.exc.ArgumentError, ValueError) as error:
            told = f"broken: {type(error).__name__} {str(error)[:90]}"
            return "refused" if isinstance(error, ssl.SSLError) else told
        except Exception:  # each driver has an error of its own for a server that it does not want
            return "refused"
