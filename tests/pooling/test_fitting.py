"""What is fitted is what was drawn; what a record hides is said; what is no record is refused with its place."""

import json
import math

import numpy as np
import pandas as pd
import pytest

import cordtally as ct
from cordtally.pooling.fitting import fit_pool, read_fit
from cordtally.pooling.fitting.scalability import fit_scalability
from cordtally.pooling.simulation.draws import Burst, Spread, draw_arrivals
from cordtally.pooling.simulation.plain import simulate_threads, simulate_waits


def trace(path, *, rate=200.0, seconds=60.0, hold=None, size=12, timeout=math.inf, bursts=(), seed=1):
    rng = np.random.default_rng(seed)
    times = draw_arrivals(rng, rate, seconds, bursts=bursts)
    holds = (hold or Spread(0.03, 1.3)).draw(rng, len(times))
    waits = simulate_waits(times, holds, size, timeout)
    lost = np.isinf(waits)
    table = pd.DataFrame({"time": times, "wait_ms": np.where(lost, timeout, waits) * 1e3, "hold_ms": np.where(lost, 0, holds) * 1e3, "outcome": np.where(lost, "timed out", "served")})
    table.to_csv(path, index=False)
    return table


def test_a_trace(tmp_path):
    table = trace(tmp_path / "t.csv")
    fit = fit_pool(tmp_path / "t.csv")
    assert math.isclose(fit.arrivals.rate, 200, rel_tol=0.03)
    assert (fit.arrivals.peak_factor, round(fit.arrivals.cv, 1)) == (1.0, 1.0)
    assert abs(fit.arrivals.dispersion[0] - 1) < 0.4
    low, high = fit.holds.mean_interval
    assert low < 0.03 < high
    assert fit.holds.families[0].name == "lognormal"
    assert fit.holds.families[0].distance < 0.02
    assert math.isclose(fit.in_use, 6.0, rel_tol=0.05)
    assert math.isclose(fit.holds.percentiles["p95"], table["hold_ms"].quantile(0.95) / 1e3, rel_tol=1e-6)
    assert [w.split(":")[0] for w in fit.warnings] == ["the record covers 60 s"]
    document = json.loads(json.dumps(fit.to_dict()))
    (tmp_path / "f.json").write_text(json.dumps(document))
    fields = read_fit(tmp_path / "f.json").load_fields()
    assert ct.size_pool(ct.PoolLoad(**fields), "20ms@p99").recommended >= 7


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"bursts": (Burst(10.0, 20.0, 4.0),), "size": 60}, "bursts that last"),
        ({"size": 6, "seconds": 30.0, "timeout": 0.05}, "timed out"),
        ({"size": 6, "seconds": 30.0}, "saturation: all 6 connections"),
        ({"hold": Spread(0.03, 8.0), "size": 200}, "a few long holds decide"),
        ({"seconds": 1.0}, "say little about rare long waits"),
    ],
)
def test_what_a_trace_hides(tmp_path, changes, words):
    trace(tmp_path / "t.csv", **changes)
    assert any(words in warning for warning in fit_pool(tmp_path / "t.csv").warnings)


def test_coordinated_omission_is_seen(tmp_path):
    """Six threads that ask again as soon as they have their answer: the record looks calm, and is not."""
    rng = np.random.default_rng(2)
    holds, thinks = rng.exponential(0.03, 4000), rng.exponential(0.002, 4000)
    waits = simulate_threads(thinks, holds, 4, 6)
    ready, rows = np.sort(np.resize(thinks, 6)).tolist(), []
    for wait, hold, think in zip(waits, holds, thinks):
        at = ready.pop(ready.index(min(ready)))
        rows.append((at, wait, hold))
        ready.append(at + wait + hold + think)
    pd.DataFrame(rows, columns=["time", "wait", "hold"]).to_csv(tmp_path / "t.csv", index=False)
    warnings = fit_pool(tmp_path / "t.csv").warnings
    assert any("coordinated omission: never more than 6" in warning for warning in warnings)


def test_a_clock_that_goes_backwards_is_told(tmp_path):
    rows = [(k + (30.5 if k == 40 else 0), 0.1) for k in range(100)]
    pd.DataFrame(rows, columns=["time", "hold"]).to_csv(tmp_path / "t.csv", index=False)
    assert any("backwards 1 times, by 29.5 s at most" in warning for warning in fit_pool(tmp_path / "t.csv").warnings)


def test_rates_by_slot_and_peaks(tmp_path):
    rng = np.random.default_rng(4)
    times = np.concatenate([3600 * hour + draw_arrivals(rng, rate, 3600.0) for hour, rate in enumerate((2.0, 2.0, 8.0))])
    pd.DataFrame({"time": pd.to_datetime(times, unit="s", utc=True), "hold_ms": rng.exponential(30, len(times))}).to_csv(tmp_path / "t.csv", index=False)
    arrivals = fit_pool(tmp_path / "t.csv").arrivals
    rates = np.array([rate for _, rate in arrivals.by_slot])
    assert (arrivals.slot, len(rates), arrivals.by_slot[-1][0]) == (300.0, 36, 35 * 300)
    assert [round(rate) for rate in rates.reshape(3, 12).mean(axis=1)] == [2, 2, 8]
    assert 1.8 < arrivals.peak_factor < 2.6
    assert arrivals.autocorrelation > arrivals.autocorrelation_bound


