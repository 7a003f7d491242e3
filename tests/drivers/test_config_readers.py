"""Edits of config files, judged by the frameworks' own readers: Java, .NET, Ruby, PHP, JavaScript, systemd."""

import ctypes
import functools
import glob
import os
import shutil
import subprocess
from base64 import b64decode
from pathlib import Path

import pytest

import cordtally as ct
from cordtally.config import amend, declared_as

from ..config.test_consumers import VALUES

HERE = Path(__file__).parent / "config_readers"
NODE = os.environ.get("CORDTALLY_NODE", "")
pytestmark = pytest.mark.skipif(os.environ.get("CORDTALLY_JUDGES") != "1", reason="run by scripts/test-drivers")


@functools.cache
def process(kind):
    made = Path("/tmp") / f"cordtally-reader-{os.getpid()}"
    made.mkdir(exist_ok=True)
    if kind == "mono":
        subprocess.run(["mcs", "-r:System.Configuration", f"-out:{made}/reader.exe", HERE / "Reader.cs"], check=True, capture_output=True)
    commands = {
        "java": ["java", "-Dfile.encoding=UTF-8", "-cp", "/usr/share/java/*:/usr/share/tomcat10/lib/*", str(HERE / "Readers.java")],
        "mono": ["mono", f"{made}/reader.exe"],
        "ruby": ["ruby", str(HERE / "reader.rb")],
        "php": ["php", str(HERE / "readers.php")],
        "node": ["node", str(HERE / "readers.js")],
    }
    environ = {**os.environ, "NODE_PATH": f"{NODE}/node_modules", "LC_ALL": "C.UTF-8"}
    return subprocess.Popen(commands[kind], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, encoding="utf-8", env=environ)


def asked(language, kind, path):
    """What a reader of that language says of a file; a copy of its own, since some keep what they have read."""
    asked.count += 1
    copy = path.with_name(f"{asked.count}") / path.name
    copy.parent.mkdir()
    shutil.copy(path, copy)
    running = process(language)
    running.stdin.write(f"{kind}\t{copy}\n")
    running.stdin.flush()
    line = running.stdout.readline().strip()
    assert not line.startswith("error"), line
    return {b64decode(name).decode(): b64decode(value).decode() for name, _, value in (pair.partition(":") for pair in line.split())}


asked.count = 0


def environment_file(path):
    """libsystemd's own reader of EnvironmentFile= (load_env_file)."""
    (library,) = glob.glob("/usr/lib/*/systemd/libsystemd-shared-*.so")[:1] or pytest.skip("libsystemd-shared is not there")
    loaded, found = ctypes.CDLL(library), ctypes.POINTER(ctypes.c_char_p)()
    assert loaded.load_env_file(None, str(path).encode(), ctypes.byref(found)) >= 0
    lines = []
    while found and found[len(lines)] is not None:
        lines.append(found[len(lines)].decode("utf-8"))
    return dict(line.split("=", 1) for line in lines)


