"""Conversions: tables of source, target, text and ledger; and the drivers themselves as judges of what was written."""

import json

import asyncpg
import psycopg
import pytest
import sqlalchemy
from hypothesis import given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.catalog import load_driver
from cordtally.exchange.codecs import Misread, NoWord, read_value, word_of, write_value
from cordtally.exchange.planning import Planner
from cordtally.model import Authentication, AuthenticationMethod, Cord, Duration, Host, Secret, Tls, TlsLevel, clear

from ..strategies import ANY_TEXT

PG = "postgresql://keeper:pw@h:5433/d"
CASES = [
    (PG + "?connect_timeout=10", "pgjdbc", "jdbc:postgresql://h:5433/d?user=keeper&password=pw&connectTimeout=10",
     {"options.connect_timeout": "renamed", "password": "kept"}),
    (PG + "?sslmode=verify-full", "npgsql", "Host=h;Port=5433;Username=keeper;Password=pw;Database=d;SSL Mode=VerifyFull",
     {"tls.level": "reworded"}),
    (PG + "?sslmode=verify-ca&sslrootcert=/ca.pem&application_name=a", "psqlodbc",
     "DRIVER={PostgreSQL Unicode};Server=h;Port=5433;UID=keeper;PWD=pw;Database=d;SSLmode=verify-ca;"
     "pqopt={sslrootcert=/ca.pem application_name=a}", {"DRIVER": "added", "tls.ca": "renamed", "options.application_name": "renamed"}),
    ("postgresql://u@a,b:1/d", "sqlalchemy+psycopg", "postgresql+psycopg://u@/d?host=a%2Cb&port=%2C1", {}),
    ("postgresql://u@a,b:1/d", "npgsql", "Host=a,b:1;Username=u;Database=d", {}),
    ("postgresql://u@a,b:1/d", "psqlodbc", "DRIVER={PostgreSQL Unicode};Server=a;UID=u;Database=d", {"host": "dropped"}),
    ("host=/run/pg user=u", "pgjdbc", "jdbc:postgresql:///?user=u", {"host": "dropped"}),
    ("host=/run/pg user=u dbname=d", "sqlalchemy+psycopg", "postgresql+psycopg://u@/d?host=%2Frun%2Fpg", {}),
    (PG + "?sslmode=allow", "libpq/keyword", "host=h port=5433 user=keeper password=pw dbname=d sslmode=allow", {"tls.level": "kept"}),
    (PG + "?sslmode=allow", "npgsql", "Host=h;Port=5433;Username=keeper;Password=pw;Database=d;SSL Mode=Prefer",
     {"native.libpq/sslmode": "implied"}),
    (PG + "?target_session_attrs=read-write&zork=1", "pgjdbc", "jdbc:postgresql://h:5433/d?user=keeper&password=pw&targetServerType=primary",
     {"options.target_role": "reworded", "native.libpq/zork": "dropped"}),
    ("jdbc:mariadb://h/d?connectTimeout=1500&useSsl=true", "pymysql",
     '{"host": "h", "database": "d", "ssl_verify_cert": true, "connect_timeout": 2}',
     {"engine": "implied", "options.connect_timeout": "approximated", "tls.level": "approximated"}),
    ("jdbc:mariadb://h/d?connectTimeout=0&serverSslCert=/ca.pem&useSsl=true", "sqlalchemy+pymysql", "mariadb+pymysql://h/d?ssl_ca=%2Fca.pem",
     {"options.connect_timeout": "dropped", "tls.level": "kept"}),
    ("jdbc:mariadb://h/d?user=u&password=a%26b", "go-mysql", "u:a%26b@tcp(h)/d", {}),
    ("u:a&b@tcp(h)/d", "mariadb-java", "jdbc:mariadb://h/d?user=u", {"password": "dropped"}),
    ('{"user": "a:b", "host": "h", "database": "d/e"}', "go-mysql", "tcp(h)/", {"user": "dropped", "database": "dropped"}),
    ("u:p@tcp(h)/d?timeout=90s&readTimeout=1ns", "mariadb-java",
     "jdbc:mariadb://h/d?user=u&password=p&connectTimeout=90000&socketTimeout=1",
     {"options.connect_timeout": "rescaled", "options.read_timeout": "approximated"}),
    ("u:p@unix(/run/m.sock)/d", "mariadb-java", "jdbc:mariadb:///d?localSocket=%2Frun%2Fm.sock".replace("%2F", "/") + "&user=u&password=p", {}),
    ("postgresql://h/d?sslmode=verify-full&sslrootcert=/x&connect_timeout=5", "asyncpg/arguments",
     '{"host": "h", "database": "d", "ssl": "verify-full", "timeout": 5}', {"tls.ca": "dropped", "tls.level": "renamed"}),
    ("postgresql://h/d?sslmode=verify-full&keepalives=0", "pg8000",
     '{"host": "h", "database": "d", "ssl_context": true, "tcp_keepalive": false}', {"tls.level": "approximated"}),
    ("postgresql://h/d?sslmode=prefer&keepalives=0", "psycopg2/arguments",
     '{"host": "h", "dbname": "d", "sslmode": "prefer", "keepalives": "0"}', {"options.tcp_keepalive": "kept"}),
    ("postgresql://h/d?sslmode=prefer", "lib-pq", "postgresql://h/d?sslmode=require", {"tls.level": "approximated"}),
    ("postgresql://u:a%2Fb@a:1,b:2//d?host=c", "pgx", "postgresql://u:a%2Fb@c:1", {"database": "dropped"}),
    ("file:/a%20b.db?mode=ro", "sqlalchemy+sqlite3", "sqlite:///file%3A/a%2520b.db?mode=ro&uri=true", {"options.open_mode": "kept"}),
    ("file:a.db?mode=ro&cache=shared", "sqlite-jdbc", "jdbc:sqlite:file:a.db?mode=ro&shared_cache=true", {"options.open_mode": "kept"}),
    ("file:a.db?immutable=1", "pdo-sqlite/arguments", '{"dsn": "sqlite:file:a.db?immutable=1"}', {"native.sqlite3/immutable": "kept"}),
    ("sqlite:///a.db?timeout=2.5", "sqlite3/arguments", '{"database": "a.db", "timeout": 2.5}', {"options.busy_timeout": "kept"}),
    ("postgresql://h/d?target_session_attrs=standby", "pgjdbc", "jdbc:postgresql://h/d?targetServerType=secondary", {"options.target_role": "approximated"}),
    ("host=/run/a_b port=6000 dbname=d", "activerecord+pg", "postgres://%2Frun%2Fa%5Fb:6000/d", {"host": "kept"}),
    ("u@tcp([::1]:3307)/d", "mysqli", '{"hostname": "[::1]", "port": 3307, "username": "u", "database": "d"}', {"host": "reworded"}),
    ("u:p@unix(/run/s)/d", "pdo-mysql", "mysql:unix_socket=/run/s;user=u;password=p;dbname=d", {"host": "kept"}),
    ("mysql:host=[::1]:3307;port=1", "dbd-mysql", "dbi:mysql:host=[::1];port=3307", {"host": "kept"}),
    # strict says more than its level: TLS starts before the protocol does
    ("Data Source=h;Encrypt=Strict", "mssql-jdbc", "jdbc:sqlserver://h;encrypt=strict", {"tls.level": "reworded", "native.sqlclient/Encrypt": "implied"}),
    ("Data Source=h;Encrypt=Strict", "tedious", '{"server": "h", "options": {"encrypt": "strict"}}', {"native.sqlclient/Encrypt": "implied"}),
    ("Data Source=h;Encrypt=Strict", "go-mssqldb", "sqlserver://h?encrypt=true", {"native.sqlclient/Encrypt": "approximated"}),
    ("mysql://h/d?charset=utf8mb4", "pdo-mysql", "mysql:host=h;dbname=d;charset=utf8mb4", {"options.charset": "kept"}),
    ("mysql://h/d?charset=UTF8MB4_BIN", "pdo-mysql", "mysql:host=h;dbname=d", {"native.mysql2/charset": "dropped"}),
    ("host=h port=x", "pgjdbc", "jdbc:postgresql://h/", {"port": "dropped"}),
    ("postgresql://h/d?host=a,b&port=1,x", "npgsql", "Host=a:1,b;Database=d", {"port": "dropped"}),
    ("host=h port=99999", "pgjdbc", "jdbc:postgresql://h:99999/", {"port": "kept"}),
    ("sqlite:///a.db?timeout=2.5", "sqlite3/path", "a.db", {"options.busy_timeout": "dropped"}),
]  # fmt: skip


