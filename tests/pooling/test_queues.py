"""The queues against independent solutions, to 1e-9; their limits; and what cannot be meant."""

import math

import mpmath
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from cordtally.errors import PoolModelError
from cordtally.pooling.queues import (
    Contention,
    FinitePool,
    crowded_pool,
    general_pool,
    mean_wait,
    patient_pool,
    wait_probability,
    wait_quantile,
)
from cordtally.pooling.queues.error_bound import error_bound
from cordtally.pooling.queues.general import constant_hold_ratio
from cordtally.pooling.queues.renewal import decay, gaps_of, waiting_flow

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


@settings(max_examples=150)
@example(38, 1.572265625, 32.75, 0.5)  # the scale is below the smallest normal number, and e^(−δt) beyond the largest
@example(38, 1.572265625, 60.0, 0.3)
@given(st.integers(1, 60), st.floats(0.05, 3), st.floats(0.01, 200), st.floats(0.001, 0.999))
def test_quantiles_are_the_inverse_of_the_shares(connections, usage, timeout, share):
    """The share that waits longer than a quantile is what it should be, by the density of the wait."""
    pool = patient_pool(connections, usage * connections, 1.0, timeout)
    wait = pool.quantile(share)
    assert 0 <= wait <= timeout
    drift = connections * (1 - usage)
    if 0 < wait < timeout:
        free, waiting, lost = pool._parts
        scale = mpmath.exp(min(0.0, drift * timeout))
        area = wait if abs(drift * wait) < 1e-9 else -mpmath.expm1(mpmath.mpf(-drift * wait)) / drift
        served = (free + pool.flow * scale * area) / (free + waiting + lost)
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


@pytest.mark.parametrize("variability", [0.5, 1.0, 1.7, 4.0])
@pytest.mark.parametrize(("connections", "usage"), [(1, 0.8), (6, 0.7), (20, 0.9), (40, 0.8)])
def test_gaps_that_vary(connections, usage, variability):
    pool = general_pool(connections, usage * connections, 1.0, 1.0, variability)
    waits, mean = exact.varied_gaps(connections, usage * connections, variability)
    assert math.isclose(pool.wait_share, waits, rel_tol=1e-9)
    assert math.isclose(pool.mean, mean, rel_tol=1e-9)


@pytest.mark.parametrize("usage", [0.3, 0.9999, 1.0, 1.0001, 1.5])
@pytest.mark.parametrize("variability", [0.0, 0.03, 0.5, 1.0, 9.0])
def test_the_decay_of_waits_solves_its_equation(usage, variability):
    """To full precision close to capacity, too, where a root at 0 and it meet."""
    gaps = gaps_of(usage * 50, variability)
    eta = mpmath.mpf(decay(gaps, 50.0))
    transform = sum(mpmath.mpf(p) * (v / (v + eta)) ** k for p, k, v in gaps.mixture)
    slope = sum(mpmath.mpf(p) * k / v * (v / (v + eta)) ** (k + 1) for p, k, v in gaps.mixture)
    if usage == 1:
        assert abs(eta) < 1e-12
    else:
        assert abs((50 * (1 - transform) - eta) / (50 * slope - 1)) < 1e-11 * abs(eta)
    assert math.isclose(gaps.mean * usage * 50, 1, rel_tol=1e-12)


def test_large_pools_with_varied_gaps():
    """5,000 connections: as Erlang's where the gaps are nearly those of a Poisson stream, and no overflow elsewhere."""
    near = gaps_of(4900, 1.0)
    assert math.isclose(waiting_flow(near, 5000, 1.0, 100.0), patient_pool(5000, 4900, 1.0).flow, rel_tol=1e-9)
    for usage, variability in ((0.1, 0.0), (0.1, 9.0), (0.9999, 0.0), (0.9999, 9.0)):
        pool = general_pool(5000, 5000 * usage, 1.0, 1.0, variability)
        assert 0 <= pool.wait_share < 1
        assert pool.mean >= 0


