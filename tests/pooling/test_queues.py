"""The queues against independent solutions, to 1e-9; their limits; and what cannot be meant."""

import math

import mpmath
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cordtally.errors import PoolModelError
from cordtally.pooling.queues import (
    BurstyPool,
    Contention,
    FinitePool,
    GeneralPool,
    burst_stream,
    crowded_pool,
    mean_wait,
    patient_pool,
    renewal_stream,
    wait_probability,
    wait_quantile,
)
from cordtally.pooling.queues.error_bound import error_bound
from cordtally.pooling.queues.general import constant_hold_wait

from . import exact


@pytest.mark.parametrize("connections", [1, 2, 7, 50, 300])
@pytest.mark.parametrize("usage", [0.3, 0.9, 0.9999, 1.0, 1.0001, 2.0])
@pytest.mark.parametrize("timeout", [0.01, 1.0, 30.0])
def test_giving_up_is_exact(connections, usage, timeout):
    arrivals = usage * connections
    pool = patient_pool(connections, arrivals, 1.0, timeout)
    waits, lost, mean = exact.impatient(connections, arrivals, 1.0, timeout)
    for found, wanted in ((pool.wait_share, waits), (pool.timeout_share, lost), (pool.mean, mean)):
        assert math.isclose(found, wanted, rel_tol=1e-9) or wanted < 1e-250
    assert math.isclose(pool.utilisation, arrivals * (1 - lost) / connections, rel_tol=1e-9)


@pytest.mark.parametrize("usage", [0.9999, 0.5, 1.5])
def test_large_patient_pools(usage):
    """5,000 connections: neither overflow nor lost digits."""
    found = patient_pool(5000, 5000 * usage, 1.0, 50.0)
    waits, lost, mean = exact.impatient(5000, 5000 * usage, 1.0, 50.0)
    assert math.isclose(found.wait_share, waits, rel_tol=1e-9) or waits < 1e-250
    assert math.isclose(found.timeout_share, lost, rel_tol=1e-9, abs_tol=1e-250)
    assert math.isclose(found.mean, mean, rel_tol=1e-9, abs_tol=1e-250)


def test_endless_patience_is_erlang_and_overload_loses_the_rest():
    for share in (0.5, 0.99, 0.9999):
        assert math.isclose(patient_pool(6, 120, 0.035).quantile(share), wait_quantile(6, 4.2, 0.035, share), rel_tol=1e-12, abs_tol=1e-15)
    assert math.isclose(patient_pool(6, 120, 0.035).mean, mean_wait(6, 4.2, 0.035), rel_tol=1e-12)
    flood = patient_pool(4, 1e6, 1.0, 10.0)
    assert math.isclose(flood.timeout_share, 1 - 4e-6, rel_tol=1e-9)
    assert math.isclose(flood.mean, 10.0, rel_tol=1e-4)
    assert math.isinf(patient_pool(4, 5.0, 1.0).mean)


@settings(max_examples=150, deadline=None)
@given(st.integers(1, 60), st.floats(0.05, 3), st.floats(0.01, 200), st.floats(0.001, 0.999))
def test_quantiles_are_the_inverse_of_the_shares(connections, usage, timeout, share):
    """The share that waits longer than a quantile is what it should be, by the density of the wait."""
    pool = patient_pool(connections, usage * connections, 1.0, timeout)
    wait = pool.quantile(share)
    assert 0 <= wait <= timeout
    drift = connections * (1 - usage)
    if 0 < wait < timeout and drift * wait > -600:
        free, waiting, lost = pool._parts
        scale = math.exp(drift * timeout) if drift < 0 else 1.0
        area = wait if abs(drift * wait) < 1e-9 else -math.expm1(-drift * wait) / drift
        served = (free + usage * connections * pool.last_free * scale * area) / (free + waiting + lost)
        if scale > 1e-200:
            assert math.isclose(served, share, rel_tol=1e-7)
    elif wait == 0:
        assert pool.wait_share <= 1 - share + 1e-12
    elif wait == timeout:
        assert pool.timeout_share >= 1 - share - 1e-9


@pytest.mark.parametrize(("connections", "threads", "think"), [(1, 2, "0.5"), (3, 3, "1"), (3, 4, "1"), (6, 16, "2.857"), (20, 200, "9.5"), (64, 400, "5")])
def test_finite_threads_are_exact(connections, threads, think):
    waits, mean, through = exact.finite(connections, threads, think, 1)
    pool = FinitePool(connections, threads, float(think), 1.0)
    assert math.isclose(pool.wait_share, waits, rel_tol=1e-9)
    assert math.isclose(pool.mean, mean, rel_tol=1e-9)
    assert math.isclose(pool.throughput, through, rel_tol=1e-9)
    assert math.isclose(pool.throughput * (pool.think + pool.mean + pool.hold), threads, rel_tol=1e-9)


