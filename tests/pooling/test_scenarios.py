"""Scenarios as they are written: every key reaches its rule, traces and samples are replayed as they are, changes change."""

import math

import numpy as np
import pytest

from cordtally.demo.tour import HARBOUR
from cordtally.errors import PoolModelError
from cordtally.pooling.simulation import rules as r
from cordtally.pooling.simulation.replay import Estimate, replay, run_once
from cordtally.pooling.simulation.scenario_file import change_key, make_scenario, read_scenario

LOAD = {"arrivals": "90/s", "hold": "40ms", "duration": "20s", "warm_up": "2s"}

KEYS = [
    ("pool", "max_size", 7, "max_size", 7),
    ("pool", "min_size", 3, "min_size", 3),
    ("pool", "min_idle", 2, "min_idle", 2),
    ("pool", "reuse", "oldest", "reuse_newest", False),
    ("pool", "line", "last-come", "serve_newest", True),
    ("pool", "connects", "caller", "caller_connects", True),
    ("pool", "opening_at_once", 2, "opening_at_once", 2),
    ("pool", "acquire_timeout", "250ms", "acquire_timeout", 0.25),
    ("pool", "idle_timeout", "10min", "idle_timeout", 600.0),
    ("pool", "lifetime", "unlimited", "lifetime", math.inf),
    ("pool", "lifetime_jitter", 0.1, "lifetime_jitter", 0.1),
    ("pool", "validate_time", "2ms", "validate_time", 0.002),
    ("pool", "validate_after", "500ms", "validate_after", 0.5),
    ("pool", "reclaim_after", "1min", "reclaim_after", 60.0),
    ("pool", "retry_connect_after", "3s", "retry_connect_after", 3.0),
    ("pool", "retry_share", 0.5, "retry_share", 0.5),
    ("pool", "retry_after", "100ms", "retry_after", 0.1),
    ("server", "limit", 40, "server_limit", 40),
    ("server", "connects_at_once", 4, "server_slots", 4),
    ("server", "alpha", 0.02, "alpha", 0.02),
    ("server", "beta", 0.001, "beta", 0.001),
    ("server", "token_every", "15min", "token_every", 900.0),
    ("server", "token_life", "10min", "token_life", 600.0),
    ("server", "token_closes", True, "token_closes", True),
    ("deploy", "surge", 2, "surge", 2),
    ("deploy", "boot_time", "2s", "boot_time", 2.0),
    ("deploy", "boot_jitter", 0.3, "boot_jitter", 0.3),
    ("deploy", "ready", "at-maximum", "ready", r.AT_MAXIMUM),
    ("deploy", "drain_limit", "30s", "drain_limit", 30.0),
]


@pytest.mark.parametrize(("section", "key", "written", "rule", "meant"), KEYS)
def test_every_key_reaches_its_rule(section, key, written, rule, meant):
    scenario = make_scenario({"load": LOAD, section: {key: written}})
    assert getattr(scenario.pool_rules, rule) == meant
    text = str(written).lower() if isinstance(written, bool) else str(written)
    assert getattr(change_key(make_scenario({"load": LOAD}), key, text).pool_rules, rule) == meant


def test_all_keys_are_tried_and_written_down():
    from cordtally.pooling.simulation.scenario_file import _KEYS

    tried = {(section, key) for section, key, *_ in KEYS}
    others = {("pool", "instances"), ("server", "connect_time"), ("server", "connect_cv"), ("deploy", "at")}
    assert {(s, key) for s in ("pool", "server", "deploy") for key in _KEYS[s]} == tried | others
    page = (HARBOUR.parents[3] / "docs/pool-rules.md").read_text()
    for section in _KEYS.values():
        for key in section:
            assert f"`{key}`" in page, key


def test_the_sample_storm():
    """The sample's burst, restart and deploy all leave their traces; a larger pool fails more deploys at the limit."""
    storm = read_scenario(HARBOUR / "pools/storm.toml")
    assert (storm.instances, len(storm.bursts), storm.restarts, storm.deploys) == (4, 1, ((180.0, 3.0),), (240.0,))
    found = replay(storm, replications=2, what_if={"max_size": ["8", "10"]})
    fits, stuck = (case.figures for case in found.cases)
    assert fits["broken_share"].mean > 0
    assert fits["deploy_unfinished"].mean == 0
    assert stuck["deploy_unfinished"].mean == 1
    assert any("the deploy had not come to an end; the server refused" in note for note in found.notes)
    line = found.cases[0].line_frame()
    burst = line[(line["time"] > 121) & (line["time"] < 130)]
    assert burst["waiting"].mean() > 10 * line[line["time"].between(30, 115)]["waiting"].mean()
    assert (line["open_at_server"] <= 40).all()