@pytest.mark.parametrize(("source", "target", "text", "outcomes"), CASES)
def test_conversion(source, target, text, outcomes):
    driver = {"{": "pymysql", "D": "sqlclient"}.get(source[0])
    writing = ct.convert(source, to=target, driver=driver)
    assert writing.text.unmask() == text
    assert {part: writing.ledger.line(part).outcome.value for part in outcomes} == outcomes
    assert all(line.reason for line in writing.ledger.losses)


@pytest.mark.parametrize(
    ("source", "target", "told"),
    [
        ("postgresql://h/d", "psqlodbc", "psqlODBC off"),
        ("jdbc:mariadb://h/d", "pymysql", "PyMySQL opportunistic"),
        ("postgresql://h/d", "pgjdbc", None),
        ("postgresql://h/d?sslmode=disable", "psqlodbc", None),
    ],
)
def test_defaults_that_differ_are_told(source, target, told):
    line = ct.convert(source, to=target).ledger.line("tls.default")
    assert (told in line.reason) if told else line is None


def test_the_wrong_engine_and_the_wrong_target_are_refused():
    with pytest.raises(ct.FieldError, match="PyMySQL does not speak to postgresql"):
        ct.convert(PG, to="pymysql")
    with pytest.raises(ct.UnknownName, match="did you mean npgsql"):
        ct.convert(PG, to="npgsq")


