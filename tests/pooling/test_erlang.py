"""Erlang's queue against exact arithmetic, the search against its own promise, and what cannot be meant."""

import math
from decimal import Decimal, getcontext
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.figures import show_seconds
from cordtally.pooling import (
    WaitTarget,
    blocking,
    mean_wait,
    parse_rate,
    parse_target,
    wait_probability,
    wait_quantile,
)


def exact_wait_probability(connections, load):
    """Erlang C from its definition, in rational arithmetic: independent of the recursion under test."""
    rho = load / connections
    term, total = Fraction(1), Fraction(0)
    for k in range(connections):
        total += term
        term = term * load / (k + 1)
    last = term / (1 - rho)
    return last / (total + last)


@pytest.mark.parametrize("connections", [1, 2, 5, 20, 100, 400])
@pytest.mark.parametrize("utilisation", [Fraction(1, 100), Fraction(1, 2), Fraction(9, 10), Fraction(9999, 10000)])
def test_erlang_c_is_exact(connections, utilisation):
    exact = exact_wait_probability(connections, connections * utilisation)
    found = wait_probability(connections, float(connections * utilisation))
    assert math.isclose(found, exact, rel_tol=1e-9) or exact < 1e-290


def test_large_pools_neither_overflow_nor_lose_digits():
    """5,000 connections at 0.9999: compared with 60-digit decimals."""
    getcontext().prec = 60
    share, load = Decimal(1), Decimal("4999.5")
    for k in range(1, 5001):
        share = load * share / (k + load * share)
    busy = share / (1 - load / 5000 * (1 - share))
    assert math.isclose(wait_probability(5000, 4999.5), busy, rel_tol=1e-9)
    assert 0 <= blocking(1_000_000, 10.0) < 1e-300


def test_published_values():
    """M/M/1 in closed form, and c = 2: C = 2ρ²/(1+ρ) (Gross et al., section 2.3)."""
    for rho in (0.1, 0.5, 0.9):
        assert math.isclose(wait_probability(1, rho), rho, rel_tol=1e-12)
        assert math.isclose(mean_wait(1, rho, 0.02), rho * 0.02 / (1 - rho), rel_tol=1e-12)
        assert math.isclose(wait_probability(2, 2 * rho), 2 * rho**2 / (1 + rho), rel_tol=1e-12)


@settings(max_examples=60)
@given(st.floats(0.1, 5000), st.floats(0.0005, 2), st.integers(1, 30), st.floats(0.0001, 1), st.sampled_from([0.5, 0.9, 0.99, 0.999]))
def test_the_answer_meets_the_target_and_one_less_does_not(arrivals, hold, instances, seconds, quantile):
    load = ct.PoolLoad(arrivals=arrivals, hold=hold, instances=instances)
    sizing = ct.size_pool(load, WaitTarget(seconds, quantile))
    assert wait_quantile(sizing.recommended, load.erlangs, hold, quantile) <= seconds
    if sizing.recommended > 1:
        assert wait_quantile(sizing.recommended - 1, load.erlangs, hold, quantile) > seconds
    chosen = [row for row in sizing.rows if row.size == sizing.recommended]
    assert len(chosen) == 1
    assert [row.p99 for row in sizing.rows] == sorted((row.p99 for row in sizing.rows), reverse=True)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"arrivals": -1.0}, "arrivals must be"),
        ({"arrivals": math.nan}, "arrivals must be"),
        ({"hold": 0.0}, "hold must be"),
        ({"hold": math.inf}, "hold must be"),
        ({"instances": 0}, "instances must be"),
    ],
)
def test_loads_that_cannot_be_meant(changes, words):
    with pytest.raises(ct.PoolModelError, match=words):
        ct.PoolLoad(**{"arrivals": 1.0, "hold": 1.0, "instances": 1, **changes})


def test_limits():
    load = ct.PoolLoad(arrivals=1000, hold=0.1, instances=10)
    full = ct.size_pool(load, "5ms@p99", server_limit=120, reserve=10)
    assert full.recommended is None
    assert "the server leaves 110" in full.reasons[-1]
    assert ct.size_pool(load, "5ms@p99", server_limit=500).recommended is not None
    for kwargs, words in (({"server_limit": 0}, "at least 1"), ({"server_limit": 5, "reserve": 5}, "leaves nothing"), ({"reserve": -1}, "0 or more")):
        with pytest.raises(ct.PoolModelError, match=words):
            ct.size_pool(load, "5ms@p99", **kwargs)
    for bad in ((0, 1.0), (1, -1.0), (1, math.nan)):
        with pytest.raises(ct.PoolModelError):
            wait_probability(*bad)
    assert (wait_probability(2, 2.0), mean_wait(2, 3.0, 1.0), wait_quantile(2, 3.0, 1.0, 0.5)) == (1.0, math.inf, math.inf)
    with pytest.raises(ct.PoolModelError, match="between 0 and 1"):
        wait_quantile(2, 1.0, 1.0, 1.0)


@pytest.mark.parametrize(("text", "rate"), [("120/s", 120), ("2.5k/min", 2500 / 60), ("900/h", 0.25), ("1M/h", 1e6 / 3600)])
def test_rates(text, rate):
    assert math.isclose(parse_rate(text), rate)


@pytest.mark.parametrize("text", ["120", "120/day", "-1/s", "/s", "1e3/s", "٣/s"])
def test_what_is_no_rate(text):
    with pytest.raises(ct.FieldError, match="is not a rate"):
        parse_rate(text)


@pytest.mark.parametrize("text", ["5ms", "5@p99", "5ms@99", "5ms@p100", "5ms@p0", "unlimited@p99", "0%", "100%", "x%", "-1%"])
def test_what_is_no_target(text):
    with pytest.raises(ct.FieldError):
        parse_target(text)


def test_what_is_shown():
    shown = [show_seconds(t) for t in (math.inf, 2.5, 0.0123, 41.7e-6, 1e-8, 0.0, 123456.0)]
    assert shown == ["no end", "2.5 s", "12.3 ms", "41.7 µs", "< 1 µs", "0 ms", "123,456 s"]
    assert str(WaitTarget.parse("5ms@p99.9")) == "5 ms@p99.9"
    sizing = ct.size_pool(ct.PoolLoad(arrivals=120, hold=0.035, instances=4), "5ms@p99", server_limit=200)
    assert (sizing.recommended, sizing.model) == (5, "M/M/c, exact (Erlang C)")
    assert list(sizing.to_frame()["size"]) == [row.size for row in sizing.rows]
    assert "<td>5</td>" in sizing._repr_html_()
