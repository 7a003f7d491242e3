"""The law against the real thing: strings written for real drivers log in to real servers, whatever the password holds."""

import asyncio
import gc
import string
import warnings

import aiomysql
import asyncpg
import mysql.connector
import pg8000.dbapi
import psycopg
import pymysql
import pyodbc
import pytest
import sqlalchemy
from psycopg import sql

import cordtally as ct
from cordtally.model import Cord, Host, Secret, Tls, TlsLevel

from ..servers import ADMIN_PASSWORD

pytestmark = pytest.mark.servers
PASSWORDS = [f"{c}x{c}{c}y" for c in string.printable[:95]]
PASSWORDS += [string.printable[:95], " lead and trail ", "a  b", "'\"'\"", "é", "naïve é", "fog 😀 horn", "a;b}c{d", "}}", "{x}", "%41%", "\\'"]
USER, DATABASE = "ke'e@p:er/ü 1", "ti/de?s #1%+&"


def cord_for(server, password, **changes):
    made = Cord("postgresql", (Host("127.0.0.1", server.port),), DATABASE, USER, Secret(password), tls=Tls(TlsLevel.ENCRYPTED))
    return made.copy_with(**changes)


def log_in_libpq(cord, target):
    with psycopg.connect(ct.write(cord, target).text.unmask()) as connection:
        return connection.execute("SELECT current_user, current_database()").fetchone()


def log_in_psycopg(cord):
    with psycopg.connect(**cord.arguments("psycopg")) as connection:
        return connection.execute("SELECT current_user, current_database()").fetchone()


def log_in_toolkit(cord, target):
    engine = sqlalchemy.create_engine(ct.write(cord, target).text.unmask(), poolclass=sqlalchemy.NullPool)
    with engine.connect() as connection:
        return tuple(connection.execute(sqlalchemy.text("SELECT current_user, current_database()")).one())


def log_in_odbc(cord):
    connection = pyodbc.connect(ct.write(cord, "psqlodbc").text.unmask(), timeout=10)
    try:
        return tuple(connection.execute("SELECT current_user, current_database()").fetchone())
    finally:
        connection.close()


def finished(coroutine):
    """Run it; a driver that was refused may leave its socket to be collected, which must not be told of in another test."""
    try:
        return asyncio.run(coroutine)
    finally:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", ResourceWarning)
            gc.collect()


def log_in_asyncpg(cord, target):
    async def ask():
        if target == "asyncpg/url":
            connection = await asyncpg.connect(ct.write(cord, target).text.unmask())
        else:
            connection = await asyncpg.connect(**cord.arguments("asyncpg"))
        try:
            return tuple(await connection.fetchrow("SELECT current_user, current_database()"))
        finally:
            await connection.close()

    return finished(ask())


def log_in_pg8000(cord):
    connection = pg8000.dbapi.connect(**cord.arguments("pg8000"))
    try:
        cursor = connection.cursor()
        cursor.execute("SELECT current_user, current_database()")
        return tuple(cursor.fetchone())
    finally:
        connection.close()


def log_in_pymysql(cord):
    with pymysql.connect(**cord.arguments("pymysql")) as connection, connection.cursor() as cursor:
        cursor.execute("SELECT database()")
        return cursor.fetchone()[0]


def log_in_aiomysql(cord):
    async def ask():
        connection = await aiomysql.connect(**cord.arguments("aiomysql"))
        async with connection.cursor() as cursor:
            await cursor.execute("SELECT database()")
            found = (await cursor.fetchone())[0]
        connection.close()
        return found

    return finished(ask())


def log_in_connector(cord):
    arguments = cord.copy_with(tls=Tls(TlsLevel.OPPORTUNISTIC)).arguments("mysql-connector-python")
    connection = mysql.connector.connect(**arguments, use_pure=True)
    try:
        cursor = connection.cursor()
        cursor.execute("SELECT database()")
        return cursor.fetchone()[0]
    finally:
        connection.close()