def test_a_family_stands_for_its_first_driver_of_the_engine():
    """``sqlalchemy`` is the toolkit whose URL leaves the driver out."""
    assert ct.convert(PG, to="sqlalchemy").target == "sqlalchemy+psycopg/url"
    assert ct.convert("a.sqlite", to="sqlalchemy").text.unmask() == "sqlite:///a.sqlite"
    assert ct.read("postgresql://u@h/d", driver="sqlalchemy").driver == "sqlalchemy+psycopg"
    assert ct.read("sqlite:///a.sqlite", driver="sqlalchemy").cord.engine == "sqlite"
    with pytest.raises(ct.TextError, match="no driver of this family"):
        ct.read("jdbc:postgresql://h/d", driver="sqlalchemy")


def test_the_document_and_the_secret_bytes():
    writing = ct.convert('{"password": "pä", "host": "h"}', to="pymysql", driver="pymysql")
    assert writing.clear_arguments()["password"] == "pä".encode()
    assert writing.to_dict()["arguments"] == {"host": "h", "password": "***"}
    assert writing.to_dict(unmask=True)["arguments"]["password"] == "pä"
    assert set(writing.to_dict()["ledger"][0]) == {"part", "from", "to", "outcome", "reason"}


@pytest.mark.parametrize(
    ("method", "target", "outcome", "text"),
    [
        ("kerberos", "libpq/keyword", "reworded", "require_auth=gss"),
        ("integrated", "npgsql", "dropped", ""),
        ("certificate", "pgjdbc", "implied", "jdbc:postgresql:///?sslcert=%2Fc.pem"),
        ("token", "libpq/keyword", "dropped", ""),
    ],
)
def test_log_in_methods(method, target, outcome, text):
    tls = Tls(certificate="/c.pem") if method == "certificate" else Tls()
    writing = ct.write(Cord("postgresql", authentication=Authentication(AuthenticationMethod(method)), tls=tls), target)
    assert (writing.text.unmask(), writing.ledger.line("authentication.method").outcome.value) == (text, outcome)


def values_in(cord):
    return {"user": clear(cord.user), "password": cord.password.unmask(), "dbname": clear(cord.database), "host": cord.hosts[0].address}


WORDS = ANY_TEXT.filter(lambda t: t and "\x00" not in t)


@settings(max_examples=200)
@given(user=WORDS, password=WORDS, database=WORDS, name=WORDS)
def test_libpq_and_the_toolkit_read_what_was_meant(user, password, database, name):
    """The drivers as judges: libpq's own parser, and the toolkit's."""
    cord = Cord("postgresql", (Host("tide-1", 5433),), database, user, Secret(password), options=(("application_name", name),))
    meant = {**values_in(cord), "application_name": name, "port": "5433"}
    for target in ("libpq/url", "libpq/keyword"):
        assert psycopg.conninfo.conninfo_to_dict(ct.write(cord, target).text.unmask()) == meant
    nested = ct.read(ct.write(cord, "psqlodbc").text, driver="psqlodbc").cord
    assert clear(nested.option("application_name")) == name
    url = sqlalchemy.make_url(ct.write(cord, "sqlalchemy+psycopg").text.unmask())
    dialect_arguments = url.get_dialect()().create_connect_args(url)[1]
    assert {k: str(v) for k, v in dialect_arguments.items()} == meant


