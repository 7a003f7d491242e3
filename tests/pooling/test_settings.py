"""The catalog of pools, the law of conversion for all pairs, and what vetting finds."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cordtally.catalog.pool_libraries import MEANINGS, list_pools, load_pool
from cordtally.errors import FieldError, UnknownName
from cordtally.exchange import Outcome
from cordtally.model import Duration
from cordtally.pooling.settings import ServerLimits, convert_pool, read_settings, vet_pool
from cordtally.pooling.settings.reading import own_settings, read_settings_file

POOLS = list_pools()
UNCHECKED = {"npgsql-pool", "sqlclient-pool", "mysqlconnector-pool", "sqlx-rust", "deadpool", "r-pool", "db-connection", "proxysql", "odyssey"}


@pytest.mark.parametrize("name", POOLS)
def test_every_pool_reads_its_own_defaults(name):
    library = load_pool(name)
    empty = read_settings(library, {})
    assert empty.all.keys() >= {setting.means for setting in library.settings.values()} - {"overflow"}
    assert library.checked == (name not in UNCHECKED)
    assert len({setting.means for setting in library.settings.values()}) == len(library.settings)
    assert library.setting("max_size") or library.setting("overflow") or library.behaviour.when_full == "opens"


def test_enough_pools_in_enough_languages():
    libraries = [load_pool(name) for name in POOLS]
    assert len([p for p in libraries if p.kind == "library"]) >= 20
    assert len({p.language for p in libraries if p.kind == "library"}) >= 9
    assert len([p for p in libraries if p.kind == "server"]) >= 4
    assert {s.means for p in libraries for s in p.settings.values()} <= MEANINGS.keys()


def texts_for(setting):
    if setting.type == "word":
        return st.sampled_from(list(setting.words))
    if setting.type == "flag":
        return st.sampled_from(["true", "false"])
    if setting.unit == "word":
        return st.sampled_from(["90s", "5m", "1h"])
    least = setting.least or 1
    return st.integers(least, min(setting.most or 10**6, least + 5000)).map(str)


@settings(max_examples=400)
@given(st.data())
def test_what_is_written_reads_back_or_the_ledger_says_so(data):
    """The law of conversion: each value means the same to the target, or its line is approximated or dropped."""
    source, target = load_pool(data.draw(st.sampled_from(POOLS))), load_pool(data.draw(st.sampled_from(POOLS)))
    names = data.draw(st.lists(st.sampled_from(sorted(source.settings)), unique=True))
    given_settings = read_settings(source, {name: data.draw(texts_for(source.settings[name])) for name in names})
    conversion = convert_pool(given_settings, target)
    back = read_settings(target, conversion.settings)
    for means, value in given_settings.given.items():
        if means == "max_idle" and target.setting("overflow") and "max_size" in given_settings.all:
            continue
        line = conversion.ledger.line(means)
        assert line is not None, means
        if not line.outcome.is_loss:
            assert back.given[means] == value, (source.id, target.id, means)
    assert read_settings(target, convert_pool(given_settings, target, pin=True).settings)


@pytest.mark.parametrize(
    ("source", "given_texts", "target", "wanted"),
    [
        ("hikaricp", {"maximumPoolSize": "20", "connectionTimeout": "2500"}, "psycopg-pool", {"max_size": "20", "timeout": "2.5"}),
        ("hikaricp", {"maximumPoolSize": "20"}, "sqlalchemy", {"pool_size": "20", "max_overflow": "0"}),
        ("sqlalchemy", {"pool_size": "5", "max_overflow": "3"}, "hikaricp", {"maximumPoolSize": "8"}),
        ("sqlalchemy", {"pool_size": "5"}, "database-sql", {"MaxIdleConns": "5", "MaxOpenConns": "15"}),
        ("sqlalchemy", {"pool_recycle": "-1"}, "hikaricp", {"maxLifetime": "0"}),
        ("dbcp2", {"maxTotal": "-1"}, "aiomysql", {"maxsize": "0"}),
        ("pgxpool", {"pool_max_conn_lifetime": "90s"}, "pg-pool", {"maxLifetimeSeconds": "90"}),
        ("c3p0", {"maxConnectionAge": "5400"}, "pgxpool", {"pool_max_conn_lifetime": "90m"}),
        ("tarn", {"idleTimeoutMillis": "1500"}, "mysql-connector-pool", {}),
        ("hikaricp", {"connectionTimeout": "1500"}, "activerecord", {"checkout_timeout": "1.5"}),
        ("pg-pool", {"connectionTimeoutMillis": "100"}, "hikaricp", {"connectionTimeout": "250"}),
    ],
)  # fmt: skip
def test_conversions(source, given_texts, target, wanted):
    assert convert_pool(read_settings(source, given_texts), target).settings == wanted


def test_the_ledger_tells():
    ledger = convert_pool(read_settings("hikaricp", {"minimumIdle": "5", "maxLifetime": "0", "leakDetectionThreshold": "60000"}), "psycopg-pool").ledger
    assert ledger.line("min_idle").outcome is Outcome.APPROXIMATED
    assert "no word for no limit" in ledger.line("lifetime").reason
    assert ledger.line("leak_warning").outcome is Outcome.DROPPED
    assert ledger.line("reuse").outcome is Outcome.IMPLIED
    assert ledger.line("max_size").reason == "by default HikariCP takes 10, psycopg_pool no limit"
    pinned = convert_pool(read_settings("hikaricp", {}), "pg-pool", pin=True)
    assert pinned.settings["connectionTimeoutMillis"] == "30000"
    assert pinned.ledger.line("acquire_timeout").outcome is Outcome.ADDED
    assert pinned.to_dict()["schema"] == "cordtally/pool-conversion/1"


def settings_in(folder, text, name="pool.txt"):
    (folder / name).write_text(text)
    return read_settings_file(folder / name)


def test_reading(tmp_path):
    parsed = settings_in(tmp_path, "# pool\nspring.datasource.hikari.maximumPoolSize = 20\nidleTimeout: 60_000,\n'minimumIdle' = '5' \n")
    read = read_settings("hikaricp", parsed)
    assert (read.count("max_size"), read.seconds("idle_timeout"), read.count("min_idle")) == (20, 60.0, 5)
    assert read_settings("pg-pool", {"max": "0"}).count("max_size") == 10
    assert read_settings("sqlalchemy", {"max_overflow": "-1"}).value("max_size") is None
    assert read_settings("hikaricp", {"maximumPoolSize": "7"}).count("min_idle") == 7
    assert read_settings("psycopg-pool", {"timeout": "30s"}).value("acquire_timeout") == Duration.of(30)
    for texts, error, words in (
        ({"maxPoolSize": "3"}, UnknownName, "did you mean maximumPoolSize"),
        ({"maximumPoolSize": "many"}, FieldError, "must be a number"),
        ({"maximumPoolSize": "2.5"}, FieldError, "whole number"),
        ({"maximumPoolSize": "-7"}, FieldError, "0 or more"),
        ({"maximumPoolSize": "3", "MAXIMUMPOOLSIZE": "4"}, FieldError, "twice"),
    ):
        with pytest.raises(error, match=words):
            read_settings("hikaricp", texts)
    for name, texts in (("dbcp2", {"lifo": "maybe"}), ("pgxpool", {"pool_max_conn_lifetime": "90"})):
        with pytest.raises(FieldError):
            read_settings(name, texts)
    with pytest.raises(FieldError, match="line 2 is no setting"):
        settings_in(tmp_path, "a = 1\nnonsense\n")
    with pytest.raises(UnknownName, match="did you mean hikaricp"):
        load_pool("hikari")


@pytest.mark.parametrize(
    ("pool", "texts", "server", "rules"),
    [
        ("hikaricp", {"maximumPoolSize": "20"}, ServerLimits(connections=100), []),
        ("hikaricp", {"minimumIdle": "30"}, None, ["minimum-above-maximum"]),
        ("hikaricp", {"maximumPoolSize": "0"}, None, ["refused-value"]),
        ("database-sql", {}, ServerLimits(connections=100), ["endless-pool", "endless-acquire"]),
        ("database-sql", {"MaxOpenConns": "20"}, None, ["connections-thrown-away", "endless-acquire"]),
        ("pgpool-ii", {"num_init_children": "32", "max_pool": "4"}, ServerLimits(connections=100), ["pools-over-limit"]),
        ("pg-pool", {"connectionTimeoutMillis": "0"}, None, ["endless-acquire"]),
        ("tarn", {"max": "5", "acquireTimeoutMillis": "1000"}, None, ["acquire-below-connect"]),
        ("dbcp2", {"maxTotal": "8", "maxWaitMillis": "500", "minEvictableIdleTimeMillis": "7200000", "timeBetweenEvictionRunsMillis": "60000", "maxConnLifetimeMillis": "3600000"}, None, ["idle-beyond-lifetime"]),
        ("psycopg-pool", {"max_size": "8", "max_idle": "7200"}, None, []),  # which looks at a lifetime only when one comes back
        ("psycopg-pool", {"max_size": "8", "max_lifetime": "60"}, ServerLimits(idle_timeout=300.0), ["server-hangs-up-first"]),
        ("django-connections", {}, ServerLimits(connections=100), ["endless-pool"]),
        ("hikaricp", {"idleTimeout": "60000"}, None, ["pool-never-shrinks"]),
        ("pgbouncer", {"pool_mode": "transaction"}, None, ["state-is-not-kept"]),
        ("dbutils", {"maxconnections": "5"}, None, []),
        ("dbutils", {"maxconnections": "5", "blocking": "true"}, None, ["endless-acquire"]),
        ("redis-py-plain-pool", {}, None, []),
        ("dbcp2", {"maxTotal": "8", "maxWaitMillis": "500", "minIdle": "2"}, None, ["setting-without-effect"]),
        ("hikaricp", {"maximumPoolSize": "30"}, ServerLimits(connections=100, reserve=3), ["pools-over-limit"]),
        ("hikaricp", {}, ServerLimits(idle_timeout=300.0), ["server-hangs-up-first"]),
        ("hikaricp", {}, ServerLimits(idle_timeout=1200.0), ["server-hangs-up-first"]),
        ("hikaricp", {"minimumIdle": "2"}, ServerLimits(idle_timeout=1200.0), []),
        ("mysql2-pool", {"connectionLimit": "10"}, ServerLimits(idle_timeout=300.0), ["server-hangs-up-first", "endless-acquire"]),
        ("mysql2-pool", {"connectionLimit": "10", "maxIdle": "2"}, ServerLimits(idle_timeout=300.0), ["connections-thrown-away", "endless-acquire"]),
        ("hikaricp", {"connectionTimeout": "100", "maxLifetime": "10000"}, None, ["refused-value", "refused-value"]),
        ("hikaricp", {"connectionTimeout": "250"}, None, []),
        ("hikaricp", {}, ServerLimits(idle_timeout=28800.0), []),
        ("sqlalchemy", {"pool_pre_ping": "true"}, ServerLimits(idle_timeout=300.0), ["server-hangs-up-first"]),
    ],
)
def test_what_vetting_finds(pool, texts, server, rules):
    findings = vet_pool(read_settings(pool, texts), instances=4, server=server)
    assert [finding.rule.value for finding in findings] == rules
    assert all(finding.hint and finding.to_dict()["rule"] for finding in findings)


FILES = {
    "spring.datasource.url=jdbc:postgresql://h/d\nspring.datasource.hikari.maximum-pool-size=20\nserver.max-lifetime=5": "hikaricp",
    "spring:\n  datasource:\n    url: x\n    hikari:\n      maximum-pool-size: 20\n  other: 1\n": "hikaricp",
    "[databases]\n* = host=h\n[pgbouncer]\nlisten_port = 6432\ndefault_pool_size = 20": "pgbouncer",
    "MAXIMUM_POOL_SIZE=20": "hikaricp",
}


@pytest.mark.parametrize("text", FILES)
def test_a_framework_s_own_file_is_read_and_its_other_keys_passed_over(tmp_path, text):
    name = "application.yml" if text.startswith("spring:") else "pool.txt"
    kept, others = own_settings(FILES[text], settings_in(tmp_path, text, name))
    assert (read_settings(FILES[text], kept).count("max_size"), len(kept)) == (20, 1)
    assert all(name not in kept for name in others)


def test_a_server_has_a_limit():
    with pytest.raises(FieldError, match="at least 1"):
        ServerLimits(connections=-1)
    assert read_settings("hikaricp", {"maximumPoolSize": "999999999999999999"}).count("max_size") == 999_999_999_999_999_999
