"""Sweeps a tree on a cluster: any executor of ``concurrent.futures`` searches the files.

Here the scheduler of ``dask.distributed`` gives one; the cluster is two processes of this machine, which see the same
files. Needs ``pip install distributed``.
"""

import logging
import sys
from pathlib import Path

from distributed import Client, LocalCluster

import cordtally as ct

SAMPLES = Path(ct.__file__).parent / "demo" / "harbour"


def main() -> None:
    tree = Path(sys.argv[1]) if len(sys.argv) > 1 else SAMPLES
    quiet = {"dashboard_address": ":0", "silence_logs": logging.CRITICAL}
    with LocalCluster(n_workers=2, threads_per_worker=1, **quiet) as cluster, Client(cluster) as client:
        found = ct.sweep(tree, executor=client.get_executor())
    for hit in found.hits:
        if hit.severity.value == "error":
            print(f"{hit.path}:{hit.line}: {hit.masked}")
    print(f"{found.files} files read")


if __name__ == "__main__":
    main()
