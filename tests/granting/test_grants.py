"""Users with the rights that a cord needs: made on real servers, and tried there; quoted by each engine's rules."""

import json

import psycopg
import pymysql
import pytest
import redis

import cordtally as ct
from cordtally.granting import ACCESS, ENGINES, apply_grants, grants_for
from cordtally.model import Host, Secret, Tls, TlsLevel

from ..servers import ADMIN_PASSWORD

PASSWORD = "not-a-real-pw-of-it's"
ODD = "ke'e\"p`er]\\ 1"


def cord_of(engine, server, user, database, password=PASSWORD):
    return ct.Cord(engine, (Host("localhost", server.port),), database, user, Secret(password), tls=Tls(TlsLevel.VERIFY_IDENTITY, ca=server.ca))


@pytest.mark.parametrize("access", ACCESS)
@pytest.mark.parametrize("engine", ENGINES)
def test_every_engine_has_statements_without_a_password(engine, access):
    cord = ct.Cord(engine, (Host("h"),), "tides", "keeper", Secret(PASSWORD))
    made = grants_for(cord, access)
    assert made.statements
    assert PASSWORD not in json.dumps(made.to_dict())
    for name in ("kee\nper", "kee\0per"):
        with pytest.raises(ct.FieldError):
            grants_for(cord, access, user=name)


@pytest.mark.parametrize(
    ("engine", "quoted"),
    [("postgresql", '"ke\'e""p`er]\\ 1"'), ("sqlserver", "[ke'e\"p`er]]\\ 1]"), ("clickhouse", "`ke'e\"p\\`er]\\\\ 1`")],
)
def test_names_are_quoted_by_the_engine_s_rules(engine, quoted):
    made = grants_for(ct.Cord(engine, (Host("h"),), "tides", ODD), "read-only")
    assert quoted in made.statements[0].text


@pytest.mark.servers
def test_postgresql_users_may_do_what_was_granted(postgresql):
    master = {"host": "127.0.0.1", "port": postgresql.port, "user": "harbour_master", "password": ADMIN_PASSWORD, "autocommit": True}
    with psycopg.connect(**master, dbname="postgres") as connection:
        connection.execute('CREATE DATABASE "gr""ant"')
    with psycopg.connect(**master, dbname='gr"ant') as connection:
        connection.execute("CREATE TABLE public.entries (berth text)")
        by = cord_of("postgresql", postgresql, "harbour_master", "postgres", ADMIN_PASSWORD)
        can = {}
        for access in ACCESS:
            cord = cord_of("postgresql", postgresql, f"{ODD} {access}", 'gr"ant')
            apply_grants(grants_for(cord, access), cord, by)
            can[access] = set()
            with psycopg.connect(**cord.arguments("psycopg"), autocommit=True) as own:
                for name, statement in {"read": "SELECT * FROM entries", "write": "INSERT INTO entries VALUES ('7')", "make": "CREATE TABLE more (x int)", "user": "CREATE ROLE other"}.items():
                    try:
                        own.execute(statement)
                        can[access].add(name)
                    except psycopg.Error:
                        pass
        connection.execute("CREATE TABLE public.later (berth text)")
        reader = cord_of("postgresql", postgresql, f"{ODD} read-only", 'gr"ant')
        with psycopg.connect(**reader.arguments("psycopg")) as own:
            own.execute("SELECT * FROM later")
    assert can == {"read-only": {"read"}, "read-write": {"read", "write"}, "owner": {"read", "write", "make"}}


@pytest.mark.servers
def test_mariadb_users_may_do_what_was_granted(mariadb):
    master = {"host": "127.0.0.1", "port": mariadb.port, "user": "harbour_master", "password": ADMIN_PASSWORD, "autocommit": True}
    with pymysql.connect(**master) as connection, connection.cursor() as cursor:
        for name in ("gr_nt", "grant"):
            cursor.execute(f"CREATE DATABASE `{name}`")
            cursor.execute(f"CREATE TABLE `{name}`.entries (berth varchar(9))")
    by = cord_of("mariadb", mariadb, "harbour_master", "mysql", ADMIN_PASSWORD)
    cord = cord_of("mariadb", mariadb, "o'brien", "gr_nt")
    apply_grants(grants_for(cord, "read-write"), cord, by)
    with pymysql.connect(**cord.arguments("pymysql")) as own, own.cursor() as cursor:
        cursor.execute("INSERT INTO entries VALUES ('7')")
        with pytest.raises(pymysql.OperationalError):
            cursor.execute("CREATE TABLE more (x int)")
        with pytest.raises(pymysql.OperationalError):  # an underscore is no wildcard
            cursor.execute("SELECT * FROM `grant`.entries")
    with pytest.raises(pymysql.OperationalError):  # over TLS alone, as the cord asks for
        pymysql.connect(**{**cord.copy_with(tls=Tls(TlsLevel.OFF)).arguments("pymysql"), "ssl_disabled": True})


@pytest.mark.servers
def test_redis_users_may_do_what_was_granted(redis_server):
    by = ct.Cord("redis", (Host("localhost", redis_server.port),), "0", None, Secret(ADMIN_PASSWORD))
    cord = by.copy_with(user="grant_reader", password=Secret(PASSWORD))
    apply_grants(grants_for(cord, "read-only"), cord, by)
    with redis.Redis(**cord.arguments("redis-py")) as own:
        assert own.get("entries") is None
        with pytest.raises(redis.exceptions.NoPermissionError):
            own.set("entries", "7")
    assert ct.dial(cord).held


def test_the_command_prints_and_asks(cli, harbour):
    status, out, _ = cli("grants", "tides", "--read-only")
    assert (status, 'GRANT CONNECT ON DATABASE "tides" TO "tide_gauge";' in out) == (0, True)
    assert json.loads(cli("grants", "tides", "--owner", "--json")[1])["access"] == "owner"
    for arguments in (["tides"], ["tides", "--read-only", "--apply"], ["tides", "--read-only", "--by", "berths"], ["logbook", "--owner"]):
        assert cli("grants", *arguments)[0] == 2


@pytest.mark.servers
@pytest.mark.parametrize("engine", ["postgresql", "mariadb"])
def test_a_missing_database_is_made_after_asking(cli, engine, request, monkeypatch):
    server = request.getfixturevalue(engine)
    cord = cord_of(engine, server, "harbour_master", f"ma`de\" {engine}", ADMIN_PASSWORD)
    monkeypatch.setenv("MADE", ct.write(cord, {"postgresql": "libpq", "mariadb": "mariadb-java"}[engine]).text.unmask())
    assert cli("dial", "--from-env", "MADE", "--create", stdin="n\n")[0] == 1
    status, out, _ = cli("dial", "--from-env", "MADE", "--create", stdin="y\n")
    assert (status, "broke at database" in out, "Connected as" in out) == (0, True, True)
    assert cli("dial", "--from-env", "MADE", "--create", "--yes")[0] == 0