@settings(max_examples=200)
@given(user=WORDS, password=WORDS, database=WORDS, name=WORDS, host=st.sampled_from(["tide-1", "2001:db8::1", "/run/pg"]))
def test_asyncpg_reads_what_was_meant(user, password, database, name, host):
    options = (("application_name", name), ("target_role", "primary"))
    cord = Cord("postgresql", (Host(host, 5433), Host("tide-2")), database, user, Secret(password), options=options)
    named = dict.fromkeys(("host", "port", "user", "password", "passfile", "database", "ssl", "service", "servicefile", "direct_tls",
                           "server_settings", "target_session_attrs", "krbsrvname", "gsslib"))  # fmt: skip
    text = ct.write(cord, "asyncpg").text.unmask()
    addresses, found = asyncpg.connect_utils._parse_connect_dsn_and_args(dsn=text, **named)
    assert addresses == [f"{host}/.s.PGSQL.5433" if host[0] == "/" else (host, 5433), ("tide-2", 5432)]
    assert (found.user, found.password, found.database) == (user, password, database)
    assert (found.server_settings, found.target_session_attrs.value) == ({"application_name": name}, "primary")


@pytest.mark.parametrize(
    ("driver", "option", "word", "meaning"),
    [
        ("libpq", "connect_timeout", "10", Duration.of(10)),
        ("libpq", "connect_timeout", "0", Duration(None)),
        ("libpq", "connect_timeout", "-3", Duration(None)),
        ("libpq", "keepalives_idle", "0", None),
        ("pgjdbc", "connectTimeout", "9999999", "bounds"),
        ("libpq", "connect_timeout", "5s", "duration"),
        ("libpq", "connect_timeout", "١", "duration"),
        ("mariadb-java", "connectTimeout", "250", Duration.of(250, "ms")),
        ("mariadb-java", "connectTimeout", "-1", "bounds"),
        ("pymysql", "connect_timeout", "0", "special-number"),
        ("npgsql", "Cancellation Timeout", "-1", None),
        ("go-mysql", "timeout", "-1h2.5s", "special-number"),
        ("go-mysql", "timeout", "1h2.5s", Duration.of(3_602_500, "ms")),
        ("go-mysql", "timeout", "5", "duration"),
        ("go-mysql", "timeout", ".5ms", Duration.of(500, "us")),
        ("go-mysql", "maxAllowedPacket", "0", None),
        ("sqlite3", "timeout", "0", Duration(0)),
        ("sqlite3", "timeout", "0.25", Duration.of(250, "ms")),
        ("mariadb-java", "pool", "TRUE", True),
        ("mariadb-java", "pool", "yes", "boolean"),
        ("libpq", "load_balance_hosts", "random", True),
        ("pgjdbc", "targetServerType", "preferslave", "prefer-read-only"),
        ("pgjdbc", "targetServerType", "preferPrimry", "word"),
        ("mariadb-java", "minPoolSize", "-1", "bounds"),
    ],
)
def test_words_and_their_meaning(driver, option, word, meaning):
    facts = load_driver(driver)
    found = read_value(facts.option(option), facts, word)
    assert (found.case.value if isinstance(found, Misread) else found) == meaning


@given(st.integers(0, 10**16).map(Duration) | st.just(Duration(None)))
def test_a_limit_is_never_turned_into_no_limit(value):
    """Rounding stays above, within one unit, and a finite wait never becomes an endless one, in any driver."""
    for driver in ("libpq", "pgjdbc", "npgsql", "mariadb-java", "pymysql", "go-mysql"):
        facts = load_driver(driver)
        option = facts.by_canonical["connect_timeout"]
        try:
            written = write_value(option, facts, value)
        except NoWord:
            assert value == Duration(None)
            continue
        again = read_value(option, facts, word_of(written.value, facts))
        assert (again.nanoseconds is None) == (value.nanoseconds is None)
        if written.loss is None:
            assert again == value
        elif "lowered" not in written.loss:
            assert value.nanoseconds <= again.nanoseconds <= value.nanoseconds + 10**9


