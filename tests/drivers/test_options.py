"""Every option that a target takes, written by itself, is taken by its driver: it connects."""

import pytest

import cordtally as ct
from cordtally.catalog import load_canonical
from cordtally.exchange import load_target
from cordtally.model import ByteSize, Cord, Duration, Host, Secret

from ..servers import ADMIN_PASSWORD
from . import tls

# asyncmy leaves a refused connection to the garbage collector
pytestmark = [pytest.mark.servers, pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")]
TEXTS = {"application_name": "tide-gauge", "collation": "utf8mb4_bin", "init_statement": "SET @tide = 1", "schema_search_path": "public",
         "session_options": "-c work_mem=4MB", "charset": {"postgresql": "UTF8", "mysql": "utf8mb4", "redis": "utf-8"}}  # fmt: skip
# what this server, or this machine, refuses for a reason of its own
REFUSED = {"target_role": {"standby", "read-only"}, "gss_encryption": {"require"}}


def values_of(name, fact, option, engine):
    if fact.type == "word":
        return [w for w in dict.fromkeys((option.values or {}).values()) if w not in REFUSED.get(name, ())]
    text = TEXTS.get(name)
    by_type = {"duration": [Duration.of(7)], "bool": [True, False], "int": [10], "bytes": [ByteSize(1 << 20)]}
    return by_type.get(fact.type, [text[engine] if isinstance(text, dict) else text] if text else [])


@pytest.mark.parametrize("target", [*tls.PG_DRIVERS, *tls.MY_DRIVERS, *tls.REDIS_DRIVERS])
def test_each_option_is_taken(target, request):
    engine = next(e for e, drivers in (("postgresql", tls.PG_DRIVERS), ("mysql", tls.MY_DRIVERS), ("redis", tls.REDIS_DRIVERS)) if target in drivers)
    server = request.getfixturevalue({"mysql": "mariadb", "redis": "redis_server"}.get(engine, engine))
    connect = {**tls.PG_DRIVERS, **tls.MY_DRIVERS, **tls.REDIS_DRIVERS}[target]
    database, user = {"postgresql": "postgres", "mysql": "mysql"}.get(engine), None if engine == "redis" else "harbour_master"
    base = Cord(engine, (Host("127.0.0.1", server.port),), database, user, Secret(ADMIN_PASSWORD))
    by_canonical, failed = load_target(ct.write(base, target).target).by_canonical, []
    for name, fact in load_canonical().items():
        if name not in by_canonical or name == "protocol_version":
            continue
        for value in values_of(name, fact, by_canonical[name], engine):
            writing = ct.write(base.copy_with(options={name: value}), target)
            if not writing.ledger.losses and (found := tls.seen(connect, writing)) not in {"tls", "plain"}:
                failed.append((name, str(value), found, str(writing.text)))
    assert failed == []
