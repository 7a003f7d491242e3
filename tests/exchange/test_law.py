"""The central law: writing and reading back gives the same cord, or the ledger says what does not."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.model import Cord, Host, Secret, Tls, TlsLevel

from ..strategies import TARGETS, cords


def differences(before: Cord, after: Cord) -> set[str]:
    """Name the parts in which two cords differ, in the ledger's words."""
    parts = {p for p in ("engine", "database", "user", "password", "discovery") if getattr(before, p) != getattr(after, p)}
    parts |= {"host"} if [h.address for h in before.hosts] != [h.address for h in after.hosts] else set()
    if len(before.hosts) == len(after.hosts):
        parts |= {"port"} if [h.port for h in before.hosts] != [h.port for h in after.hosts] else set()
    parts |= {"authentication.method"} if before.authentication.method != after.authentication.method else set()
    parts |= {"authentication.realm"} if before.authentication.realm != after.authentication.realm else set()
    for name in ("level", "ca", "certificate", "key", "key_password"):
        parts |= {f"tls.{name}"} if getattr(before.tls, name) != getattr(after.tls, name) else set()
    for kind, left, right in (("options", before.options, after.options), ("native", before.native, after.native)):
        one, other = dict(left), dict(right)
        parts |= {f"{kind}.{name}" for name in {*one, *other} if one.get(name) != other.get(name)}
    return parts


def hold_law(cord: Cord, target: str) -> None:
    writing = ct.write(cord, target)
    again = ct.read(writing.text, driver=target)
    added = {line.part for line in writing.ledger if line.outcome.value == "added"}
    differ = {p for p in differences(cord, again.cord) if not (p.startswith("native.") and p.partition("/")[2] in added)}
    undeclared = {p for p in differ if not writing.ledger.declares(p)}
    assert not undeclared, (sorted(undeclared), writing.text.unmask())
    if again.notation == "arguments":
        mapped = ct.read(writing.clear_arguments(), driver=target)
        assert mapped.cord == again.cord


@pytest.mark.parametrize("target", TARGETS)
@settings(max_examples=100, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(data=st.data())
def test_central_law(target, data):
    hold_law(data.draw(cords(target)), target)


FOUND = [
    ("psqlodbc/data-source", Cord("postgresql", tls=Tls(key_password=Secret("a\nb")))),
    ("odp-net/semicolon", Cord("oracle", (Host("h"),), "a\x00b")),
    ("pymongo/url", Cord("mongodb", (Host("h\x00", 1),))),
    ("sqlite3/url", Cord("sqlite", database="//harbour/log.db")),
    ("libpq/url", Cord("postgresql", user="")),
    ("pgjdbc/jdbc", Cord("postgresql", (Host("fe80::1%eth0"),))),
    ("npgsql/semicolon", Cord("postgresql", (Host("h"), Host("/run/pg", 1)))),
    ("go-mysql/dsn", Cord("mysql", (Host("@abstract", 5),))),
    ("sqlite3/path", Cord("sqlite", database="{")),
    ("pymysql/arguments", Cord("mysql", tls=Tls(TlsLevel.OPPORTUNISTIC, ca="/ca.pem"))),
]


@pytest.mark.parametrize(("target", "cord"), FOUND)
def test_cords_that_once_broke_the_law(target, cord):
    hold_law(cord, target)
