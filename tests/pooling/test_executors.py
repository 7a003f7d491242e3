"""Runs spread over processes and over a cluster give the figures that one process gives."""

from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor

import pytest

from cordtally.errors import PoolModelError
from cordtally.pooling.simulation.replay import replay
from cordtally.pooling.simulation.scenario_file import make_scenario

SCENARIO = make_scenario({"load": {"arrivals": "90/s", "hold": "40ms", "duration": "10s"}, "pool": {"max_size": 5}})


def figures(executor=None, **kwargs):
    found = replay(SCENARIO, replications=3, what_if={"max_size": ["4", "6"]}, executor=executor, **kwargs)
    return [{name: estimate.mean for name, estimate in case.figures.items()} for case in found.cases]


def test_processes_and_threads():
    told = []
    alone = figures(progress=lambda done, total: told.append((done, total)))
    assert told == [(k, 6) for k in range(1, 7)]
    with ProcessPoolExecutor(2) as processes, ThreadPoolExecutor(2) as threads:
        assert figures(processes) == alone
        assert figures(threads) == alone
    assert alone[0]["mean_wait"] > alone[1]["mean_wait"]
    assert figures(seed=2) != alone


@pytest.mark.filterwarnings("ignore")
def test_a_cluster():
    from distributed import Client, LocalCluster

    with LocalCluster(n_workers=2, threads_per_worker=1, processes=False, dashboard_address=":0") as cluster, Client(cluster) as client:
        assert figures(client.get_executor()) == figures()


def test_an_error_ends_the_sweep():
    with ThreadPoolExecutor(2) as threads, pytest.raises(PoolModelError, match="no key 'maxsize'"):
        replay(SCENARIO, what_if={"maxsize": ["4"]}, executor=threads)
    with pytest.raises(PoolModelError, match="no request came in"):
        replay(make_scenario({"load": {"arrivals": "1/h", "hold": "1s", "duration": "2s"}}), replications=1)
