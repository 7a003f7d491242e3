"""Simulates pool sizes side by side on a cluster: any executor of ``concurrent.futures`` runs the replications.

Here the scheduler of ``dask.distributed`` gives one; the cluster is two processes of this machine. Needs
``pip install distributed``.
"""

import logging

from distributed import Client, LocalCluster

from cordtally.pooling.simulation.replay import replay
from cordtally.pooling.simulation.scenario_file import make_scenario

SCENARIO = {
    "load": {"arrivals": "480/s", "hold": "35ms", "hold_cv": 1.5, "duration": "60s"},
    "pool": {"instances": 4, "acquire_timeout": "250ms", "min_size": 2},
    "server": {"connect_time": "40ms"},
}


def main() -> None:
    scenario = make_scenario(SCENARIO)
    # at the end a worker may complain that its scheduler went first: only what is critical is shown
    quiet = {"dashboard_address": ":0", "silence_logs": logging.CRITICAL}
    with LocalCluster(n_workers=2, threads_per_worker=1, **quiet) as cluster, Client(cluster) as client:
        found = replay(scenario, replications=4, what_if={"max_size": ["6", "8", "10"]}, executor=client.get_executor())
    for case in found.cases:
        p99, lost = case.figures["p99"], case.figures["timed_out_share"]
        print(f"{case.name:<14} p99 {1000 * p99.mean:6.1f} ms, {100 * lost.mean:.2f} % time out")


if __name__ == "__main__":
    main()