URL = "jdbc:postgresql://gauge.greywick.example:5433/tides?ssl=true&a=b"
# language, kind, file, its text, the connection, names that the reader gives the parts (text among them), how the file is read
CASES = {
    "java.util.Properties": ("java", "properties", "application.properties", f"# \xe9\nz\\ z=1\nspring.datasource.url={URL.replace(':', chr(92) + ':')}\nspring.datasource.username=old\nspring.datasource.password : old\nx=\\\n  y\n", "datasource",
                             {"text": "spring.datasource.url", "user": "spring.datasource.username", "password": "spring.datasource.password"}),
    "SnakeYAML": ("java", "yaml", "application.yml", f"# é\nspring:\n  datasource:\n    url: \"{URL}\" # behind\n    username: old\n    password: 'old'\n  z: [1, no]\n", "datasource", {"text": "spring.datasource.url", "user": "spring.datasource.username", "password": "spring.datasource.password"}),
    "Tomcat": ("java", "tomcat", "context.xml", f"<?xml version='1.0'?>\n<Context>\n <!-- é -->\n <Resource name='jdbc/tides' auth=\"C&amp;é\" url='{URL.replace('&', '&amp;')}'\n  username=\"old\" password='old'/>\n</Context>\n", "jdbc/tides", {"text": "url", "user": "username", "password": "password"}),
    "Hibernate": ("java", "hibernate", "hibernate.cfg.xml", "<!DOCTYPE hibernate-configuration PUBLIC \"-//Hibernate/Hibernate Configuration DTD 3.0//EN\" \"http://www.hibernate.org/dtd/hibernate-configuration-3.0.dtd\">\n" + f"<hibernate-configuration><session-factory>\n<property name='hibernate.connection.url'>{URL.replace('&', '&amp;')}</property>\n<property name='hibernate.connection.username'>old</property>\n<property name=\"hibernate.connection.password\"><![CDATA[old]]></property>\n<property name='hibernate.connection.driver_class'>é</property></session-factory></hibernate-configuration>\n",
                  "default", {"text": "url", "user": "username", "password": "password"}),
    "System.Configuration": ("mono", "", "web.config", "<?xml version='1.0'?>\n<configuration>\n <connectionStrings>\n  <add name=\"Other\" connectionString='x=\"é&amp;\"'/>\n  <add name=\"Tides\" connectionString=\"Data Source=desk;Initial Catalog=old;User ID=old;Password=&quot;old;&quot;\"/>\n </connectionStrings>\n</configuration>\n", "Tides", {"text": "Tides"}),
    "Rails": ("ruby", "", "database.yml", "# é\ndefault: &default\n  adapter: postgresql\n  encoding: é\nproduction:\n  <<: *default\n  host: gauge # behind\n  port: 5433\n  database: old\n  username: \"old\"\n  password: 'old'\n  pool: 7\n", "primary@production", {"host": "host", "user": "username", "password": "password", "database": "database", "port": "port"}),
    "Laravel": ("php", "laravel", "database.php", "<?php // é\nreturn ['connections' => ['tides' => ['driver' => 'pgsql', 'host' => \"gauge\", 'port' => 5433,\n 'database' => 'old', 'username' => \"old\", 'password' => 'old', 'prefix' => \"é\"]]];\n", "tides", {"host": "host", "user": "username", "password": "password", "database": "database", "port": "port"}),
    "Doctrine": ("php", "doctrine", "doctrine.yaml", "# é\ndoctrine:\n  dbal:\n    connections:\n      tides:\n        driver: pdo_pgsql\n        host: gauge\n        port: 5433 # behind\n        dbname: old\n        user: 'old'\n        password: \"old\"\n        charset: é\n", "tides", {"host": "host", "user": "user", "password": "password", "database": "dbname", "port": "port"}),
    "Symfony's .env": ("php", "dotenv", ".env", "# é\nAPP_ENV=prod\nAPP_NAME=\"é $APP_ENV\"\nDB_CONNECTION=pgsql\nDB_HOST=gauge\nDB_DATABASE=old\nDB_USERNAME='old'\nDB_PASSWORD=\"old\" # behind\n", "default", {"host": "DB_HOST", "user": "DB_USERNAME", "password": "DB_PASSWORD", "database": "DB_DATABASE"}),
    "knex": ("node", "knex", "knexfile.js", "// é\nmodule.exports = {\n  production: { client: 'pg', connection: {\n    host: `gauge`, port: 5433, database: \"old\", user: 'old', password: 'old', application_name: 'é' } },\n};\n", "connection@production", {"host": "host", "user": "user", "password": "password", "database": "database", "port": "port"}),
    "Sequelize": ("node", "sequelize", "config.js", "// é\nmodule.exports = {\n  production: { dialect: 'postgres', host: 'gauge', port: 5433,\n    database: \"old\", username: 'old', password: `old` },\n};\n", "connection@production", {"host": "host", "user": "username", "password": "password", "database": "database", "port": "port"}),
    "TypeORM": ("node", "typeorm", "data-source.js", "const { DataSource } = require('typeorm'); // é\nconst AppDataSource = new DataSource({ type: 'postgres', host: 'gauge', port: 5433,\n  username: \"old\", password: 'old', database: 'old', schema: 'é' });\nmodule.exports = { AppDataSource };\n", "AppDataSource", {"host": "host", "user": "username", "password": "password", "database": "database", "port": "port"}),
    "systemd": ("systemd", "", ".env", "# é\n; one\nAPP_NAME=\"é $x\"\nDB_CONNECTION=pgsql\nDB_HOST=gauge\nDB_DATABASE=old\nDB_USERNAME='old'\nDB_PASSWORD=\"old\"\n", "default", {"host": "DB_HOST", "user": "DB_USERNAME", "password": "DB_PASSWORD", "database": "DB_DATABASE"}),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_the_framework_s_own_reader_sees_the_edit(name, tmp_path):
    language, kind, file, text, title, names = CASES[name]
    path = tmp_path / file
    encoded = text.encode("latin-1" if file.endswith(".properties") else "utf-8")
    path.write_bytes(encoded)

    def read():
        return environment_file(path) if language == "systemd" else asked(language, kind, path)

    before, refused, judged = read(), 0, 0
    for number, value in enumerate(VALUES):
        for roles in ({"user", "password", "database"}, {"user"}, {"password"}, {"host", "port"}):
            path.write_bytes(encoded)
            declared = declared_as(path, title)
            changes = {role: value for role in roles & {"user", "password", "database"} if declared.slot_of(role) is not None}
            if "port" in roles:
                changes = {role: new for role, new in (("host", "gauge-2.greywick.example"), ("port", str(6000 + number))) if declared.slot_of(role) is not None}
            try:
                amend(declared, changes).apply()
            except ct.FieldError:
                refused += 1
                continue
            found, again, judged = read(), declared_as(path, title), judged + 1
            for role, key in names.items():
                slot = again.slots.get(role)
                assert slot is None or found[key] == slot.node.value, (role, value, path.read_bytes())
                if role in changes and again.slot_of(role) is slot:
                    assert found[key] == changes[role]
            touched = {names.get(role) for role in (*changes, "text")}
            assert {key: one for key, one in found.items() if key not in touched} == {key: one for key, one in before.items() if key not in touched}
    assert judged > refused, (judged, refused)
