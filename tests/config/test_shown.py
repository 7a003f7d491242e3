"""What wins and what loses, with and without the program's environment; pools; names that nothing gives; old lines kept."""

import pytest

import cordtally as ct
from cordtally.config import amend, declared_as, declared_in

APPLICATION = """spring:
  datasource:
    url: jdbc:postgresql://gauge.greywick.example:5432/tides?user=a
    username: keeper
    password: ${DB_PASSWORD}
    hikari:
      maximum-pool-size: 20
---
spring:
  config.activate.on-profile: prod
  datasource:
    url: jdbc:postgresql://${DB_HOST:gauge-2}/tides
"""
DJANGO = "DATABASES = {'default': {'ENGINE': 'django.db.backends.mysql', 'HOST': 'lost', 'NAME': 'lost',\n 'OPTIONS': {'host': 'gauge', 'database': 'tides', 'ssl_mode': 'REQUIRED'}, 'CONN_MAX_AGE': 60}}\n"
RAILS = "production:\n  adapter: postgresql\n  host: gauge\n  database: tides\n  pool: 7\nstaging:\n  url: postgresql://u@gauge-s/tides\n  host: ignored\n"
# file, text, variables, connection, what it comes to, the losers
CASES = [
    ("application.yml", APPLICATION, None, "datasource", ("gauge.greywick.example:5432", "tides", "keeper", "from DB_PASSWORD"), [("user in the text", "line 4")]),
    ("application.yml", APPLICATION, {"DB_PASSWORD": "p"}, "datasource", ("gauge.greywick.example:5432", "tides", "keeper", "from DB_PASSWORD"), [("user in the text", "line 4")]),
    ("application.yml", APPLICATION, {"SPRING_DATASOURCE_URL": "jdbc:postgresql://other/x"}, "datasource", ("other", "x", "keeper", "from DB_PASSWORD"), [("text", "SPRING_DATASOURCE_URL")]),
    ("application.yml", APPLICATION, {"SPRING_DATASOURCE_USERNAME": "boss"}, "datasource", ("gauge.greywick.example:5432", "tides", "boss", "from DB_PASSWORD"), [("user", "SPRING_DATASOURCE_USERNAME"), ("user in the text", "line 4")]),
    ("application.yml", APPLICATION, {}, "datasource@prod", ("gauge-2", "tides", None, "–"), []),
    ("application.yml", APPLICATION, {"DB_HOST": "berths"}, "datasource@prod", ("berths", "tides", None, "–"), []),
    ("settings.py", DJANGO, None, "default", ("gauge", "tides", None, "–"), [("host", "line 2"), ("database", "line 2")]),
    ("database.yml", RAILS, {"DATABASE_URL": "postgresql://v@moved/x"}, "primary@production", ("moved", "x", "v", "–"), [("host", "the text"), ("database", "the text")]),
    ("database.yml", RAILS, {"DATABASE_URL": "postgresql://v@moved/x"}, "primary@staging", ("gauge-s", "tides", "u", "–"), [("host", "the text")]),
    ("appsettings.json", '{"ConnectionStrings": {"Tides": "Host=gauge;Database=tides;Username=u"}}', {"ConnectionStrings__Tides": "Host=moved;Database=d;Username=v"}, "Tides", ("moved", "d", "v", "–"), [("text", "ConnectionStrings__Tides")]),
    ("celeryconfig.py", "broker_url = 'redis://a/1'\n", {"CELERY_BROKER_URL": "redis://b/2"}, "broker", ("b", "2", None, "–"), [("text", "CELERY_BROKER_URL")]),
    ("profiles.yml", "t:\n  outputs:\n    d: {type: postgres, host: \"{{ env_var('H', 'gauge') }}\", dbname: tides, user: u}\n", {}, "t@d", ("gauge", "tides", "u", "–"), []),
    ("compose.yaml", "services:\n  a:\n    environment: {DATABASE_URL: 'postgresql://u:${PW:-x}@gauge/tides'}\n", {"PW": "y"}, "a.DATABASE_URL", ("gauge", "tides", "u", "from PW"), []),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "variables", "title", "wanted", "losing"), CASES)
def test_what_wins(tmp_path, name, text, variables, title, wanted, losing):
    (tmp_path / name).write_text(text)
    found = declared_as(tmp_path / name, title, variables=variables).to_dict()
    assert tuple(found[key] for key in ("place", "database", "user", "secret")) == wanted
    assert [(one["role"], one["winner"]) for one in found["losing"]] == losing


