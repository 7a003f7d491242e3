"""Rotation on real servers: killed anywhere and taken up, with clients that log in all the while; and what is refused."""

import signal
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import contextmanager
from pathlib import Path

import psycopg
import pymysql
import pytest
import redis

import cordtally as ct
from cordtally.rotating import Mode, finish, plan, rotate
from cordtally.rotating.journal import journal_path
from cordtally.secrets import put
from cordtally.secrets.locking import locked

from .. import servers
from ..servers import ADMIN_PASSWORD

OLD = "not-a-real-pw/old"


@pytest.fixture(autouse=True)
def own(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


@pytest.fixture(scope="module")
def redis_users(tmp_path_factory):
    if servers.find_program("redis-server") is None:
        pytest.skip("redis-server is not installed")
    home, port = tmp_path_factory.mktemp("redis-users"), servers.free_port()
    (home / "users.acl").write_text(f"user default on >{ADMIN_PASSWORD} ~* &* +@all\n")
    client = redis.Redis(host="127.0.0.1", port=port, password=ADMIN_PASSWORD)
    command = [servers.find_program("redis-server"), "--port", str(port), "--bind", "127.0.0.1", "--dir", str(home), "--save", "", "--aclfile", str(home / "users.acl")]
    with servers.serve(command, home, lambda: client if client.ping() else None):
        yield client, port


@contextmanager
def admin(engine, server):
    if engine == "postgresql":
        with psycopg.connect(host="127.0.0.1", port=server.port, user="harbour_master", password=ADMIN_PASSWORD, dbname="postgres", autocommit=True) as session:
            yield session.execute
    elif engine == "mariadb":
        with pymysql.connect(host="127.0.0.1", port=server.port, user="harbour_master", password=ADMIN_PASSWORD, autocommit=True) as session:
            yield session.cursor().execute
    else:
        yield server[0].execute_command


def make_users(engine, server, *names):
    with admin(engine, server) as run:
        for name in names:
            if engine == "postgresql":
                run(f"DROP ROLE IF EXISTS {name}")
                run(f"CREATE ROLE {name} LOGIN PASSWORD '{OLD}' VALID UNTIL 'infinity'")
            elif engine == "mariadb":
                run(f"CREATE OR REPLACE USER {name}@'%' IDENTIFIED BY '{OLD}' WITH MAX_USER_CONNECTIONS 77")
            else:
                run("ACL", "SETUSER", name, "reset", "on", f">{OLD}", "~*", "&*", "+@all")


def make_tally(tmp_path, engine, server, *, store="envfile:.env#PW", user="gauge_a", more=""):
    port = server[1] if engine == "redis" else server.port
    tls = f'tls = "verify-identity"\nca = "{server.ca}"\n' if engine == "postgresql" else 'tls = "off"\n' if engine == "redis" else ""
    database = {"postgresql": 'database = "postgres"\n', "mariadb": "", "redis": ""}[engine]
    host = "localhost" if engine == "postgresql" else "127.0.0.1"
    master = {"redis": "default"}.get(engine, "harbour_master")
    (tmp_path / "admin").write_text(ADMIN_PASSWORD)
    (tmp_path / "tally.toml").write_text(
        f'tally = 1\n[defaults]\nhost = "{host}"\nport = {port}\n{tls}{database}[cords.tides]\nengine = "{engine}"\nuser = "{user}"\npassword = "{store}"\n'
        f'[cords.admin]\nengine = "{engine}"\nuser = "{master}"\npassword = "file:admin"\n[rotations.tides]\n{more}'
    )
    tally = ct.load(tmp_path)
    put(tally.cord("tides").password, OLD)
    return tally


def logs_in(tally, password=None):
    from cordtally.servers import Deadline, Refusal, server_for

    cord = tally.cord("tides")
    user, kept = cord.log_in()
    server = server_for(cord.engine)
    try:
        session = server.log_in(cord.copy_with(user=user, password=ct.Secret(password or kept)), Deadline(20))
    except Refusal as refusal:
        assert refusal.credentials, refusal
        return False
    server.close(session)
    return True


ENGINES = ["postgresql", "mariadb", "redis"]


@pytest.fixture
def server(request, engine):
    return request.getfixturevalue({"redis": "redis_users"}.get(engine, engine))


@pytest.mark.servers
@pytest.mark.parametrize("engine", ENGINES)
def test_a_password_is_another_one_on_the_server_and_in_the_store_and_in_no_log(tmp_path, engine, server):
    make_users(engine, server, "gauge_a")
    tally = make_tally(tmp_path, engine, server)
    with admin(engine, server) as run:
        if engine == "mariadb":
            run(f"SET GLOBAL general_log_file = '{server.socket_folder}/general.log'")
            run("SET GLOBAL general_log = 1")
        if engine == "postgresql":
            run("ALTER SYSTEM SET log_statement = 'all'")
            run("SELECT pg_reload_conf()")
    said = []
    assert plan(tally, "tides").state == "planned"
    made = rotate(tally, "tides", progress=said.append)
    new = tally.cord("tides").log_in()[1]
    assert (made.state, made.resumed, len(said), new != OLD, logs_in(tally), logs_in(tally, OLD)) == ("rotated", False, 6, True, True, False)
    assert (tmp_path / ".env").read_text() == f"PW={new}\n"
    if engine == "mariadb":
        with admin(engine, server) as run:
            run("SHOW CREATE USER gauge_a@'%'")
            run("SET GLOBAL general_log = 0")
    shown = [path for folder in (tmp_path / "state", tmp_path / "config") for path in folder.rglob("*") if path.is_file()]
    if engine != "redis":
        shown += Path(server.socket_folder).glob("*log")
    text = b"".join(path.read_bytes() for path in shown)
    assert (new.encode() in text, OLD.encode() in text, b"gauge_a" in text) == (False, False, True)
    assert new not in f"{made}{said}"


CHILD = """
import importlib, os, signal, sys
import cordtally as ct
from cordtally.rotating import Mode, rotate
module = importlib.import_module("cordtally.rotating.rotate")
last, count = 0, 0
def step():
    global count
    count += 1
    if count == last:
        os.kill(os.getpid(), signal.SIGKILL)
def around(function):
    def call(*arguments, **more):
        step()
        made = function(*arguments, **more)
        step()
        return made
    return call
for name in ("put", "put_together", "drop", "write_entry", "draw"):
    setattr(module, name, around(getattr(module, name)))
from cordtally.servers.accounts import accounts_of
accounts = accounts_of(sys.argv[2])
accounts.set_passwords = around(accounts.set_passwords)
for line in sys.stdin:
    child = os.fork()  # all is imported, and nothing else runs here
    if not child:
        last = int(line)
        rotate(ct.load(sys.argv[1]), "tides", mode=Mode(sys.argv[3]))
        os._exit(7)
    print(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), flush=True)
"""


@contextmanager
def killer(tmp_path, engine, mode):
    """What runs a rotation and kills it at its nth step; it gives how that ended: -9, or 7 where it was done before."""
    with subprocess.Popen([sys.executable, "-c", CHILD, str(tmp_path), engine, mode.value], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as process:

        def kill_at(step):
            process.stdin.write(f"{step}\n")
            process.stdin.flush()
            return int(process.stdout.readline())

        yield kill_at
        process.stdin.close()


def some_log_in(tally):
    """Whether the store holds a password that logs in: the one in use, or the one beside it."""
    beside = (tally.folder / ".env").read_text()
    waiting = [line.partition("=")[2] for line in beside.splitlines() if line.startswith("PW_NEXT")]
    return logs_in(tally) or any(logs_in(tally, one) for one in waiting)


@pytest.mark.servers
@pytest.mark.parametrize("engine", ENGINES)
def test_killed_at_any_step_the_store_has_a_password_that_logs_in_and_the_next_call_goes_on(tmp_path, engine, server):
    make_users(engine, server, "gauge_a")
    tally = make_tally(tmp_path, engine, server)
    with killer(tmp_path, engine, Mode.PLAIN) as kill_at:
        for step in range(1, 40):
            code = kill_at(step)
            assert some_log_in(tally)
            if code == 7:
                break
            assert code == -signal.SIGKILL
            if step % 3 == 0:  # and killed again when it goes on
                kill_at(2)
                assert some_log_in(tally)
            assert rotate(tally, "tides").resumed == (1 < step < 14)  # of 14: before and after each of the seven
            assert logs_in(tally)
    assert (code, step > 10, logs_in(tally), "NEXT" in (tmp_path / ".env").read_text()) == (7, True, True, False)


@pytest.mark.servers
@pytest.mark.parametrize("engine", ENGINES)
def test_while_two_users_take_turns_and_rotations_are_killed_no_client_is_refused(tmp_path, engine, server):
    make_users(engine, server, "gauge_a", "gauge_b")
    (tmp_path / ".env").write_text("GAUGE=gauge_a\n")
    tally = make_tally(tmp_path, engine, server, user="envfile:.env#GAUGE", more='users = ["gauge_a", "gauge_b"]\nrest = "1s"\nby = "admin"\n')
    tried, refused, stop = [], [], threading.Event()

    def client():
        while not stop.is_set():
            tried.append(1)
            if not logs_in(tally):
                refused.append(1)

    clients = [threading.Thread(target=client) for _ in range(2)]
    for one in clients:
        one.start()
    users = set()
    time.sleep(1.1)  # what is kept has just been put there
    try:
        with killer(tmp_path, engine, Mode.ALTERNATE) as kill_at:
            for step in (6, 8, 9, 12):
                assert kill_at(step) == -signal.SIGKILL
                time.sleep(1.1)  # the user who was left rests
                rotate(tally, "tides", mode=Mode.ALTERNATE)
                time.sleep(1.1)
                users.add(tally.cord("tides").log_in()[0])
    finally:
        stop.set()
        for one in clients:
            one.join()
    assert (users, len(tried) > 20, len(refused)) == ({"gauge_a", "gauge_b"}, True, 0)
    rotate(tally, "tides", mode=Mode.ALTERNATE)
    with pytest.raises(ct.FieldError, match=r"was left \d+ s ago, and somebody may still log in with it: it rests for 1 s"):
        rotate(tally, "tides", mode=Mode.ALTERNATE)


@pytest.mark.servers
@pytest.mark.parametrize("engine", ["mariadb", "redis"])
def test_with_grace_the_old_password_lives_until_it_is_ended(tmp_path, engine, server, monkeypatch):
    make_users(engine, server, "gauge_a")
    tally = make_tally(tmp_path, engine, server, store="file:secrets/tides", more='by = "admin"\n')
    assert rotate(tally, "tides", mode=Mode.GRACE, grace=900).state == "grace"
    assert (logs_in(tally), logs_in(tally, OLD), logs_in(tally, "not-a-real-pw/other")) == (True, True, False)
    with pytest.raises(ct.FieldError, match=r"the password before lives for \d+ s more"):
        finish(tally, "tides")
    with pytest.raises(ct.FieldError, match="end it first, with --finish"):
        rotate(tally, "tides")
    real = time.time
    monkeypatch.setattr("time.time", lambda: real() + 1000)
    assert finish(tally, "tides").state == "finished"
    assert (logs_in(tally), logs_in(tally, OLD)) == (True, False)
    if engine == "mariadb":
        with pymysql.connect(host="127.0.0.1", port=server.port, user="harbour_master", password=ADMIN_PASSWORD) as session, session.cursor() as cursor:
            cursor.execute("SHOW CREATE USER gauge_a@'%'")
            assert "MAX_USER_CONNECTIONS 77" in cursor.fetchone()[0]  # all else of the account stays
    with pytest.raises(ct.FieldError, match="no password before it"):
        finish(tally, "tides")


@pytest.mark.servers
def test_what_stands_in_the_way_is_said_and_nothing_is_changed(tmp_path, postgresql, mariadb, redis_server):
    make_users("postgresql", postgresql, "gauge_a", "gauge_b")
    tally = make_tally(tmp_path, "postgresql", postgresql)
    with pytest.raises(ct.FieldError, match="has one password; two users take turns"):
        rotate(tally, "tides", mode=Mode.GRACE)
    with pytest.raises(ct.FieldError, match="user is kept in the store, too"):
        rotate(tally, "tides", mode=Mode.ALTERNATE)
    with locked(journal_path(tally.path, "tides").parent / journal_path(tally.path, "tides").name), pytest.raises(ct.FieldError, match="by somebody else"):
        rotate(tally, "tides")
    with admin("postgresql", postgresql) as run:
        run("ALTER ROLE gauge_b VALID UNTIL '2020-01-01'")
    (tmp_path / ".env").write_text(f"PW={OLD}\nGAUGE=gauge_a\n")
    for more, words in [('by = "admin"\n', "the password of gauge_b has expired"), ("", "may not change the password of gauge_b; let an administrator do it"), ('users = 3\n', "say who take turns")]:
        turns = 'users = ["gauge_a", "gauge_b"]\nrest = "1ms"\n' if "users" not in more else ""
        other = make_tally(tmp_path, "postgresql", postgresql, user="envfile:.env#GAUGE", more=turns + more)
        if not more:
            with admin("postgresql", postgresql) as run:
                run("ALTER ROLE gauge_b VALID UNTIL 'infinity'")
        with pytest.raises(ct.CordTallyError, match=words):
            rotate(other, "tides", mode=Mode.ALTERNATE)
    for store, words in [("env:GAUGE_PW", "cannot be written from here"), ("ask:", "cannot be written from here")]:
        (tmp_path / "tally.toml").write_text((tmp_path / "tally.toml").read_text().replace("envfile:.env#PW", store))
        with pytest.raises(ct.LocatorError, match=words):
            rotate(ct.load(tmp_path), "tides")
        (tmp_path / "tally.toml").write_text((tmp_path / "tally.toml").read_text().replace(store, "envfile:.env#PW"))
    put(tally.cord("tides").password, "not-a-real-pw/wrong")
    with pytest.raises(ct.ServerError, match="the password in use does not log in: nothing is rotated"):
        rotate(tally, "tides")
    with admin("mariadb", mariadb) as run:
        run(f"CREATE OR REPLACE USER gauge_a@'%' IDENTIFIED VIA unix_socket OR mysql_native_password USING PASSWORD('{OLD}')")
    with pytest.raises(ct.ServerError, match="by another method than mysql_native_password"):
        rotate(make_tally(tmp_path, "mariadb", mariadb, more='by = "admin"\n'), "tides")
    client = redis.Redis(host="127.0.0.1", port=redis_server.port, password=ADMIN_PASSWORD)
    make_users("redis", (client,), "gauge_a")
    with pytest.raises(ct.ServerError, match="would not outlive a restart"):
        rotate(make_tally(tmp_path, "redis", (client, redis_server.port)), "tides")
    assert "NEXT" not in (tmp_path / ".env").read_text()


@pytest.mark.servers
def test_a_pooler_with_passwords_of_its_own_is_noticed_and_all_is_put_back(tmp_path, postgresql):
    program = servers.find_program("pgbouncer")
    if program is None:
        pytest.skip("pgbouncer is not installed")
    make_users("postgresql", postgresql, "gauge_a")
    home, port = Path(tempfile.mkdtemp(prefix="cordtally-")) / "bouncer", servers.free_port()
    home.mkdir()
    (home / "users.txt").write_text(f'"gauge_a" "{OLD}"\n')
    (home / "pgbouncer.ini").write_text(
        f"[databases]\n* = host=127.0.0.1 port={postgresql.port}\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = {port}\nauth_type = scram-sha-256\n"
        f"auth_file = {home}/users.txt\nunix_socket_dir =\nserver_tls_sslmode = prefer\n"
    )
    servers.own(home, "postgres")
    tally = make_tally(tmp_path, "postgresql", postgresql)
    text = (tmp_path / "tally.toml").read_text().replace(f"port = {postgresql.port}", f"port = {port}").replace("verify-identity", "off")
    (tmp_path / "tally.toml").write_text("\n".join(line for line in text.splitlines() if not line.startswith("ca =")))
    tally = ct.load(tmp_path)
    command = servers.as_user("postgres", [program, str(home / "pgbouncer.ini")])
    with servers.serve(command, home, lambda: psycopg.connect(host="127.0.0.1", port=port, user="gauge_a", password=OLD, dbname="postgres")):
        with pytest.raises(ct.ServerError, match=r"perhaps a pooler with passwords of its own stands between; the server has the old one again"):
            rotate(tally, "tides")
        assert (logs_in(tally), tally.cord("tides").log_in()[1]) == (True, OLD)
    with psycopg.connect(host="127.0.0.1", port=postgresql.port, user="gauge_a", password=OLD, dbname="postgres"):
        pass
