"""Python's drivers as readers: each takes a text and gives what it made of it, or None where it refuses the text.

What it gives: ``user``, ``password``, ``database``, ``hosts`` where the driver says them, and ``options`` by the
driver's names; with ``complete`` those are all that it has read. Nothing is connected to.
"""

import asyncio
import inspect
import os
import warnings
from contextlib import suppress

import oracledb
import psycopg
import psycopg2.extensions
import pymongo
import redis
import sqlalchemy
from clickhouse_driver import Client
from clickhouse_driver.util.helpers import parse_url as clickhouse_url
from psycopg.conninfo import conninfo_to_dict, make_conninfo
from pymongo.uri_parser import parse_uri
from redis.connection import parse_url as redis_url

import cordtally as ct


def said(**parts):
    return {name: value for name, value in parts.items() if value not in (None, "", ())}


def _pairs(hosts, ports):
    """Hosts and ports as libpq lines them up: one port is for all hosts."""
    hosts, ports = (hosts or "").split(","), (ports or "").split(",")
    if hosts == [""] and ports == [""]:
        return ()
    if len(hosts) != len(ports):
        ports = ports * len(hosts) if len(ports) == 1 else ports
    return tuple((h, int(p) if p.strip() else 5432) for h, p in zip(hosts, ports, strict=True))


def libpq(text, split=conninfo_to_dict):
    found = split(text)
    # libpq looks at values when it connects: to this machine, in place of each host
    count = len((found.get("hostaddr") or found.get("host") or "").split(","))
    asked = {k: v for k, v in found.items() if k not in {"hostaddr", "passfile", "sslcert", "sslkey", "service"}}
    asked["host"] = found.get("host") or ",".join("h" * count)
    made = psycopg.pq.PGconn.connect_start(make_conninfo(hostaddr=",".join(["127.0.0.1"] * count), **asked).encode())
    message = made.error_message.decode(errors="replace")
    refused = "connection to server" not in message or "invalid port" in message or "invalid integer" in message
    int(found.get("connect_timeout", 0))  # which it reads only while it waits
    if made.status == psycopg.pq.ConnStatus.BAD and refused and "credential cache" not in message:
        raise psycopg.OperationalError(message)
    parts = {"user": found.pop("user", ""), "password": found.pop("password", ""), "database": found.pop("dbname", "")}
    return said(**parts, hosts=_pairs(found.pop("host", None), found.pop("port", None))) | {"options": found, "complete": True}


def libpq_of_psycopg2(text):
    return libpq(text, psycopg2.extensions.parse_dsn)


def asyncpg(text):
    from asyncpg import connect_utils

    names = inspect.signature(connect_utils._parse_connect_dsn_and_args).parameters
    given = dict.fromkeys(names) | {"dsn": text}
    addresses, found = connect_utils._parse_connect_dsn_and_args(**given)
    # a socket is the file in its folder; the rest is what asyncpg takes where nothing is said
    hosts = tuple((a.rpartition("/.s.PGSQL")[0], None) if isinstance(a, str) else a for a in addresses)
    options = dict(found.server_settings or {})
    return said(user=found.user, password=found.password, database=found.database, hosts=hosts) | {"options": options, "fills in": True}


def pymongo_url(text):
    pymongo.MongoClient(text, connect=False).close()
    found = parse_uri(text, warn=True)
    hosts = tuple((h, p or 27017) for h, p in found["nodelist"])
    options = {name: round(value * 1000, 3) if name.lower().endswith("ms") and name.lower() not in {"wtimeoutms", "localthresholdms"} and isinstance(value, int | float) else value for name, value in found["options"].items()}
    return said(user=found["username"], password=found["password"], database=found["database"], hosts=hosts) | {"options": options}


def redis_py(text):
    redis.Redis.from_url(text).connection_pool.make_connection()
    found = redis_url(text)
    secure = found.pop("connection_class", None) is redis.SSLConnection
    host, path, port = found.pop("host", ""), found.pop("path", ""), found.pop("port", None)
    hosts = ((path or host, port or 6379),) if path or host or port else ()
    parts = said(user=found.pop("username", ""), password=found.pop("password", ""), database=str(found.pop("db", "") or ""), hosts=hosts)
    return parts | {"options": found, "secure": secure, "complete": True}


def clickhouse(text):
    Client.from_url(text)
    host, found = clickhouse_url(text)
    port = found.pop("port", None)
    hosts = ((host or "", port or None),) if host or port else ()
    parts = said(user=found.pop("user", ""), password=found.pop("password", ""), database=found.pop("database", ""), hosts=hosts)
    settings = found.pop("settings", {})
    return parts | {"options": found | settings}


def oracle(text):
    found = oracledb.ConnectParams()
    found.parse_connect_string(text)
    each = (lambda v: v) if isinstance(found.host, list) else (lambda v: [v])
    hosts = tuple(zip(each(found.host), each(found.port), strict=True))
    return said(database=found.service_name or found.sid, hosts=hosts) | {"options": {}}