@settings(max_examples=60)
@given(st.integers(1, 60), st.floats(0.05, 0.98), st.floats(0, 6), st.floats(0, 10), st.floats(0.05, 20))
def test_who_gives_up_follows_from_who_would_wait_longer(connections, usage, arrival_scv, hold_scv, timeout):
    """Boots and Tijms: (1 − ρ)·T / (1 − ρ·T); T from the pool before which nobody gives up."""
    patient, endless = (general_pool(connections, usage * connections, 1.0, hold_scv, arrival_scv, t) for t in (timeout, math.inf))
    longer = endless.wait_share * math.exp(-endless.drift * timeout)
    assert math.isclose(patient.timeout_share, (1 - usage) * longer / (1 - usage * longer), rel_tol=1e-6, abs_tol=1e-14)
    assert patient.mean <= endless.mean * (1 + 1e-9)
    for share in (0.5, 0.95, 0.99):
        assert patient.quantile(share) <= min(timeout, endless.quantile(share)) * (1 + 1e-9)


@pytest.mark.parametrize(("hold_scv", "arrival_scv"), [(0.0, 1.0), (4.0, 1.0), (1.0, 4.0), (0.25, 0.25), (4.0, 4.0), (4.0, 0.25)])
def test_capacity_is_passed_without_a_step_and_overload_loses_the_rest(hold_scv, arrival_scv):
    for before, after in ((1 - 1e-6, 1.0), (1.0, 1 + 1e-6)):
        one, other = (general_pool(6, 6 * usage, 1.0, hold_scv, arrival_scv, 2.0) for usage in (before, after))
        for figure in ("timeout_share", "wait_share", "mean"):
            assert math.isclose(getattr(one, figure), getattr(other, figure), rel_tol=1e-4)
    flood = general_pool(6, 12.0, 1.0, hold_scv, arrival_scv, 200.0)
    assert math.isclose(flood.timeout_share, 0.5, rel_tol=1e-6)
    assert math.isinf(general_pool(6, 6.1, 1.0, hold_scv, arrival_scv).mean)


@pytest.mark.parametrize("connections", [2, 5, 20])
@pytest.mark.parametrize("usage", [0.5, 0.8, 0.95])
def test_approximations_keep_to_what_was_published(connections, usage):
    """Constant holds against Spitzer's identity, E2 and H2 against truncated chains; Kimura: within 4.4 % of them."""
    load = usage * connections
    true = exact.constant_holds(connections, load)
    if mean_wait(connections, load, 1.0) > 1e-6:
        assert math.isclose(constant_hold_ratio(connections, usage) * mean_wait(connections, load, 1.0), true, rel_tol=0.06)
        assert math.isclose(general_pool(connections, load, 1.0, 0.0).mean, true, rel_tol=0.06)
    if connections <= 5:
        levels = 120 if usage < 0.9 else 400
        for scv, shares, means in ((0.5, None, (0.5, 0.5)), (4.0, *balanced(4.0))):
            true = exact.phased_holds(connections, load, shares, means, levels if connections == 2 else levels // 2 + 60)
            assert math.isclose(general_pool(connections, load, 1.0, scv).mean, true, rel_tol=0.06), scv


def balanced(scv):
    first = 0.5 * (1 + math.sqrt((scv - 1) / (scv + 1)))
    return (first, 1 - first), (0.5 / first, 0.5 / (1 - first))


def test_the_bound_holds_what_was_measured():
    low, high = error_bound(5, 0.8, 1.0, 1.0).p99
    assert -0.05 < low <= high < 0.05
    assert error_bound(7, 0.75, 1.0, 3.0).p99[1] >= error_bound(5, 0.7, 1.0, 2.0).p99[1]
    assert error_bound(5, 1.1, 1.0, 1.0, 2.0).timeout_share[1] < 0.005  # exact but for chance
    assert error_bound(3, 0.08, 1.0, 0.5, 1.2) is not None  # a small pool that hardly works, as most are
    far, further = (error_bound(5, 0.8, 1.0, 2.0, timeout) for timeout in (50.0, 5000.0))
    assert far == further
    for beyond in ((7, 0.99, 1.0, 3.0), (500, 0.5, 1.0, 3.0), (5, 0.5, 1.0, 1.0, 0.1), (5, 1.3, 1.0, 1.0, 1.0)):
        assert error_bound(*beyond) is None


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
        (lambda: general_pool(2, 1, 1, -1.0), "variability of the hold"),
        (lambda: gaps_of(0, 1), "rate above 0"),
        (lambda: general_pool(2, 1, 1, timeout=0.0), "acquire timeout must be"),
        (lambda: patient_pool(2, 1, 1).quantile(1.0), "between 0 and 1"),
        (lambda: FinitePool(2, 5, 1, 1).quantile(0.0), "between 0 and 1"),
        (lambda: general_pool(2, 1, 1).quantile(2.0), "between 0 and 1"),
    ],
)
def test_what_cannot_be_meant(make, words):
    with pytest.raises(PoolModelError, match=words):
        make()


