"""Files and variables are targets like all others: the real client reads what was written, and logs in."""

import os
import shutil
import subprocess
import sys

import psycopg
import pymysql
import pytest
from psycopg import sql

import cordtally as ct
from cordtally.model import Cord, Host, Secret, Tls, TlsLevel

from ..servers import ADMIN_PASSWORD

pytestmark = pytest.mark.servers
PASSWORDS = ["fog-1", "a;b}c{d", "p@ss:w/rd?#&=%41+ x", "'\"\\'", "a\\\"b", "it's \"q\"", "#!~^|<>,.", " lead and trail ", "\\s\\n", "{x}", "$x`y", "a # b"]
ASK = "import psycopg;print(*psycopg.connect(%s).execute('SELECT current_user, current_database()').fetchone(), sep='|')"
ODBC = "import pyodbc;print(*pyodbc.connect('DSN=greywick').execute('SELECT current_user, current_database()').fetchone(), sep='|')"


def run(command, **environ):
    done = subprocess.run(command, capture_output=True, text=True, check=False, env={**os.environ, **environ})
    return done.stdout.strip() or done.stderr[-300:]


@pytest.mark.parametrize("target", ["libpq/service-file", "libpq/environment", "psqlodbc/data-source"])
def test_postgresql(target, postgresql, tmp_path):
    failed = []
    with psycopg.connect(host="127.0.0.1", port=postgresql.port, user="harbour_master", password=ADMIN_PASSWORD, dbname="postgres", autocommit=True) as master:
        user = f"keeper of {target}"
        master.execute(sql.SQL("CREATE ROLE {} LOGIN").format(sql.Identifier(user)))
        for password in PASSWORDS:
            master.execute(sql.SQL("ALTER ROLE {} PASSWORD {}").format(sql.Identifier(user), sql.Literal(password)))
            cord = Cord("postgresql", (Host("127.0.0.1", postgresql.port),), "postgres", user, Secret(password), tls=Tls(TlsLevel.ENCRYPTED))
            writing = ct.write(cord, target)
            if writing.ledger.losses:
                continue
            (tmp_path / "file").write_text(writing.text.unmask())
            python = sys.executable, "-c"
            ways = {"libpq/service-file": ([*python, ASK % "'service=greywick'"], {"PGSERVICEFILE": str(tmp_path / "file")}),
                    "psqlodbc/data-source": ([*python, ODBC], {"ODBCINI": str(tmp_path / "file")}),
                    "libpq/environment": (["sh", "-c", f'set -a; . "$0"; exec {sys.executable} -c "$1"', str(tmp_path / "file"), ASK % "''"], {})}  # fmt: skip
            command, environ = ways[target]
            found = run(command, **environ)
            failed += [] if found == f"{user}|postgres" else [(password, found)]
    assert failed == []


def test_the_programs_of_mariadb_read_their_option_file(mariadb, tmp_path):
    program, admin = shutil.which("mariadb"), shutil.which("mariadb-admin")
    if program is None or admin is None:
        pytest.skip("mariadb-client is not installed")
    failed = []
    with pymysql.connect(host="127.0.0.1", port=mariadb.port, user="harbour_master", password=ADMIN_PASSWORD, charset="utf8mb4") as master, master.cursor() as cursor:
        cursor.execute("CREATE USER filer@'%%'", ())
        cursor.execute("GRANT ALL ON mysql.* TO filer@'%%'", ())
        for password in PASSWORDS:
            cursor.execute("ALTER USER filer@'%%' IDENTIFIED BY %s", (password,))
            cord = Cord("mariadb", (Host("127.0.0.1", mariadb.port),), "mysql", "filer", Secret(password), tls=Tls(TlsLevel.OPPORTUNISTIC, mariadb.ca))
            writing = ct.write(cord, "mysql-client/option-file")
            (tmp_path / "my.cnf").write_text(writing.text.unmask())
            back = ct.read(writing.text, driver="mysql-client/option-file").cord
            asked = run([program, f"--defaults-file={tmp_path}/my.cnf", "-N", "-e", "SELECT current_user(), database(), variable_value <> '' FROM information_schema.session_status WHERE variable_name = 'Ssl_version'"])
            alive = run([admin, f"--defaults-file={tmp_path}/my.cnf", "ping"])
            if (asked, alive, back.password, back.database) != ("filer@%\tmysql\t1", "mysqld is alive", Secret(password), "mysql"):
                failed.append((password, asked, alive, writing.ledger.losses, str(writing.text)))
    assert failed == []
