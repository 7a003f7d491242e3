"""The programs that are written for a cord log in at real servers, where their language and its driver are installed."""

import os
import shutil
import subprocess
import sys

import pytest

import cordtally as ct
from cordtally.config import emit_program, load_programs

from ..servers import ADMIN_PASSWORD

pytestmark = pytest.mark.servers
JARS = ["/usr/share/java/postgresql.jar", "/usr/share/java/mariadb-java-client.jar", "/usr/share/java/HikariCP.jar", "/usr/share/java/slf4j-api.jar"]
NODE = os.environ.get("CORDTALLY_NODE", "")
# how a program is run, and how it is told that its driver is there
RUN = {
    "python": ([sys.executable], None),
    "php": (["php", "-d", "display_errors=stderr"], ["php", "-r", "exit((int) !extension_loaded('pdo_{pdo}'));"]),
    "perl": (["perl"], ["perl", "-M{dbd}", "-e1"]),
    "ruby": (["ruby"], ["ruby", "-r{gem}", "-e1"]),
    "javascript": (["node"], ["node", "-e", "require('{npm}')"]),
    "java": (["java", "-cp", ":".join(JARS)], ["test", "-e", JARS[2]]),
    "go": (["go", "run"], ["test", "-d", "/usr/share/gocode/src/github.com/lib/pq"]),
}
NAMES = {"postgresql": {"pdo": "pgsql", "dbd": "DBD::Pg", "gem": "pg", "npm": "pg"}, "mariadb": {"pdo": "mysql", "dbd": "DBD::mysql", "gem": "mysql2", "npm": "mysql2"}}
ENVIRON = {**os.environ, "NODE_PATH": f"{NODE}/node_modules", "GO111MODULE": "off", "GOPATH": "/usr/share/gocode", "PERL_UNICODE": "S"}


def installed(language, engine):
    command, known = RUN[language]
    if shutil.which(command[0]) is None:
        return False
    probe = [piece.format(**NAMES[engine]) for piece in known or []]
    return not probe or subprocess.run(probe, capture_output=True, env=ENVIRON, check=False).returncode == 0


@pytest.mark.parametrize("pooled", [False, True])
@pytest.mark.parametrize("engine", ["postgresql", "mariadb"])
@pytest.mark.parametrize("language", RUN)
def test_a_program_logs_in(language, engine, pooled, tmp_path, request):
    if not installed(language, engine):
        pytest.skip(f"{language} or its driver for {engine} is not installed")
    if pooled and language == "ruby" and subprocess.run(["ruby", "-rconnection_pool", "-e1"], capture_output=True, check=False).returncode:
        pytest.skip("ruby-connection-pool is not installed")
    server = request.getfixturevalue(engine)
    cord = ct.compose(engine=engine, host="127.0.0.1", port=server.port, user="harbour_master", database="postgres" if engine == "postgresql" else "mysql", password="env:PW", options={"connect_timeout": "5s"})
    made = emit_program(cord, language, pooled=pooled)
    path = tmp_path / made.file
    path.write_text(made.text, encoding="utf-8")
    done = subprocess.run([*RUN[language][0], str(path)], capture_output=True, text=True, check=False, env={**ENVIRON, "PW": ADMIN_PASSWORD}, cwd=tmp_path)
    assert done.returncode == 0, (made.text, done.stderr[-800:])
    assert ("PostgreSQL" if engine == "postgresql" else "MariaDB") in done.stdout


def test_every_program_reads_back_as_its_cord(tmp_path):
    """What a program states is found again by show; no secret stands in it."""
    from cordtally.config import declared_in

    for language, facts in load_programs().items():
        for program in facts["programs"]:
            for engine in program["engines"]:
                server = {} if engine == "sqlite" else {"host": "gauge.greywick.example", "port": 6001, "user": "keeper", "password": ct.Secret("not-a-real-pw")}
                cord = ct.compose(engine=engine, database="1" if engine == "redis" else "tides", **server)
                for pooled in (False, True):
                    made = emit_program(cord, language, pooled=pooled)
                    assert "not-a-real-pw" not in made.text
                    path = tmp_path / made.file
                    path.write_text(made.text, encoding="utf-8")
                    found = [one.cord for one in declared_in(path) if one.cord is not None]
                    places = {str(host) for one in found for host in one.hosts}
                    assert engine == "sqlite" or "gauge.greywick.example:6001" in places or "arguments" in program["template"] or "{text}+" in program["template"] or language == "csharp", made.text  # some of whose texts several drivers read
