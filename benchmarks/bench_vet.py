"""Vetting, as ratios in one run: texts beside reading them, a tree without connections beside grep.

    python benchmarks/bench_vet.py

Texts are those of tests/data/vetting, read and vetted in turn, the least of several rounds of each; a figure says
how many are vetted in a second. The tree has 20,000 programs; grep looks for one expression (``-rE``, C locale).
"""

import os
import resource
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

sys.path.insert(0, str(Path(__file__).parent))

from bench_sweep import ONE, PROGRAM

import cordtally as ct
from cordtally.auditing import vet_text
from cordtally.catalog import driver_ids
from cordtally.errors import CordTallyError

DATA = Path(__file__).resolve().parents[1] / "tests/data/vetting"
ROUNDS = 15


def texts():
    for line in [line for name in ("right.txt", "plain.txt") for line in (DATA / name).read_text("utf-8").split("\n")]:
        head, colon, rest = line.partition(": ")
        if line and line[0] != "#":
            yield (head, rest) if colon and head in driver_ids() else (None, line)


def lowest(work, driver, text):
    times = []
    for _ in range(ROUNDS):
        start = perf_counter()
        work(text, driver=driver)
        times.append(perf_counter() - start)
    return min(times)


def of_texts():
    told, read_all, vet_all, ratios = list(texts()), 0.0, 0.0, []
    for driver, text in told:
        try:
            reading = lowest(ct.read, driver, text)
            vetting = lowest(vet_text, driver, text)
        except CordTallyError:
            continue
        read_all, vet_all = read_all + reading, vet_all + vetting
        ratios.append(vetting / reading)
    ratios.sort()
    median = ratios[len(ratios) // 2]
    print(f"{len(ratios)} texts: vet takes {vet_all / read_all:.2f} times read; median {median:.2f} times")
    print(f"{len(ratios) / vet_all:,.0f} texts a second, {len(ratios) / read_all:,.0f} read")


def used(command):
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run(command, stdout=subprocess.DEVNULL, check=False, env={**os.environ, "LC_ALL": "C"})
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def of_tree():
    with tempfile.TemporaryDirectory() as folder:
        for number in range(20_000):
            place = Path(folder, f"part{number // 200}")
            place.mkdir(exist_ok=True)
            (place / f"gauge{number}.py").write_text(PROGRAM * 25)
        vet, grep = [], []
        code = f"from cordtally.auditing import vet_tree; vet_tree({folder!r}, workers=1)"
        for _ in range(ROUNDS // 3):  # in turn, since what else a machine does slows them differently
            vet.append(used([sys.executable, "-c", code]))
            grep.append(used(["grep", "-rE", ONE, folder]))
        print(f"20,000 files without connections: vet takes {min(vet) / min(grep):.2f} times grep (processor time)")


if __name__ == "__main__":
    of_texts()
    of_tree()
