"""Drivers of other languages, and those that are built with C libraries: each connects as its own program, see ``logins``."""

import json
import os
import subprocess
from pathlib import Path

import pyodbc

from .tls import MY_ASKS, PG_ASKS, _my

HERE = Path(__file__).parent / "logins"
PROGRAMS = {"php": ["php", HERE / "login.php"], "perl": ["perl", HERE / "login.pl"], "ruby": ["ruby", HERE / "login.rb"],
            "javascript": ["node", HERE / "login.js"]}  # fmt: skip
NO = {"", "f", "0", None, False}


def log_in(driver, language, writing, ask=None):
    """Give the first row of what the driver's program printed.

    Raises
    ------
    ConnectionError
        With what it said, where it could not log in.
    """
    given = {"driver": driver, "text": writing.text.unmask(), "arguments": dict(writing.clear_arguments())} | ({"ask": ask} if ask else {})
    env = {**os.environ, "NODE_PATH": f"{os.environ.get('CORDTALLY_NODE')}/node_modules"}
    done = subprocess.run(PROGRAMS[language], input=json.dumps(given).encode(), capture_output=True, timeout=30, env=env, check=False)
    if done.returncode or not done.stdout.strip():
        raise ConnectionError((done.stderr + done.stdout).decode(errors="replace")[-300:])
    return json.loads(done.stdout)


def _other(driver, language, ask, column):
    def connect(writing):
        return log_in(driver, language, writing, ask)[column] not in NO

    connect.needs_judges, connect.program = True, PROGRAMS[language][0]
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


_mysqlclient.needs_judges = True
PG_DRIVERS = {
    "node-pg/url": _other("node-pg", "javascript", PG_ASKS, 0),
    "node-pg/arguments": _other("node-pg", "javascript", PG_ASKS, 0),
    "pdo-pgsql/arguments": _other("pdo-pgsql", "php", PG_ASKS, 0),
    "php-pgsql": _other("php-pgsql", "php", PG_ASKS, 0),
    "dbd-pg/arguments": _other("dbd-pg", "perl", PG_ASKS, 0),
    "ruby-pg/keyword": _other("ruby-pg", "ruby", PG_ASKS, 0),
    "psqlodbc": _odbc(PG_ASKS, 0),
}
MY_DRIVERS = {
    "mysqlclient": _mysqlclient,
    "mysql2/url": _other("mysql2", "javascript", MY_ASKS, 1),
    "mysql2/arguments": _other("mysql2", "javascript", MY_ASKS, 1),
    "node-mariadb/url": _other("node-mariadb", "javascript", MY_ASKS, 1),
    "node-mariadb/arguments": _other("node-mariadb", "javascript", MY_ASKS, 1),
    "pdo-mysql/arguments": _other("pdo-mysql", "php", MY_ASKS, 1),
    "mysqli": _other("mysqli", "php", MY_ASKS, 1),
    "dbd-mysql/arguments": _other("dbd-mysql", "perl", MY_ASKS, 1),
    "dbd-mariadb/arguments": _other("dbd-mariadb", "perl", MY_ASKS, 1),
    "ruby-mysql2": _other("ruby-mysql2", "ruby", MY_ASKS, 1),
    "mariadb-odbc": _odbc(MY_ASKS, 1),
}
