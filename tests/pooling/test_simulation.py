"""The simulations against each other, against exact values over many seeds, and the rules one by one."""

import math
import os
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cordtally.errors import PoolModelError
from cordtally.pooling.queues import FinitePool, mean_wait, patient_pool
from cordtally.pooling.simulation import rules as r
from cordtally.pooling.simulation.draws import Burst, Spread, draw_arrivals
from cordtally.pooling.simulation.plain import simulate_threads, simulate_waits
from cordtally.pooling.simulation.replay import Estimate
from cordtally.pooling.simulation.simulate import Requests, plain_rules, simulate_pools

from . import exact
from .test_queues import balanced

NO_TIME = Spread(0.0)


def simulate(arrivals, holds, *, size, end=1000.0, slots=None, leaks=None, connect=NO_TIME, plan=(), seed=1, instances=1, **rules):
    count = len(holds)
    zeros = np.zeros(count, dtype=int)
    requests = Requests(np.array(arrivals, dtype=float), np.array(holds, dtype=float), zeros if slots is None else np.array(slots), zeros if leaks is None else np.array(leaks))
    return simulate_pools(plain_rules(instances, size, end, **rules), requests, rng=np.random.default_rng(seed), connect=connect, plan=list(plan))


@settings(max_examples=60)
@given(st.integers(1, 8) | st.just(170), st.floats(0.2, 1.4), st.sampled_from([math.inf, 0.5, 3.0]), st.integers(0, 10**6))
def test_both_simulations_are_the_same_queue(size, usage, timeout, seed):
    """Events without extras and Kiefer and Wolfowitz's recursion: each request waits just as long, or gives up in both."""
    rng = np.random.default_rng(seed)
    arrivals = draw_arrivals(rng, usage * size, 40.0)
    holds = Spread(1.0, 1.5).draw(rng, len(arrivals))
    waits = simulate_waits(arrivals, holds, size, timeout)
    run = simulate(arrivals, holds, size=size, acquire_timeout=timeout, end=5000.0)
    assert len(run.waits) == len(waits)
    assert np.allclose(run.waits, np.where(np.isinf(waits), timeout, waits), atol=1e-9)
    assert ((run.statuses == r.TIMED_OUT) == np.isinf(waits)).all()


RUNS, GROUPS, LENGTH = 12, 120, 6_000


