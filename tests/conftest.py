"""Fixtures: real servers for the session, where they are installed; CORDTALLY_REQUIRE_SERVERS=1 turns their lack into a failure."""

import io
import os
import subprocess
import sys
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import settings

from cordtally.cli import main

from . import servers

# The same examples at every run of CI, so that it answers for the change; elsewhere new ones each time. No example has
# a deadline: nothing here depends on how fast the machine is.
settings.register_profile("timeless", deadline=None)
settings.register_profile("ci", deadline=None, derandomize=True)
settings.load_profile("ci" if os.environ.get("CI") == "true" else "timeless")


def _start(make, name, packages):
    with TemporaryDirectory(prefix="cordtally-") as folder, make(Path(folder)) as server:
        if server is None:
            message = f"{name} is not installed: its tests are not run; apt-get install {packages}"
            if os.environ.get("CORDTALLY_REQUIRE_SERVERS") == "1":
                pytest.fail(message)
            pytest.skip(message)
        yield server


@pytest.fixture(scope="session")
def postgresql():
    yield from _start(servers.postgresql, "postgresql", "postgresql")


@pytest.fixture(scope="session")
def mariadb():
    yield from _start(servers.mariadb, "mariadb", "mariadb-server")


@pytest.fixture(scope="session")
def redis_server():
    yield from _start(servers.redis_server, "redis-server", "redis-server")


@pytest.fixture(scope="session")
def clickhouse():
    yield from _start(servers.clickhouse, "clickhouse-server", "clickhouse-server")


@pytest.fixture(scope="session")
def memcached():
    yield from _start(servers.memcached, "memcached", "memcached")


@pytest.fixture(scope="session")
def memcached_with_tls():
    yield from _start(partial(servers.memcached, tls=True), "memcached", "memcached")


@pytest.fixture(scope="session")
def rabbitmq():
    yield from _start(servers.rabbitmq, "rabbitmq-server", "rabbitmq-server")


@pytest.fixture(scope="session")
def influxdb():
    yield from _start(servers.influxdb, "influxd", "influxdb")


@pytest.fixture(scope="session")
def h2():
    yield from _start(partial(servers.java_database, engine="h2"), "H2", "libh2-java default-jre-headless")


@pytest.fixture(scope="session")
def hsqldb():
    yield from _start(partial(servers.java_database, engine="hsqldb"), "HSQLDB", "libhsqldb-java default-jre-headless")


@pytest.fixture(scope="session")
def derby():
    yield from _start(partial(servers.java_database, engine="derby"), "Derby", "libderby-java libderbyclient-java default-jre-headless")


@pytest.fixture
def harbour(tmp_path, monkeypatch):
    """A temporary Greywick Harbour: the demo's sample data, as the current folder."""
    from cordtally.demo import furnish

    furnish(tmp_path)
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("TIDES_PASSWORD", "not-a-real-pw/tides")
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / ".config"))  # what this user has vouched for is kept there
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / ".state"))
    return tmp_path


@pytest.fixture
def cli(capsys, monkeypatch):
    """Run a command; give its status, standard output and standard error."""

    def run(*arguments, stdin=None):
        if stdin is not None:
            monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(stdin.encode()), encoding="utf-8"))
        status = main(list(arguments))
        out, err = capsys.readouterr()
        assert "Traceback" not in out + err
        return status, out, err

    return run


@pytest.fixture
def run_cordtally(tmp_path):
    """Run the command in a process of its own: with arguments, or in a script of the shell."""

    def run(*arguments, script=None, **options):
        command = [sys.executable, "-m", "cordtally", *arguments]
        if script is not None:
            command = ["bash", "-c", f'cordtally() {{ "{sys.executable}" -m cordtally "$@"; }}; {script}']
        return subprocess.run(command, capture_output=True, check=False, cwd=tmp_path, **options)

    return run