@pytest.fixture(scope="module")
def administrator(postgresql):
    with psycopg.connect(host="127.0.0.1", port=postgresql.port, user="harbour_master", password=ADMIN_PASSWORD,
                         dbname="postgres", autocommit=True) as connection:
        connection.execute(sql.SQL("CREATE ROLE {} LOGIN").format(sql.Identifier(USER)))
        connection.execute(sql.SQL("CREATE DATABASE {} OWNER {}").format(sql.Identifier(DATABASE), sql.Identifier(USER)))
        yield connection


def test_postgresql_accepts_every_password(administrator, postgresql):
    """One test over all passwords, so that a failure lists every one that was refused, by driver."""
    refused = []
    for password in PASSWORDS:
        administrator.execute(sql.SQL("ALTER ROLE {} PASSWORD {}").format(sql.Identifier(USER), sql.Literal(password)))
        cord = cord_for(postgresql, password)
        ways = {
            "libpq/url": lambda c: log_in_libpq(c, "libpq/url"),
            "libpq/keyword": lambda c: log_in_libpq(c, "libpq/keyword"),
            "psycopg/arguments": log_in_psycopg,
            "sqlalchemy+psycopg2": lambda c: log_in_toolkit(c, "sqlalchemy+psycopg2"),
            "psqlodbc": log_in_odbc,
            "asyncpg/url": lambda c: log_in_asyncpg(c, "asyncpg/url"),
            "asyncpg/arguments": lambda c: log_in_asyncpg(c, "asyncpg/arguments"),
            "pg8000": log_in_pg8000,
        }
        for name, way in ways.items():
            line = ct.write(cord, name.partition("/")[0]).ledger.line("password")
            if line.outcome is ct.Outcome.APPROXIMATED:
                assert (name, password.isascii()) == ("pg8000", False)
                continue
            try:
                assert way(cord) == (USER, DATABASE)
            except Exception as error:
                refused.append((name, password, type(error).__name__))
    assert refused == []


def test_mariadb_accepts_every_password(mariadb):
    refused = []
    arguments = {"host": "127.0.0.1", "port": mariadb.port, "user": "harbour_master", "password": ADMIN_PASSWORD, "charset": "utf8mb4"}
    with pymysql.connect(**arguments) as administrator, administrator.cursor() as cursor:
        cursor.execute("CREATE DATABASE `ti/de?s #1`")
        cursor.execute("CREATE USER %s@'%%'", (USER,))
        cursor.execute("GRANT ALL ON `ti/de?s #1`.* TO %s@'%%'", (USER,))
        for password in PASSWORDS:
            cursor.execute("ALTER USER %s@'%%' IDENTIFIED BY %s", (USER, password))
            cord = cord_for(mariadb, password, engine="mariadb", database="ti/de?s #1")
            for name, way in {"pymysql": log_in_pymysql, "aiomysql": log_in_aiomysql, "connector": log_in_connector}.items():
                if name == "aiomysql" and not password.isascii():
                    assert ct.write(cord, "aiomysql").ledger.line("password").outcome is ct.Outcome.APPROXIMATED
                    continue
                try:
                    assert way(cord) == "ti/de?s #1"
                except (pymysql.Error, mysql.connector.Error) as error:
                    refused.append((name, password, error.args[0]))
            writing = ct.write(cord, "sqlalchemy+pymysql")
            if not password.isascii():
                assert writing.ledger.line("password").outcome is ct.Outcome.APPROXIMATED
                continue
            engine = sqlalchemy.create_engine(writing.text.unmask(), poolclass=sqlalchemy.NullPool)
            try:
                with engine.connect() as connection:
                    assert connection.execute(sqlalchemy.text("SELECT database()")).scalar() == "ti/de?s #1"
            except sqlalchemy.exc.SQLAlchemyError as error:
                refused.append(("sqlalchemy+pymysql", password, str(error)[:60]))
    assert refused == []