def test_the_more_connections_the_shorter_the_wait():
    for make in (lambda c: patient_pool(c, 4.2, 1.0, 3.0), lambda c: FinitePool(c, 30, 6.0, 1.0), lambda c: general_pool(c, 4.2, 1.0, 3.0), lambda c: general_pool(c, 4.2, 1.0, 1.0, 3.0)):
        means = [make(c).mean for c in range(5, 14)]
        assert means == sorted(means, reverse=True)
    assert wait_probability(5, 4.2) > general_pool(6, 4.2, 1.0, 3.0).wait_share


@pytest.mark.parametrize(
    ("connections", "usage", "arrival_scv", "hold_scv", "timeout"),
    [(5, 0.7, 1.0, 0.0, math.inf), (5, 0.9, 1.0, 2.0, math.inf), (20, 0.8, 4.0, 1.0, math.inf), (10, 0.9, 0.25, 0.25, math.inf), (10, 0.9, 1.0, 4.0, 2.0), (5, 1.2, 4.0, 4.0, 8.0)],
)
def test_the_errors_written_down_are_found_again(connections, usage, arrival_scv, hold_scv, timeout):
    """A fresh simulation of a point of the grid: its error lies within those of the table, but for chance."""
    from cordtally.pooling.simulation.draws import Spread
    from cordtally.pooling.simulation.plain import simulate_waits

    rate, found = usage * connections, []
    for run in range(6):
        rng = np.random.default_rng([99, run])
        gaps = Spread(1 / rate, math.sqrt(arrival_scv), "gamma" if arrival_scv < 1 else None if arrival_scv == 1 else "two-exponentials").draw(rng, 200_000)
        waits = simulate_waits(np.cumsum(gaps), Spread(1.0, math.sqrt(hold_scv)).draw(rng, 200_000), connections, timeout)[25_000:]
        found.append([np.quantile(np.minimum(waits, timeout), 0.99), np.isinf(waits).mean()])
    (p99, lost), noise = np.mean(found, axis=0), 4 * np.std(found, axis=0, ddof=1) / math.sqrt(6)
    pool, bound = general_pool(connections, rate, 1.0, hold_scv, arrival_scv, timeout), error_bound(connections, usage, arrival_scv, hold_scv, timeout)
    error, chance = (pool.quantile(0.99) - p99) / max(p99, 0.1), (1 + pool.quantile(0.99)) * noise[0] / max(p99, 0.1) + 0.02
    assert bound.p99[0] - chance <= error <= bound.p99[1] + chance
    assert bound.timeout_share[0] - noise[1] - 1e-3 <= pool.timeout_share - lost <= bound.timeout_share[1] + noise[1] + 1e-3
