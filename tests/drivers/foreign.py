"""Drivers of other languages, and those that are built with C libraries: each connects as its own program, see ``logins``."""

import atexit
import base64
import json
import os
import subprocess
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import pyodbc

from . import foreign_readers
from .tls import MY_ASKS, PG_ASKS, _my, _toolkit

HERE = Path(__file__).parent / "logins"
PROGRAMS = {"php": ["php", HERE / "login.php"], "perl": ["perl", HERE / "login.pl"], "ruby": ["ruby", HERE / "login.rb"],
            "javascript": ["node", HERE / "login.js"]}  # fmt: skip
COMPILED = {"java": (foreign_readers.java, "Login.java"), "go": (foreign_readers.go, "login.go")}
PG_COMPILED = {"pgjdbc", "pgx", "lib-pq"}
WHO = {True: "SELECT current_user, current_database()", False: "SELECT current_user(), database()"}
NO = {"", "f", "false", "0", None, False}


@cache
def _compiled(language):
    """A program that takes one log-in after another, for as long as the tests run."""
    build, source = COMPILED[language]
    folder = TemporaryDirectory(prefix="cordtally-")
    atexit.register(folder.cleanup)
    return subprocess.Popen(build(HERE / source, Path(folder.name)), stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)


def _served(driver, language, writing, ask):
    process = _compiled(language)
    words = [base64.b64encode(text.encode()).decode() for text in (writing.text.unmask(), ask or WHO[driver in PG_COMPILED])]
    process.stdin.write(f"{driver} {' '.join(words)}\n")
    process.stdin.flush()
    kind, *row = process.stdout.readline().rstrip("\n").split(" ")  # an empty word is a value, too
    row = [base64.b64decode(word).decode() for word in row]
    if kind != "row":
        raise ConnectionError(*row)
    return row


def log_in(driver, language, writing, ask=None):
    """Give the first row of what the driver's program printed.

    Raises
    ------
    ConnectionError
        With what it said, where it could not log in.
    """
    if language in COMPILED:
        return _served(driver, language, writing, ask)
    given = {"driver": driver, "text": writing.text.unmask(), "arguments": dict(writing.clear_arguments())} | ({"ask": ask} if ask else {})
    env = {**os.environ, "NODE_PATH": f"{os.environ.get('CORDTALLY_NODE')}/node_modules"}
    done = subprocess.run(PROGRAMS[language], input=json.dumps(given).encode(), capture_output=True, timeout=30, env=env, check=False)
    if done.returncode or not done.stdout.strip():
        raise ConnectionError((done.stderr + done.stdout).decode(errors="replace")[-300:])
    return json.loads(done.stdout)


def _other(driver, language, ask, column):
    def connect(writing):
        return log_in(driver, language, writing, ask)[column] not in NO

    connect.needs_judges, connect.program = True, language if language in COMPILED else PROGRAMS[language][0]
    return connect


def _odbc(ask, column):
    def connect(writing):
        connection = pyodbc.connect(writing.text.unmask(), timeout=10)
        try:
            return connection.execute(ask).fetchone()[column] not in NO
        finally:
            connection.close()

    connect.needs_judges = ask is MY_ASKS
    return connect


def _mysqlclient(writing):
    import MySQLdb

    return _my(MySQLdb.connect(**writing.clear_arguments()))


_mysqldb = _toolkit(MY_ASKS, 1)
_mysqlclient.needs_judges = _mysqldb.needs_judges = True
PG_DRIVERS = {
    "node-pg/url": _other("node-pg", "javascript", PG_ASKS, 0),
    "node-pg/arguments": _other("node-pg", "javascript", PG_ASKS, 0),
    "pdo-pgsql/arguments": _other("pdo-pgsql", "php", PG_ASKS, 0),
    "php-pgsql": _other("php-pgsql", "php", PG_ASKS, 0),
    "dbd-pg/arguments": _other("dbd-pg", "perl", PG_ASKS, 0),
    "ruby-pg/keyword": _other("ruby-pg", "ruby", PG_ASKS, 0),
    "ruby-pg/url": _other("ruby-pg", "ruby", PG_ASKS, 0),
    "activerecord+pg": _other("activerecord", "ruby", PG_ASKS, 0),
    "pgjdbc": _other("pgjdbc", "java", PG_ASKS, 0),
    "pgx/url": _other("pgx", "go", PG_ASKS, 0),
    "pgx/keyword": _other("pgx", "go", PG_ASKS, 0),
    "lib-pq/url": _other("lib-pq", "go", PG_ASKS, 0),
    "lib-pq/keyword": _other("lib-pq", "go", PG_ASKS, 0),
    "psqlodbc": _odbc(PG_ASKS, 0),
}
MY_DRIVERS = {
    "mysqlclient": _mysqlclient,
    "sqlalchemy+mysqldb": _mysqldb,
    "mariadb-java": _other("mariadb-java", "java", MY_ASKS, 1),
    "go-mysql": _other("go-mysql", "go", MY_ASKS, 1),
    "mysql2/url": _other("mysql2", "javascript", MY_ASKS, 1),
    "mysql2/arguments": _other("mysql2", "javascript", MY_ASKS, 1),
    "node-mariadb/url": _other("node-mariadb", "javascript", MY_ASKS, 1),
    "node-mariadb/arguments": _other("node-mariadb", "javascript", MY_ASKS, 1),
    "pdo-mysql/arguments": _other("pdo-mysql", "php", MY_ASKS, 1),
    "mysqli": _other("mysqli", "php", MY_ASKS, 1),
    "dbd-mysql/arguments": _other("dbd-mysql", "perl", MY_ASKS, 1),
    "dbd-mariadb/arguments": _other("dbd-mariadb", "perl", MY_ASKS, 1),
    "ruby-mysql2": _other("ruby-mysql2", "ruby", MY_ASKS, 1),
    "activerecord+mysql2": _other("activerecord", "ruby", MY_ASKS, 1),
    "mariadb-odbc": _odbc(MY_ASKS, 1),
}
REDIS_DRIVERS = {
    "ioredis/url": _other("ioredis", "javascript", "tls", 0),
    "ioredis/arguments": _other("ioredis", "javascript", "tls", 0),
    "phpredis": _other("phpredis", "php", "tls", 0),
}