def test_the_pool_that_stands_beside_a_connection(tmp_path, cli, monkeypatch):
    monkeypatch.chdir(tmp_path)
    pools = {"application.yml": (APPLICATION, ("hikaricp", {"maximum-pool-size": "20"})), "settings.py": (DJANGO, ("django-connections", {"CONN_MAX_AGE": "60"})), "database.yml": (RAILS, ("activerecord", {"pool": "7"})),
             "context.xml": ("<Context><Resource name='jdbc/Tides' url='jdbc:postgresql://gauge/tides' maxTotal='9'/></Context>", ("dbcp2", {"maxTotal": "9"}))}  # fmt: skip
    for name, (text, pool) in pools.items():
        (tmp_path / name).write_text(text)
        assert declared_in(tmp_path / name)[0].pool == pool
    assert "database.yml#primary@production" in cli("pool", "vet", ".")[1]
    assert "endless-acquire" in cli("vet", "context.xml")[1]
    status, out, _ = cli("pool", "budget", "application.yml", "database.yml", "--server-limit", "50", "--instances", "application.yml=2", "--instances", "3")
    assert (status, "61, and the server leaves 50" in out) == (1, True)
    for arguments, told in ((["vet", "maxTotal=3"], "say whose settings"), (["vet"], "name settings with --pool"), (["vet", "nosuch.yml"], "there is no file"), (["budget", "database.yml"], "give --server-limit"), (["budget", "database.yml", "--server-limit", "9", "--instances", "x"], "wants a number")):
        status, _, err = cli("pool", *arguments)
        assert (status, told in err) == (2, True), err
    made = amend(declared_as(tmp_path / "application.yml", "datasource"), {"pool": {"maximumPoolSize": "30"}}, keep_old=True)
    assert made.lines[-2:] == ("+      # maximum-pool-size: 20", "+      maximum-pool-size: 30")
    with pytest.raises(ct.FieldError, match="it sets pool"):
        amend(declared_as(tmp_path / "database.yml", "primary@production"), {"pool": {"checkout_timeout": "3"}})


def test_names_that_nothing_gives(tmp_path, cli, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "context.xml").write_text("<Context><Resource name='jdbc/Tides' url='jdbc:postgresql://gauge/tides'/></Context>")
    (tmp_path / "web.xml").write_text("<web-app>\n<resource-ref><res-ref-name>jdbc/tides</res-ref-name></resource-ref></web-app>")
    (tmp_path / "Use.java").write_text('class U { @Resource(lookup = "java:comp/env/jdbc/Tides") DataSource d; Object o = c.lookup("java:comp/env/jdbc/Tide"); }')
    out = cli("show", ".")[1]
    assert "web.xml:2: nothing gives the resource jdbc/tides; did you mean jdbc/Tides?" in out
    assert "Use.java:1: nothing gives the resource jdbc/Tide; did you mean jdbc/Tides?" in out
    assert out.count("nothing gives") == 2
    (tmp_path / "application.yml").write_text(APPLICATION)
    (tmp_path / "given.env").write_text("DB_PASWORD=x\n")
    assert "nothing gives the variable DB_PASSWORD; did you mean DB_PASWORD?" in " ".join(cli("show", "application.yml", "--variables", "given.env")[1].split())


KEPT = [
    ("database.yml", RAILS, "primary@production", {"host": "h2"}, "  # host: gauge\n  host: h2\n"),
    ("settings.py", DJANGO, "default", {"options": {}, "host": "h2"}, " # 'OPTIONS': {'host': 'gauge', 'database': 'tides', 'ssl_mode': 'REQUIRED'}, 'CONN_MAX_AGE': 60}}\n"),
    ("settings.py", DJANGO, "default", {"tls": "verify-identity"}, "'ssl_mode': 'VERIFY_IDENTITY'"),
    ("settings.py", DJANGO, "default", {"ca": "x.pem"}, "has no place for it: add ssl.ca = x.pem below"),
    ("a.json", '{"db": {"engine": "mysql", "host": "h", "user": "u"}}', "db", {"host": "h2"}, "have no comments"),
    ("a.properties", "db.url=jdbc:mysql://h/d\\\n?user=x\n", "db.url", {"host": "h2"}, "the line runs on"),
    ("a.yaml", "db: {engine: mysql, host: h, user: u, password: not-a-real-pw}\n", "db", {"host": "h2"}, "holds a secret: it is not kept"),
    ("a.properties", "db.url=jdbc:postgresql://h/d\n", "db.url", {"login": "kerberos"}, "cannot hold the new authentication"),
    ("a.properties", "db.url=jdbc:postgresql://h/d\n", "db.url", {"ca": "/x y.pem", "tls": "verify-chain"}, "sslrootcert"),
    ("a.properties", "db.url=jdbc:postgresql://h/d\n", "db.url", {"login": "kerbero"}, "did you mean kerberos"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "title", "changes", "told"), KEPT)
def test_old_lines_are_kept_or_it_is_said_why_not(tmp_path, name, text, title, changes, told):
    (tmp_path / name).write_text(text)
    try:
        made = amend(declared_as(tmp_path / name, title), changes, keep_old=True)
    except (ct.FieldError, ct.UnknownName) as error:
        assert told in str(error)
        return
    made.apply()
    assert told in (tmp_path / name).read_text()