def test_finite_waits_by_their_distribution():
    pool = FinitePool(4, 20, 3.0, 1.0)
    for share in (0.5, 0.95, 0.999):
        assert math.isclose(pool.beyond(pool.quantile(share)), 1 - share, rel_tol=1e-9)
    wanted = sum(float(q) * float(mpmath.gammainc(k + 1, 8.0, regularized=True)) for k, q in enumerate(pool._met[4:]))
    assert math.isclose(pool.beyond(2.0), wanted, rel_tol=1e-12)
    assert FinitePool(20, 20, 3.0, 1.0).quantile(0.9999) == 0
    assert FinitePool(5, 5000, 0.0, 1.0).throughput == 5
    large = FinitePool(5000, 20_000, 3.0004, 1.0)
    assert math.isclose(large.throughput * (large.think + large.mean + large.hold), 20_000, rel_tol=1e-9)
    assert math.isclose(FinitePool(6, 5000, 5000 / 4.2 - 1, 1.0).mean, mean_wait(6, 4.2, 1.0), rel_tol=0.01)


def test_contention():
    """Without it M/M/c; with α = 1 the server does one thing at a time, and the number there is that of M/M/1."""
    plain = crowded_pool(6, 4.2, 1.0, Contention())
    assert math.isclose(plain.mean, mean_wait(6, 4.2, 1.0), rel_tol=1e-12)
    assert math.isclose(plain.hold, 1.0, rel_tol=1e-12)
    serial = crowded_pool(5, 0.7, 1.0, Contention(1.0))
    assert math.isclose(serial.wait_share, 0.7**5, rel_tol=1e-12)
    assert math.isclose(serial.utilisation * 5, sum(0.7**k for k in range(1, 6)), rel_tol=1e-12)
    law = Contention(0.02, 0.0004)
    assert law.peak == max(range(1, 200), key=law.capacity)
    assert (Contention(1.0).peak, Contention(0.1).peak) == (1, None)
    assert not crowded_pool(200, law.capacity(law.peak) * 0.99, 1.0, law).stable
    assert crowded_pool(law.peak, law.capacity(law.peak) * 0.9, 1.0, law).stable
    alone, shared = (crowded_pool(6, 4.0, 1.0, law, instances=n) for n in (1, 3))
    assert shared.hold > alone.hold


def test_gaps_that_vary():
    """Renewal gaps: the mean wait of those that wait is 1/(cμ(1−σ)), with σ the root of the gaps' Laplace transform."""
    for scv in (0.5, 1.0, 4.0):
        stream = renewal_stream(4.2, scv)
        pool = BurstyPool(6, stream, 1.0)
        sigma = 0.5
        for _ in range(2000):
            s = 6 * (1 - sigma)
            inner = np.linalg.solve(s * np.eye(len(stream.quiet)) - stream.quiet, stream.bringing.sum(axis=1))
            start = np.linalg.solve(-stream.quiet.T, np.ones(len(stream.quiet)))
            start = (stream.bringing[np.argmax(stream.bringing.sum(axis=1))] / stream.bringing.sum(axis=1).max()) if scv != 0.5 else np.eye(len(inner))[0]
            sigma = float(start @ inner)
        assert math.isclose(pool.mean / pool.wait_share, 1 / (6 * (1 - sigma)), rel_tol=1e-7)
    assert math.isclose(BurstyPool(6, renewal_stream(4.2, 1.0), 1.0).mean, mean_wait(6, 4.2, 1.0), rel_tol=1e-9)
    steady = BurstyPool(6, burst_stream(4.2, 4.2, 3.0, 1.0), 1.0)
    assert math.isclose(steady.quantile(0.99), wait_quantile(6, 4.2, 1.0, 0.99), rel_tol=1e-9)
    assert BurstyPool(6, burst_stream(2.0, 8.6, 30.0, 15.0), 1.0).mean > 5 * steady.mean
    assert math.isclose(burst_stream(2.0, 8.6, 30.0, 15.0).rate, 4.2, rel_tol=1e-12)


