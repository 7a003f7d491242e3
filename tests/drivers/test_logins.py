"""Drivers of five languages log in to real servers with strings that were converted from one another."""

import os

import psycopg
import pymysql
import pytest
import redis
from psycopg import sql

import cordtally as ct
from cordtally.model import Cord, Host, Secret

from ..servers import ADMIN_PASSWORD
from . import foreign

pytestmark = [pytest.mark.skipif(os.environ.get("CORDTALLY_JUDGES") != "1", reason="run by scripts/test-drivers"), pytest.mark.servers]
PASSWORDS = ["fog-1", "a;b}c{d", "p@ss:w/rd?#&=%41+ x", "'\"\\'", "naïve é😀", "{x}", " a ", "$x`y", "#!~^|<>,."]
PG_USER, PG_DATABASE = "ke'e@p:er/ü 1", "ti/de?s #1%+&"
MY_USERS, MY_DATABASE = ("ke'e@p:er/ 1", "kee/ü 1"), "ti/de?s #1%+&"
PG = ["libpq/url", "libpq/keyword", "pdo-pgsql/arguments", "php-pgsql", "dbd-pg/arguments", "ruby-pg/keyword", "node-pg", "pgjdbc",
      "pgx/url", "pgx/keyword", "lib-pq/url", "lib-pq/keyword"]  # fmt: skip
MY = ["pymysql", "pdo-mysql/arguments", "mysqli", "dbd-mariadb/arguments", "dbd-mysql/arguments", "ruby-mysql2", "mysql2/url",
      "node-mariadb/url", "mariadb-java", "go-mysql"]  # fmt: skip


def log_in(target, writing):
    driver = target.partition("/")[0]
    try:
        return foreign.log_in(driver, ct.catalog.load_driver(driver).language, writing)
    except ConnectionError as error:
        return str(error)


def chain(cord, targets, meant):
    """Convert from each target to the next, and log in with all that another language reads; give what failed.

    A part that the ledger says is lost is not asked for: the next conversion begins at the first target again.
    """
    failed, first = [], ct.write(cord, targets[0])
    writing = first
    for target in targets[1:]:
        writing = ct.convert(writing.text, to=target, driver=writing.target)
        if any(line.part in {"user", "password", "database", "host"} for line in writing.ledger.losses):
            writing = first
        elif ct.catalog.load_driver(target.partition("/")[0]).language in {*foreign.PROGRAMS, *foreign.COMPILED}:
            found = log_in(target, writing)
            failed += [] if found == meant else [(target, cord.password.unmask(), found)]
    return failed


def test_postgresql(postgresql):
    failed = []
    with psycopg.connect(host="127.0.0.1", port=postgresql.port, user="harbour_master", password=ADMIN_PASSWORD, dbname="postgres", autocommit=True) as master:
        for database in ("tides", PG_DATABASE):
            user = f"{PG_USER} of {database}"[:60]
            master.execute(sql.SQL("CREATE ROLE {} LOGIN").format(sql.Identifier(user)))
            master.execute(sql.SQL("CREATE DATABASE {} OWNER {}").format(sql.Identifier(database), sql.Identifier(user)))
            for password in PASSWORDS:
                master.execute(sql.SQL("ALTER ROLE {} PASSWORD {}").format(sql.Identifier(user), sql.Literal(password)))
                cord = Cord("postgresql", (Host("127.0.0.1", postgresql.port),), database, user, Secret(password))
                failed += chain(cord, PG, [user, database])
    assert failed == []


def test_mariadb(mariadb):
    failed = []
    with pymysql.connect(host="127.0.0.1", port=mariadb.port, user="harbour_master", password=ADMIN_PASSWORD.encode(), charset="utf8mb4") as master, master.cursor() as cursor:
        for user, database in zip(MY_USERS, (MY_DATABASE, "berths")):
            cursor.execute(f"CREATE DATABASE `{database}`")
            cursor.execute("CREATE USER %s@'%%'", (user,))
            cursor.execute(f"GRANT ALL ON `{database}`.* TO %s@'%%'".replace(database, database.replace("%", "%%")), (user,))
            for password in PASSWORDS:
                cursor.execute("ALTER USER %s@'%%' IDENTIFIED BY %s", (user, password))
                cord = Cord("mariadb", (Host("127.0.0.1", mariadb.port),), database, user, Secret(password))
                failed += chain(cord, MY, [f"{user}@%", database])
    assert failed == []


def test_redis(redis_server):
    failed = []
    for password in PASSWORDS:
        user = "kee@p:er/ü1"
        with redis.Redis(host="127.0.0.1", port=redis_server.port, password=ADMIN_PASSWORD) as master:
            master.acl_setuser(user, enabled=True, reset=True, passwords=[f"+{password}"], categories=["+@all"], keys=["*"])
        cord = Cord("redis", (Host("127.0.0.1", redis_server.port),), "3", user, Secret(password))
        with redis.Redis.from_url(ct.write(cord, "redis-py").text.unmask()) as client:
            assert (client.acl_whoami(), client.client_info()["db"]) == (user, 3)
        failed += chain(cord, ["redis-py/url", "ioredis/url", "phpredis/arguments"], [user, "3"])
    assert failed == []