def test_tls_is_never_weakened_without_being_said():
    levels = list(TlsLevel)
    for target in ("libpq", "pgjdbc", "npgsql", "psqlodbc", "pymysql", "sqlalchemy+pymysql", "go-mysql", "mariadb-java"):
        engine = load_driver(target).engines[0]
        for level in levels:
            for ca in (None, "/ca.pem"):
                writing = ct.write(Cord(engine, (Host("h"),), tls=Tls(level, ca)), target)
                again = ct.read(writing.text, driver=target).cord.tls.level or TlsLevel(load_driver(target).tls_default)
                line = writing.ledger.line("tls.level")
                if again < level:
                    assert (line.outcome, "weaker" in line.reason) == (ct.Outcome.APPROXIMATED, True), (target, level, ca)
                elif again != level:
                    assert line.outcome is ct.Outcome.APPROXIMATED, (target, level, ca)


SHAPES = [
    "postgresql://{0}:{1}@{2}.greywick.example:5433/{3}?sslmode=require&application_name={4}&connect_timeout=5",
    "Host={2};Username={0};Password={1};Database={3}",
    "mongodb://{0}:{1}@{2},b.greywick.example:27018/{3}?appName={4}",
    "{0}:{1}@tcp({2}:3307)/{3}",
]


@settings(max_examples=300)
@given(
    shape=st.sampled_from(SHAPES),
    words=st.lists(st.from_regex(r"[A-Za-z0-9_.%@é]{1,6}", fullmatch=True), min_size=5, max_size=5),
    target=st.sampled_from(["pgjdbc", "npgsql", "psycopg/arguments", "pg8000", "mongo-go", "mariadb-java", "mysqlclient", "comma", "odbc"]),
    pin=st.booleans(),
)
def test_a_plan_answers_as_the_full_conversion_does(shape, words, target, pin):
    """``convert --lines`` fills values into plans; what it says must be what `convert` says, for every text."""
    text = shape.format(*words)
    try:
        meant = json.dumps(ct.convert(text, to=target, pin=pin).to_dict(), ensure_ascii=False)
    except ct.CordTallyError:
        with pytest.raises(ct.CordTallyError):
            PLANNERS[pin].answer(text, target, None)
    else:
        assert PLANNERS[pin].answer(text, target, None) == meant


PLANNERS = {pin: Planner(pin=pin) for pin in (False, True)}


@pytest.mark.parametrize(
    ("text", "target", "pinned"),
    [
        ("jdbc:postgresql://h/d", "psycopg/arguments", {"options.connect_timeout": "connect_timeout=10"}),
        ("postgresql://h/d", "npgsql", {"options.connect_timeout": "Timeout=0"}),
        ("mongodb://h/d", "mongo-node", {"options.connect_timeout": "connectTimeoutMS=20000"}),
        ("postgresql://h/d?connect_timeout=3", "lib-pq", {}),
    ],
)
def test_defaults_are_told_and_pinned(text, target, pinned):
    told = {f"{part.removeprefix('options.')}.default" for part in pinned}
    assert told <= {line.part for line in ct.convert(text, to=target).ledger}
    writing = ct.convert(text, to=target, pin=True)
    for part, written in pinned.items():
        assert writing.ledger.line(part)[2:4] == (written, ct.Outcome.ADDED)
    if target == "lib-pq":  # it cannot say what libpq does by default
        line = writing.ledger.line("tls.level")
        assert (line.target, line.outcome) == ("sslmode=require", ct.Outcome.APPROXIMATED)


def test_a_wallet_comes_and_goes():
    mutual = ct.read("tcps://charts.greywick.example:1522/charts?wallet_location=/w", driver="oracle-net").cord
    one_way, ledger = ct.change_wallet(mutual, None, port=1521)
    assert (one_way.hosts[0].port, one_way.option("wallet_location"), one_way.tls.level) == (1521, None, TlsLevel.VERIFY_IDENTITY)
    assert {line.part for line in ledger} == {"options.wallet_location", "port"}
    again, _ = ct.change_wallet(one_way, "/w", port=1522)
    assert (again.hosts, again.options) == (mutual.hosts, mutual.options)
    with pytest.raises(ct.FieldError, match="Oracle"):
        ct.change_wallet(ct.read(PG).cord, None)