def test_traces_and_samples(tmp_path):
    (tmp_path / "t.csv").write_text("time,hold_ms\n" + "".join(f"{100 + k * 0.1:.1f},{50 + k % 3}\n" for k in range(200)))
    (tmp_path / "s.toml").write_text('[load]\ntrace = "t.csv"\n[pool]\nmax_size = 1\n')
    scenario = read_scenario(tmp_path / "s.toml")
    assert math.isclose(scenario.duration, 20.9, rel_tol=1e-6)
    figures = replay(scenario, replications=2).cases[0].figures
    assert (figures["requests"].mean, figures["served_share"].mean, figures["longest_wait"].mean) == (200.0, 1.0, 0.0)
    (tmp_path / "h.toml").write_text('[load]\narrivals = "50/s"\nhold_samples = "t.csv"\nduration = "20s"\n')
    drawn = read_scenario(tmp_path / "h.toml").draw(np.random.default_rng(1))
    assert set(np.round(drawn.holds, 6)) == {0.05, 0.051, 0.052}
    threads = make_scenario({"load": {"threads": 4, "think": "50ms", "hold": "40ms", "duration": "30s"}, "pool": {"instances": 2, "max_size": 2}})
    assert replay(threads, replications=2).cases[0].figures["wait_share"].mean > 0.2


def test_estimates():
    assert Estimate.of([2.0]) == Estimate(2.0, 2.0, 2.0)
    estimate = Estimate.of([1.0, 2.0, 3.0])
    assert math.isclose(estimate.high - estimate.mean, 4.302652729911275 / math.sqrt(3), rel_tol=1e-9)
    scenario = make_scenario({"load": LOAD})
    one, two = (run_once(scenario, np.random.SeedSequence(5)).figures for _ in range(2))
    assert one == two
    with pytest.raises(PoolModelError, match="replications"):
        replay(scenario, replications=0)


def test_a_fit_is_replayed(tmp_path):
    """What `pool fit` found is the load; what the scenario says itself goes before it."""
    import json

    from cordtally.pooling.fitting import fit_pool

    for record in ("gauge-trace", "gauge-throughput"):
        (tmp_path / f"{record}.json").write_text(json.dumps(fit_pool(HARBOUR / f"pools/{record}.csv").to_dict()))
    (tmp_path / "s.toml").write_text('[load]\nfit = "gauge-trace.json"\nduration = "2min"\n[pool]\nmax_size = 3\n')
    scenario = read_scenario(tmp_path / "s.toml")
    assert math.isclose(scenario.rate, 2.334, rel_tol=0.01)
    assert math.isclose(scenario.hold.cv, 0.693, rel_tol=0.01)
    assert replay(scenario, replications=1).cases[0].figures["served_share"].mean == 1.0
    law = make_scenario({"load": {"fit": "gauge-throughput.json", "arrivals": "900/s"}, "server": {"beta": 0.1}}, tmp_path)
    assert (law.rate, round(law.rules["alpha"], 4), law.rules["beta"]) == (900.0, 0.0305, 0.1)
    (tmp_path / "gauge-trace.json").write_text("{}")
    with pytest.raises(PoolModelError, match="this is no fit"):
        read_scenario(tmp_path / "s.toml")


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ({"load": {"threads": 5, "arrivals": "10/s", "hold": "1ms", "duration": "1min"}, "pool": {"max_size": 2}}, "keep one of the two"),
        ({"load": {"arrivals": "10/s", "hold": "1ms", "duration": "1min"}, "pool": {"max_size": 2}, "restarts": [{"at": "2min", "lasts": "1s"}]}, "after the end"),
    ],
)  # fmt: skip
def test_what_could_never_act_is_an_error(document, words):
    with pytest.raises(PoolModelError, match=words):
        make_scenario(document)
