"""Sums of connections, shares against brute force and greedy, and what cannot be meant."""

import itertools
import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cordtally.errors import PoolModelError
from cordtally.pooling.budgeting import Pooler, Server, Service, allocate, make_budget, read_services
from cordtally.pooling.queues import patient_pool

HARBOUR = """
[server]
limit = 120
reserve = 5
jobs = 4
[[services]]
name = "tide-gauge"
instances = 4
max_instances = 6
surge = 1
pool_size = 8
arrivals = "480/s"
hold = "35ms"
[[services]]
name = "harbour-portal"
instances = 20
max_instances = 40
pool_size = 4
pooler = "portal-pooler"
[[poolers]]
name = "portal-pooler"
server_connections = 25
client_limit = 100
"""


def test_sums(tmp_path):
    (tmp_path / "b.toml").write_text(HARBOUR)
    budget = make_budget(*read_services(tmp_path / "b.toml"))
    gauge, pooler = budget.rows
    assert (gauge.now, gauge.scaled, gauge.deploying, gauge.failover) == (32, 48, 56, 56)
    assert (pooler.now, pooler.scaled, pooler.behind) == (25, 25, 160)
    assert (budget.server.left, budget.total("failover"), budget.fits) == (111, 81, True)
    assert budget.findings == ("in the worst case 30 of 111 are left", "portal-pooler: 160 clients at worst, and it lets 100 in")
    assert budget.to_dict()["totals"] == {"now": 57, "scaled": 73, "deploying": 81, "failover": 81}
    two = make_budget(Server(limit=120, servers=3), [Service(name="a", instances=4, pool_size=10)])
    assert two.rows[0].failover == 60
    full = make_budget(Server(limit=30), [Service(name="a", instances=4, pool_size=10, arrivals=500.0, hold=0.1)])
    assert full.findings[0] == "as they run now the services may open 40, and the server leaves 30: 10 too many"
    assert "the queue grows without end" in full.findings[1]
    assert list(budget.to_frame()["name"]) == ["tide-gauge", "portal-pooler"]


services = st.lists(
    st.builds(
        lambda k, instances, surge, arrivals, hold, weight, timeout: Service(name=f"s{k}", instances=instances, surge=surge, arrivals=arrivals, hold=hold, weight=weight, acquire_timeout=timeout),
        st.integers(), st.integers(1, 3), st.integers(0, 1), st.floats(1, 40), st.floats(0.01, 0.2), st.floats(0.2, 5), st.sampled_from([0.5, 2.0]),
    ),
    min_size=1, max_size=3, unique_by=lambda s: s.name,
)  # fmt: skip


def waiting(listed, sizes):
    return sum(s.weight * s.arrivals * patient_pool(c, s.arrivals / s.instances, s.hold, s.acquire_timeout).mean for s, c in zip(listed, sizes))


@settings(max_examples=60)
@given(services, st.integers(4, 26))
def test_shares_are_the_best_of_all(listed, limit):
    """Against every combination of whole sizes that fits."""
    if sum(s.worst for s in listed) > limit:
        with pytest.raises(PoolModelError, match="are needed"):
            allocate(Server(limit=limit), listed)
        return
    found = allocate(Server(limit=limit), listed)
    ranges = [range(1, limit // s.worst + 1) for s in listed]
    fitting = (sizes for sizes in itertools.product(*ranges) if sum(c * s.worst for c, s in zip(sizes, listed)) <= limit)
    best = min(waiting(listed, sizes) for sizes in fitting)
    assert found.used <= limit
    assert math.isclose(found.waiting, best, rel_tol=1e-9, abs_tol=1e-6)
    assert math.isclose(waiting(listed, [share.pool_size for share in found.shares]), best, rel_tol=1e-9, abs_tol=1e-6)


def test_greedy_is_as_good_where_steps_are_equal():
    """Fox (1966): with one instance each the largest decrease first is optimal."""
    listed = [Service(name=f"s{k}", arrivals=20.0 + 10 * k, hold=0.05 + 0.03 * k, weight=1.0 + k) for k in range(4)]
    sizes = [math.floor(s.arrivals * s.hold) + 1 for s in listed]
    while sum(sizes) < 60:
        gains = [waiting([s], [c]) - waiting([s], [c + 1]) for s, c in zip(listed, sizes)]
        sizes[gains.index(max(gains))] += 1
    found = allocate(Server(limit=60), listed)
    assert math.isclose(found.waiting, waiting(listed, sizes), rel_tol=1e-9)
    assert [share.name for share in found.shares] == ["s0", "s1", "s2", "s3"]
    assert found.applied(listed)[0].pool_size == found.shares[0].pool_size
    assert allocate(Server(limit=60), listed, taken=30).used <= 30


def test_csv(tmp_path):
    (tmp_path / "b.csv").write_text("name,instances,pool_size,arrivals,hold\ntide-gauge,4,8,480/s,35ms\nsurvey,2,5,,\n")
    server, listed, poolers = read_services(tmp_path / "b.csv", limit=100, reserve=10)
    assert (server.left, [s.pool_size for s in listed], poolers) == (90, [8, 5], [])
    with pytest.raises(PoolModelError, match="survey: arrivals and hold are needed"):
        allocate(server, listed)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("limit = 120", ""), "server's limit is missing"),
        (("limit = 120", "limit = 8"), r"reserve and jobs \(9\) leave nothing"),
        (("limit = 120", "limit = -3"), "limit: -3 is not a whole number"),
        (("pool_size = 8", "poolsize = 8"), "service 1: there is no field 'poolsize'; did you mean pool_size"),
        (("pool_size = 8", "pool_size = 'x'"), "pool_size: 'x' is not a whole number"),
        (("max_instances = 6", "max_instances = 2"), r"max_instances \(2\) is below instances \(4\)"),
        (('arrivals = "480/s"', "arrivals = 480"), "arrivals: '480' is not a rate"),
        (('"harbour-portal"', '"tide-gauge"'), "tide-gauge stands there twice"),
        (('pooler = "portal-pooler"', 'pooler = "portal-poolr"'), "no pooler; did you mean portal-pooler"),
        (("server_connections = 25", ""), "server_connections is missing"),
        (("[[poolers]]", "[[pools]]"), "no section 'pools'"),
        (("[server]", "[server"), "this is no TOML"),
        (('hold = "35ms"', 'hold = "35"'), "hold: "),
        (("\ninstances = 4", "\ninstances = 0"), "instances must be at least 1"),
    ],
)
def test_what_is_no_budget(tmp_path, change, words):
    (tmp_path / "b.toml").write_text(HARBOUR.replace(*change))
    with pytest.raises(PoolModelError, match=words):
        read_services(tmp_path / "b.toml")


def test_what_cannot_be_summed_or_shared():
    heavy = Service(name="a", instances=4, arrivals=1000.0, hold=0.1)
    with pytest.raises(PoolModelError, match="give a an acquire_timeout"):
        allocate(Server(limit=50), [heavy])
    with pytest.raises(PoolModelError, match="pool_size is missing"):
        make_budget(Server(limit=50), [heavy])
    with pytest.raises(PoolModelError, match="weight"):
        Service(name="a", weight=0.0)
    assert Pooler(name="p", server_connections=3).client_limit == 0