@pytest.mark.parametrize(("alpha", "beta"), [(0.03, 0.0005), (0.2, 0.002), (0.0, 0.001)])
def test_the_law_is_found_again(alpha, beta):
    """Within its intervals, which hold the truth nearly always; the peak within 12 %."""
    n = np.array([1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 40, 48], dtype=float)
    held = 0
    for seed in range(6):
        x = 120 * n / (1 + alpha * (n - 1) + beta * n * (n - 1)) * np.exp(np.random.default_rng(seed).normal(0, 0.02, len(n)))
        fit = fit_scalability(n, x, seed=seed)
        held += (fit.alpha_interval[0] <= alpha + 1e-6 <= fit.alpha_interval[1] + 1e-3) and (fit.beta_interval[0] <= beta <= fit.beta_interval[1])
        if fit.peak is not None:
            assert math.isclose(fit.peak, math.sqrt((1 - alpha) / beta), rel_tol=0.2)
    assert held >= 4


def test_no_peak_is_made_up():
    """Measured to 12 with a peak at 69: the data cannot show it, and the fit says so."""
    n = np.arange(1.0, 13.0)
    x = 100 * n / (1 + 0.03 * (n - 1) + 0.0002 * n * (n - 1)) * np.exp(np.random.default_rng(1).normal(0, 0.02, 12))
    fit = fit_scalability(n, x)
    assert fit.peak is None
    assert fit.peak_low > 12
    assert fit.contention.alpha == fit.alpha


def test_series_activity_and_logs(tmp_path):
    n = np.array([1, 2, 4, 8, 16, 24])
    pd.DataFrame({"concurrency": n, "throughput": 100 * n / (1 + 0.05 * (n - 1) + 0.001 * n * (n - 1))}).to_csv(tmp_path / "s.csv", index=False)
    series = fit_pool(tmp_path / "s.csv")
    assert math.isclose(series.scalability.alpha, 0.05, rel_tol=1e-3)
    assert any("6 points for three coefficients" in warning for warning in series.warnings)
    active = np.concatenate([np.full(5, k) for k in (1, 2, 4, 8, 12)])
    done = np.cumsum(100 * active / (1 + 0.05 * (active - 1)))
    watched = pd.DataFrame({"time": np.arange(25.0), "active": active, "idle": 3, "transactions": done.astype(int)})
    watched.to_csv(tmp_path / "w.csv", index=False)
    watched.to_parquet(tmp_path / "w.parquet")
    assert fit_pool(tmp_path / "w.csv").scalability.alpha > 0
    assert math.isclose(fit_pool(tmp_path / "w.csv").in_use, fit_pool(tmp_path / "w.parquet").in_use)
    (tmp_path / "l.log").write_text("".join(json.dumps({"ts": i * 0.01, "took": 5 + i % 7}) + "\n" for i in range(400)))
    log = fit_pool(tmp_path / "l.log", columns={"time": "ts", "hold_ms": "took"})
    assert math.isclose(log.arrivals.rate, 100, rel_tol=0.01)
    (tmp_path / "t.txt").write_text("".join(f"12:00 [{i * 0.02:.2f}] GET /tides done in {3 + i % 5} ms\n" for i in range(300)) + "noise\n")
    text = fit_pool(tmp_path / "t.txt", pattern=r"\[(?P<time>[\d.]+)\].* in (?P<hold_ms>\d+) ms")
    assert math.isclose(text.holds.mean, 0.005, rel_tol=1e-6)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("time,hold\n", "table is empty"),
        ("", "this is no table"),
        ("when,hold\n1,2\n", "no column 'time'"),
        ("time,hold\n1,2\nx,3\n", "t.csv:3: time is 'x'"),
        ("time,hold\n1,2\n2,-3\n", "t.csv:3: hold is -3 s"),
        ("time,hold\n1000,1\n1,1\n", "t.csv:3: the clock goes backwards by 999 s"),
        ("time,hold\n1,1\n2,1\n", "2 requests that held a connection are too few"),
        ("concurrency,throughput\n1,10\n2,20\n3,30\n", "3 different concurrencies are too few"),
        ("concurrency,throughput\n1,10\n2,x\n", "t.csv:3: throughput is 'x'"),
        ("concurrency,throughput\n1,10\n2,20\n3,-1\n4,2\n", "must be more than 0"),
        ("time,active,transactions\n1,1,1\n1,1,1\n1,1,1\n", "clock that goes forwards"),
    ],
)
def test_what_is_no_record(tmp_path, content, words):
    (tmp_path / "t.csv").write_text(content)
    with pytest.raises(ct.PoolModelError, match=words):
        fit_pool(tmp_path / "t.csv")


def test_other_refusals(tmp_path):
    (tmp_path / "t.log").write_text("not json\n")
    (tmp_path / "t.csv").write_text("time,hold\n1,2\n")
    for kwargs, words in (({}, "t.log:1: this line is no JSON"), ({"pattern": "("}, "no regular expression"), ({"pattern": "(?P<speed>x)"}, "groups named"), ({"pattern": "(?P<time>x)"}, "no line matches")):
        with pytest.raises(ct.PoolModelError, match=words):
            fit_pool(tmp_path / "t.log", **kwargs)
    with pytest.raises(ct.PoolModelError, match="no column 'ts'"):
        fit_pool(tmp_path / "t.csv", columns={"time": "ts"})
    for text in ("{", "{}", "[]"):
        (tmp_path / "f.json").write_text(text)
        with pytest.raises(ct.PoolModelError, match="this is no"):
            read_fit(tmp_path / "f.json")