def coverage(true, simulate_once):
    """How many of the groups' 95 % intervals hold the true mean wait."""
    held = 0
    for group in range(GROUPS):
        means = [float(np.mean(simulate_once(np.random.default_rng([7, group, run]))[LENGTH // 4 :])) for run in range(RUNS)]
        estimate = Estimate.of(means)
        held += estimate.low <= true <= estimate.high
    return held / GROUPS


@pytest.mark.parametrize(
    ("name", "hold", "true"),
    [
        ("exponential", Spread(1.0), lambda: mean_wait(3, 2.1, 1.0)),
        ("constant", Spread(1.0, 0.0), lambda: exact.constant_holds(3, 2.1)),
        ("two in sequence", Spread(1.0, math.sqrt(0.5)), lambda: exact.phased_holds(3, 2.1, None, (0.5, 0.5), 120)),
        ("two in parallel", Spread(1.0, 2.0, "two-exponentials"), lambda: exact.phased_holds(3, 2.1, *balanced(4.0), 300)),
    ],
)
def test_intervals_cover_exact_values(name, hold, true):
    """95 % intervals, 120 times: 95 % of them, within what chance allows (3.2 standard errors), and the slow start."""

    def once(rng):
        return simulate_waits(np.cumsum(rng.exponential(1 / 2.1, LENGTH)), hold.draw(rng, LENGTH), 3)

    assert 0.88 <= coverage(true(), once) <= 1.0


def test_intervals_cover_threads_and_timeouts():
    pool = FinitePool(3, 8, 2.0, 1.0)
    assert coverage(pool.mean, lambda rng: simulate_threads(rng.exponential(2.0, LENGTH), rng.exponential(1.0, LENGTH), 3, 8)) >= 0.88
    patient = patient_pool(3, 3.3, 1.0, 2.0)
    assert coverage(patient.mean, lambda rng: np.minimum(simulate_waits(np.cumsum(rng.exponential(1 / 3.3, LENGTH)), rng.exponential(1.0, LENGTH), 3, 2.0), 2.0)) >= 0.88


def test_threads_by_events():
    """The event simulation of threads against the exact queue."""
    rng = np.random.default_rng(5)
    count = 60_000
    requests = Requests(np.zeros(0), rng.exponential(1.0, count), np.zeros(count, int), np.zeros(count, int), rng.exponential(2.0, count))
    run = simulate_pools(plain_rules(1, 3, 20_000.0, threads=8), requests, rng=rng, connect=NO_TIME, plan=[])
    pool = FinitePool(3, 8, 2.0, 1.0)
    assert math.isclose(run.waits.mean(), pool.mean, rel_tol=0.05)
    assert math.isclose(len(run.waits) / run.asked[-1], pool.throughput, rel_tol=0.03)


def outcome(run):
    return [r.OUTCOMES[status] for status in run.statuses]


def rounded(run):
    return [round(float(wait), 6) for wait in run.waits]


def test_ties_and_who_comes_first():
    """A connection that comes back just at the timeout is still given; what comes back at an arrival is free for it."""
    run = simulate([0.0, 0.5], [1.0, 1.0], size=1, acquire_timeout=0.5)
    assert (outcome(run), rounded(run)) == (["served", "served"], [0.0, 0.5])
    assert rounded(simulate([0.0, 1.0], [1.0, 1.0], size=1)) == [0.0, 0.0]
    first = simulate([0.0, 0.1, 0.2], [1.0, 1.0, 1.0], size=1)
    last = simulate([0.0, 0.1, 0.2], [1.0, 1.0, 1.0], size=1, serve_newest=True)
    assert (rounded(first), rounded(last)) == ([0.0, 0.9, 1.8], [0.0, 1.9, 0.8])


def test_who_pays_for_a_connection():
    """The caller waits for its own; the pool's goes to whoever is first, who may meanwhile get one that came back."""
    cost = Spread(0.5, 0.0)
    caller = simulate([0.0, 0.1], [0.2, 0.2], size=2, min_size=0, connect=cost, caller_connects=True)
    pool = simulate([0.0, 0.1], [0.05, 0.2], size=2, min_size=0, connect=cost)
    assert rounded(caller) == [0.5, 0.5]
    assert rounded(pool) == [0.5, 0.45]
    assert pool.counts["opened"] == 2
    slow = simulate([0.0, 0.0, 0.0], [9.0] * 3, size=3, min_size=0, connect=cost, opening_at_once=1)
    assert rounded(slow) == [0.5, 1.0, 1.5]
    queued = simulate([0.0, 0.0, 0.0], [9.0] * 3, size=3, min_size=0, connect=cost, server_slots=2)
    assert rounded(queued) == [0.5, 0.5, 1.0]


def test_idle_lifetime_and_validation():
    idle = simulate([0.0, 0.0, 5.0], [1.0, 1.0, 1.0], size=2, min_size=1, idle_timeout=2.0, end=10.0)
    assert idle.counts["closed_idle"] == 1
    life = simulate([0.0, 5.0], [1.0, 1.0], size=1, lifetime=3.0, end=10.0)
    assert (life.counts["closed_lifetime"], life.counts["opened"]) == (3, 4)
    busy = simulate([0.0], [5.0], size=1, min_size=0, lifetime=3.0, end=10.0)
    assert (outcome(busy), busy.counts["closed_lifetime"]) == (["served"], 1)
    checked = simulate([0.0, 2.0, 2.5], [0.1, 0.1, 0.1], size=1, validate_time=0.2, validate_after=1.0)
    assert rounded(checked) == [0.0, 0.2, 0.0]
    newest = simulate([0.0, 0.0, 1.0, 2.0, 3.0], [0.1] * 5, size=2, min_size=0, idle_timeout=2.5, end=3.5)
    oldest = simulate([0.0, 0.0, 1.0, 2.0, 3.0], [0.1] * 5, size=2, min_size=0, idle_timeout=2.5, end=3.5, reuse_newest=False)
    assert (newest.counts["closed_idle"], oldest.counts["closed_idle"]) == (1, 0)


def test_leaks_and_their_reclaim():
    """A connection that is not given back is missing until it is reclaimed, counted from when it was taken."""
    kept = simulate([0.0, 1.0], [0.5, 0.5], size=1, leaks=[1, 0], acquire_timeout=5.0, end=20.0)
    assert outcome(kept) == ["served", "timed out"]
    back = simulate([0.0, 1.0], [0.5, 0.5], size=1, leaks=[1, 0], reclaim_after=3.0, end=20.0)
    assert (rounded(back), back.counts["closed_leak"]) == ([0.0, 2.0], 1)


def test_limits_restarts_and_tokens():
    """Refused: the caller fails, the pool tries again; a restart breaks what is in use, and idle ones at their next use."""
    refused = simulate([0.0, 0.0], [1.0, 1.0], size=2, min_size=0, server_limit=1, caller_connects=True)
    waiting = simulate([0.0, 0.0], [1.0, 1.0], size=2, min_size=0, server_limit=1, retry_connect_after=0.7)
    assert (outcome(refused), outcome(waiting)) == (["served", "refused"], ["served", "served"])
    assert rounded(waiting)[1] == 1.0
    plan = [(1.0, r.DOWN), (2.0, r.UP)]
    down = simulate([0.5, 3.0, 3.1], [1.0, 0.1, 0.1], size=2, plan=plan, retry_connect_after=0.1, reuse_newest=False)
    assert outcome(down)[0] == "broken"
    assert outcome(down)[1:] == ["broken", "served"]
    seen = simulate([0.5, 3.0], [0.1, 0.1], size=1, plan=plan, validate_time=0.01, retry_connect_after=0.1)
    assert outcome(seen) == ["served", "served"]
    stale = simulate([0.0, 9.5], [0.1, 0.1], size=1, min_size=0, idle_timeout=1.0, token_every=10.0, token_life=9.0, caller_connects=True)
    assert outcome(stale) == ["served", "refused"]
    closed = simulate([0.0, 9.6], [0.1, 0.1], size=1, token_every=10.0, token_life=9.0, token_closes=True, retry_connect_after=0.25, end=20.0)
    assert (closed.counts["closed_lifetime"], round(float(closed.waits[1]), 6)) == (2, 0.4)


@pytest.mark.parametrize(("limit", "ready", "ends"), [(100, r.AT_MAXIMUM, True), (10, r.AT_MAXIMUM, False), (10, r.AT_MINIMUM, True)])
def test_a_deploy_at_the_limit(limit, ready, ends):
    """Two new instances at once that want all their connections before they serve, with room for neither: it never ends."""
    rng = np.random.default_rng(1)
    arrivals = draw_arrivals(rng, 5.0, 60.0)
    run = simulate(
        arrivals, np.full(len(arrivals), 0.05), size=4, instances=2, slots=rng.integers(0, 2, len(arrivals)), end=60.0, min_size=1 if ready == r.AT_MINIMUM else 4,
        server_limit=limit, surge=2, ready=ready, plan=[(10.0, r.DEPLOY)], retry_connect_after=0.5, caller_connects=False,
    )  # fmt: skip
    assert (run.deployed_at is not None) == ends
    assert run.counts["most_open"] <= limit


def test_holds_stretch_with_what_is_active():
    """Two at once with α = 1: each goes at half speed; then the one that is left goes at full speed."""
    run = simulate([0.0, 0.0, 5.0], [1.0, 2.0, 0.1], size=1, instances=2, slots=[0, 1, 0], alpha=1.0)
    assert rounded(run) == [0.0, 0.0, 0.0]
    after = simulate([0.0, 0.0, 1.9, 2.9], [1.0, 2.0, 0.1, 0.1], size=1, instances=2, slots=[0, 1, 0, 1], alpha=1.0)
    assert np.allclose(after.waits, [0.0, 0.0, 0.1, 0.2], atol=1e-9)


def test_retries_ask_again():
    run = simulate([0.0, 0.1], [3.0, 1.0], size=1, acquire_timeout=1.0, retry_share=1.0, retry_after=0.5, end=20.0)
    assert outcome(run) == ["served", "timed out", "timed out"] or outcome(run).count("timed out") >= 1
    assert run.counts["retried"] >= 1


@settings(max_examples=40)
@given(st.data())
def test_nothing_is_lost_whatever_the_rules(data):
    """Every request ends in one way; no more is open than allowed; nothing is in use that no request holds."""
    draw = data.draw
    seed = draw(st.integers(0, 10**6))
    rng = np.random.default_rng(seed)
    size, instances = draw(st.integers(1, 6)), draw(st.integers(1, 4))
    arrivals = draw_arrivals(rng, draw(st.floats(1, 60)), 20.0, bursts=(Burst(5.0, 2.0, 4.0),))
    holds = Spread(0.2, draw(st.sampled_from([0.0, 0.5, 1.0, 3.0]))).draw(rng, len(arrivals))
    limit = draw(st.integers(1, 30))
    rules = {
        "min_size": draw(st.integers(0, size)), "min_idle": draw(st.integers(0, size)), "acquire_timeout": draw(st.sampled_from([0.1, 1.0, math.inf])),
        "idle_timeout": draw(st.sampled_from([0.3, math.inf])), "lifetime": draw(st.sampled_from([1.0, math.inf])), "lifetime_jitter": draw(st.sampled_from([0.0, 0.5])),
        "reuse_newest": draw(st.booleans()), "serve_newest": draw(st.booleans()), "caller_connects": draw(st.booleans()), "opening_at_once": draw(st.integers(0, 2)),
        "validate_time": draw(st.sampled_from([0.0, 0.01])), "reclaim_after": draw(st.sampled_from([0.5, math.inf])), "retry_share": draw(st.sampled_from([0.0, 0.7])),
        "retry_after": 0.05, "server_limit": limit, "server_slots": draw(st.integers(0, 2)), "alpha": draw(st.sampled_from([0.0, 0.1])), "surge": draw(st.integers(1, 2)),
        "boot_time": 0.1, "boot_jitter": draw(st.sampled_from([0.0, 0.5])), "drain_limit": 1.0, "retry_connect_after": 0.2, "token_every": draw(st.sampled_from([4.0, math.inf])), "token_life": 3.0, "token_closes": draw(st.booleans()),
    }  # fmt: skip
    plan = draw(st.sampled_from([[], [(8.0, r.DOWN), (9.0, r.UP)], [(12.0, r.DEPLOY)], [(8.0, r.DOWN), (9.0, r.UP), (7.5, r.DEPLOY)]]))
    run = simulate(arrivals, holds, size=size, instances=instances, slots=rng.integers(0, instances, len(arrivals)), leaks=(rng.random(len(arrivals)) < 0.02).astype(int),
                   connect=Spread(0.02, 0.5), plan=plan, seed=seed, end=60.0, **rules)  # fmt: skip
    assert len(run.statuses) == len(arrivals) + run.counts["retried"]
    assert run.counts["most_open"] <= limit
    assert (run.line >= 0).all()
    kept = run.line[:, [r.LINE.index(name) for name in ("in_use", "idle", "connecting", "leaked")]].sum(axis=1)
    assert (kept <= 2 * size * instances).all()
    assert (run.waits >= 0).all()
    assert (run.waits[run.statuses == r.TIMED_OUT] == rules["acquire_timeout"]).all()
    last = run.line[-1]
    if math.isinf(rules["acquire_timeout"]) is False:
        assert (run.statuses != r.UNFINISHED).all()
        assert last[2] == 0
    closed = sum(run.counts[name] for name in run.counts if name.startswith("closed_"))
    assert run.counts["opened"] - closed == kept[-1]


def test_the_same_figures_without_numba():
    """Interpreted and compiled loops give the same waits from the same seed, to the last digit."""
    program = """
import numpy as np
from cordtally.pooling.simulation.scenario_file import make_scenario
from cordtally.pooling.simulation.replay import replay
s = make_scenario({"load": {"arrivals": "90/s", "hold": "40ms", "hold_cv": 1.7, "duration": "20s", "warm_up": "2s"},
  "pool": {"instances": 2, "max_size": 3, "acquire_timeout": "300ms", "idle_timeout": "1s", "lifetime": "5s", "lifetime_jitter": 0.2, "retry_share": 0.5},
  "server": {"limit": 5, "connect_time": "15ms", "alpha": 0.02}, "restarts": [{"at": "10s", "lasts": "1s"}]})
from cordtally.pooling.simulation.accelerating import ACCELERATED
from cordtally.pooling.simulation.plain import simulate_waits
rng = np.random.default_rng(5)
waits = simulate_waits(np.cumsum(rng.exponential(0.1, 5000)), rng.lognormal(-1, 1.5, 5000), 11, 0.8)
print(ACCELERATED, np.minimum(waits, 9).sum(), sorted((k, v.mean) for k, v in replay(s, replications=2, seed=4).cases[0].figures.items()))
"""
    told = []
    for extra in ({}, {"NUMBA_DISABLE_JIT": "1"}):
        done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True, env={**os.environ, **extra})
        told.append(done.stdout.split(" ", 1))
    assert [accelerated for accelerated, _ in told] == ["True", "False"]
    assert told[0][1] == told[1][1]


@pytest.mark.parametrize(
    ("arrivals", "holds", "words"),
    [
        ([], [], "trace is empty"),
        ([0.0], [1.0, 2.0], "1 arrivals and 2 holds"),
        ([0.0, math.nan], [1.0, 1.0], "request 2 has nan"),
        ([0.0, 1.0], [1.0, -1.0], "request 2 has -1 s"),
        ([2.0, 1.0], [1.0, 1.0], "clock goes backwards: request 2"),
        ([0.0], [math.inf], "holds must be finite"),
    ],
)
def test_what_is_no_trace(arrivals, holds, words):
    with pytest.raises(PoolModelError, match=words):
        simulate_waits(np.array(arrivals), np.array(holds), 1)


def test_what_cannot_be_simulated():
    one = np.array([1.0])
    for bad in (lambda: simulate_waits(one, one, 0), lambda: simulate_threads(one, one, 1, 0), lambda: plain_rules(1, 1, 1.0, speed=3), lambda: Spread(-1.0), lambda: Spread(1.0, 1.0, "round"), lambda: Spread(1.0, 0.5, "two-exponentials"), lambda: Spread.of(np.array([])), lambda: Burst(-1.0, 1.0, 2.0)):
        with pytest.raises(PoolModelError):
            bad()


@pytest.mark.parametrize("spread", [Spread(2.0, 0.0), Spread(2.0, 0.3), Spread(2.0), Spread(2.0, 3.0), Spread(2.0, 2.0, "two-exponentials"), Spread.of(np.array([1.0, 3.0]))])
def test_draws_have_the_moments_that_were_asked_for(spread):
    drawn = spread.draw(np.random.default_rng(1), 400_000)
    assert math.isclose(drawn.mean(), spread.mean, rel_tol=0.02)
    assert math.isclose(drawn.std() / drawn.mean(), spread.cv, rel_tol=0.06, abs_tol=1e-12)


def test_bursts_bring_more():
    times = draw_arrivals(np.random.default_rng(1), 100.0, 100.0, bursts=(Burst(20.0, 10.0, 5.0), Burst(50.0, 10.0, 0.0)))
    counts = np.histogram(times, bins=10, range=(0, 100))[0]
    assert abs(counts[2] - 5000) < 300
    assert counts[5] == 0
    assert (np.diff(times) >= 0).all()