@pytest.mark.parametrize("connections", [2, 5, 20])
@pytest.mark.parametrize("usage", [0.5, 0.8, 0.95])
def test_approximations_keep_to_what_was_published(connections, usage):
    """Constant holds against Spitzer's identity, E2 and H2 against truncated chains; Kimura: within 4.4 % of them."""
    load = usage * connections
    true = exact.constant_holds(connections, load)
    if mean_wait(connections, load, 1.0) > 1e-6:
        assert math.isclose(constant_hold_wait(connections, load, 1.0), true, rel_tol=0.06)
        assert math.isclose(GeneralPool(connections, load, 1.0, 0.0).mean, true, rel_tol=0.06)
    if connections <= 5:
        levels = 120 if usage < 0.9 else 400
        for scv, shares, means in ((0.5, None, (0.5, 0.5)), (4.0, *balanced(4.0))):
            true = exact.phased_holds(connections, load, shares, means, levels if connections == 2 else levels // 2 + 60)
            assert math.isclose(GeneralPool(connections, load, 1.0, scv).mean, true, rel_tol=0.06), scv


def balanced(scv):
    first = 0.5 * (1 + math.sqrt((scv - 1) / (scv + 1)))
    return (first, 1 - first), (0.5 / first, 0.5 / (1 - first))


def test_the_bound_holds_what_was_measured():
    low, high = error_bound(5, 0.8, 1.0, 1.0)
    assert -0.05 < low <= high < 0.05
    assert error_bound(7, 0.75, 1.0, 3.0)[1] >= error_bound(5, 0.7, 1.0, 2.0)[1] - 1e-12
    assert error_bound(7, 0.99, 1.0, 3.0) is None
    assert error_bound(500, 0.5, 1.0, 3.0) is None


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: patient_pool(0, 1, 1), "connections must be"),
        (lambda: patient_pool(2, -1, 1), "load must be"),
        (lambda: patient_pool(2, math.nan, 1), "load must be"),
        (lambda: patient_pool(2, 1, 1, 0.0), "acquire timeout must be"),
        (lambda: FinitePool(2, 0, 1, 1), "threads must be"),
        (lambda: FinitePool(2, 2, -1, 1), "think time must be"),
        (lambda: FinitePool(2, 2, 1, 0), "hold must be"),
        (lambda: Contention(1.2), "alpha"),
        (lambda: Contention(0, -1), "beta"),
        (lambda: GeneralPool(2, 1, 1, -1.0), "variability of the hold"),
        (lambda: renewal_stream(0, 1), "rate above 0"),
        (lambda: burst_stream(1, 2, 0, 1), "lengths above 0"),
        (lambda: patient_pool(2, 1, 1).quantile(1.0), "between 0 and 1"),
        (lambda: FinitePool(2, 5, 1, 1).quantile(0.0), "between 0 and 1"),
        (lambda: GeneralPool(2, 1, 1).quantile(2.0), "between 0 and 1"),
        (lambda: BurstyPool(2, renewal_stream(1, 2), 1).quantile(2.0), "between 0 and 1"),
    ],
)
def test_what_cannot_be_meant(make, words):
    with pytest.raises(PoolModelError, match=words):
        make()


def test_the_more_connections_the_shorter_the_wait():
    for make in (lambda c: patient_pool(c, 4.2, 1.0, 3.0), lambda c: FinitePool(c, 30, 6.0, 1.0), lambda c: GeneralPool(c, 4.2, 1.0, 3.0), lambda c: BurstyPool(c, renewal_stream(4.2, 3.0), 1.0)):
        means = [make(c).mean for c in range(5, 14)]
        assert means == sorted(means, reverse=True)
    assert wait_probability(5, 4.2) > GeneralPool(6, 4.2, 1.0, 3.0).wait_share


@pytest.mark.parametrize(("connections", "usage", "arrival_scv", "hold_scv"), [(5, 0.7, 1.0, 0.0), (5, 0.9, 1.0, 2.0), (20, 0.8, 4.0, 1.0), (10, 0.9, 0.25, 0.25), (2, 0.9, 1.0, 4.0)])
def test_the_errors_written_down_are_found_again(connections, usage, arrival_scv, hold_scv):
    """A fresh simulation of a point of the grid: its error lies within those of the table, but for chance."""
    from cordtally.pooling.simulation.draws import Spread
    from cordtally.pooling.simulation.plain import simulate_waits

    rate, found = usage * connections, []
    for run in range(6):
        rng = np.random.default_rng([99, run])
        gaps = Spread(1 / rate, math.sqrt(arrival_scv), "gamma" if arrival_scv < 1 else None if arrival_scv == 1 else "two-exponentials").draw(rng, 200_000)
        waits = simulate_waits(np.cumsum(gaps), Spread(1.0, math.sqrt(hold_scv)).draw(rng, 200_000), connections)
        found.append(np.quantile(waits[25_000:], 0.99))
    error = (GeneralPool(connections, rate, 1.0, hold_scv, arrival_scv).quantile(0.99) - np.mean(found)) / max(np.mean(found), 0.1)
    low, high = error_bound(connections, usage, arrival_scv, hold_scv)
    chance = (1 + error) * (4 * np.std(found, ddof=1) / math.sqrt(6) / max(np.mean(found), 0.1) + 0.02)
    assert low - chance <= error <= high + chance