DIALECTS = {
    "sqlalchemy+psycopg": ("psycopg/arguments", "postgresql+psycopg"),
    "sqlalchemy+psycopg2": ("psycopg2/arguments", "postgresql+psycopg2"),
    "sqlalchemy+asyncpg": ("asyncpg/arguments", "postgresql+asyncpg"),
    "sqlalchemy+pg8000": ("pg8000/arguments", "postgresql+pg8000"),
    "sqlalchemy+pymysql": ("pymysql/arguments", "mysql+pymysql"),
    "sqlalchemy+mysqldb": ("mysqlclient/arguments", "mysql+mysqldb"),
    "sqlalchemy+aiomysql": ("aiomysql/arguments", "mysql+aiomysql"),
    "sqlalchemy+asyncmy": ("asyncmy/arguments", "mysql+asyncmy"),
    "sqlalchemy+mysqlconnector": ("mysql-connector-python/arguments", "mysql+mysqlconnector"),
    "sqlalchemy+oracledb": ("oracledb/dsn-arguments", "oracle+oracledb"),
    "sqlalchemy+sqlite3": ("sqlite3/arguments", "sqlite+pysqlite"),
}


def dialect(driver):
    """What a dialect of SQLAlchemy hands to its driver, and what we read in those arguments."""
    target, name = DIALECTS[driver]

    def read(text):
        url = sqlalchemy.make_url(text)
        if lists := [key for key, value in url.query.items() if isinstance(value, tuple) and key not in {"host", "port"}]:
            raise TypeError(f"a list is handed on as {lists[0]}")
        kind = url.get_dialect()
        made = kind()
        with suppress(ImportError):
            made.dbapi = kind.import_dbapi()
        positional, given = made.create_connect_args(url)
        database = url.database or ""
        _taken(name, positional, given)
        given = dict(given)
        given.pop("factory", None)
        # any text is a yes to these
        given |= {key: bool(value) for key, value in given.items() if key in ANY_TEXT and isinstance(value, str)}
        if name == "mysql+asyncmy" and "database" in given:
            given.pop("db", None)  # where both are given
        if name == "sqlite+pysqlite":
            given["database"] = "" if not database else os.path.relpath(positional[0]) if not database.startswith("/") else positional[0]
        return {"cord": ct.read(given, driver=target).cord}

    return read


ANY_TEXT = {"ssl_disabled", "ssl_verify_cert", "ssl_verify_identity"}
CLOSED = {"host": "127.0.0.1", "port": 1}
"""Nobody listens there, so that a driver that has taken all arguments says so by failing to connect."""


def _try(connect, given, **rest):
    here = {name: value for name, value in given.items() if name not in {"host", "port", "unix_socket", "unix_sock", "read_default_file"}}
    # numbers must still be some; the addresses themselves are compared elsewhere
    for name in ("port",):
        if name in given:
            int(given[name])
    try:
        made = connect(**here, **CLOSED, **rest)
        if asyncio.iscoroutine(made) or hasattr(made, "__await__"):
            asyncio.run(_awaited(made))
    except (TypeError, ValueError, AttributeError, LookupError):
        raise
    except Exception as problem:
        if any(said in str(problem) for said in ("nsupported argument", "nsupported value", "must be", "invalid option", "not valid", "nknown")):
            raise


async def _awaited(made):
    await made


def _taken(name, positional, given):
    """Whether the driver's own function takes these arguments."""
    import aiomysql
    import asyncmy
    import asyncpg as asyncpg_driver
    import mysql.connector
    import pg8000.dbapi
    import pymysql

    match name:
        case "postgresql+psycopg" | "postgresql+psycopg2":
            libpq(make_conninfo(**given))
        case "postgresql+pg8000":
            _try(pg8000.dbapi.connect, given)
        case "postgresql+asyncpg":
            own = {k: v for k, v in given.items() if not k.startswith("prepared_statement") and k != "async_fallback"}
            _try(asyncpg_driver.connect, own)
        case "mysql+pymysql":
            _try(pymysql.connect, given)
        case "mysql+mysqldb":
            _try(__import__("MySQLdb").connect, given)
        case "mysql+mysqlconnector":
            _try(mysql.connector.connect, given)
        case "oracle+oracledb":
            oracledb.ConnectParams(**{k: v for k, v in given.items() if k != "dsn"})
        case "mysql+aiomysql":
            _try(aiomysql.connect, given)
        case "mysql+asyncmy":
            _try(asyncmy.connect, given)


READERS = {
    "libpq/url": libpq, "libpq/keyword": libpq, "psycopg2/url": libpq_of_psycopg2, "psycopg2/keyword": libpq_of_psycopg2,
    "asyncpg/url": asyncpg, "pymongo/url": pymongo_url, "redis-py/url": redis_py, "clickhouse-driver/url": clickhouse,
    **{name: dialect(name) for name in DIALECTS},
}  # fmt: skip


def quiet(read, text):
    """Call a reader; None where it refuses, and ``undecided`` where it only misses a file."""
    with warnings.catch_warnings(action="ignore"):
        try:
            return read(text)
        except OSError as problem:
            return "undecided" if problem.filename or "file" in str(problem) else None
        except Exception as problem:
            return "undecided" if "file" in str(problem) and "not" in str(problem) else None
