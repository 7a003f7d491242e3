"""Sweeping trees, beside grep: ratios of processor time in one run, memory, and what each hit costs.

    python benchmarks/bench_sweep.py [FOLDER...]

Without folders, trees are made: of programs without a connection, and of such in which one file of ten has a secret.
Given ones should hold 20,000 files and more. The least of five runs in turn counts. Grep looks for one expression, as
somebody would write it who seeks passwords (``-rE`` in the C locale).
"""

import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ONE = r"[a-z]+://[^:/@ ]+:[^@ ]+@|(password|passwd|pwd)[\"' ]*[:=]"
RUNS = 5  # in turn, since what else a machine does slows them differently
PROGRAM = '''
def tide_at(gauge, moment):
    """Give the height of the tide at a gauge, in metres above chart datum."""
    harmonics = load(gauge).harmonics
    height = sum(h.amplitude * cos(h.speed * moment + h.phase) for h in harmonics)
    return {"gauge": gauge, "height": height, "token": harmonics.token, "host": "x"}


'''


def processor_time(who=resource.RUSAGE_CHILDREN):
    used = resource.getrusage(who)
    return used.ru_utime + used.ru_stime


def grep(folders):
    before = processor_time()
    command = ["grep", "-rE", ONE, *folders]
    subprocess.run(
        command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env={**os.environ, "LC_ALL": "C"}, check=False
    )
    return processor_time() - before


def swept(folders, workers):
    """Sweep in a process of its own: its processor time and its workers', wall time, hits, files, memory in MiB."""
    code = (
        "import sys, json, resource, cordtally as ct\n"
        f"r = ct.sweep(*sys.argv[1:], workers={workers})\n"
        "print(json.dumps([len(r.hits), r.files, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024]))"
    )
    kept = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}  # as it is installed
    before, start = processor_time(), time.perf_counter()
    done = subprocess.run([sys.executable, "-c", code, *folders], capture_output=True, text=True, check=True, env=kept)
    hits, files, memory = json.loads(done.stdout)
    return processor_time() - before, time.perf_counter() - start, hits, files, memory


def made(folder, secrets):
    for number in range(20_000):
        place = folder / str(number // 200)
        place.mkdir(parents=True, exist_ok=True)
        line = 'PASSWORD = "not-a-real-pw1"\n' if secrets and number % 10 == 0 else ""
        (place / f"{number}.py").write_text(PROGRAM * 25 + line)
    return [str(folder)]


def told(name, folders):
    runs = [(grep(folders), swept(folders, 1), swept(folders, os.cpu_count())) for _ in range(RUNS)]
    searched, alone, spread = map(min, zip(*runs, strict=True))
    ratio = alone[0] / searched
    ours = f"processor {alone[0]:.2f} s, grep {searched:.2f} s: {ratio:.1f} times"
    print(f"{name}: {alone[3]:,} files, {alone[2]:,} hits; {ours}")
    wall = f"{os.cpu_count()} workers: wall {spread[1]:.2f} s for {alone[1]:.2f} s of one"
    print(f"  {wall}; memory {alone[4]} MiB, {spread[4]} MiB")
    return alone


def main():
    folders = sys.argv[1:]
    if folders:
        told("given trees", folders)
        return
    with tempfile.TemporaryDirectory() as name:
        without = told("without a hit", made(Path(name) / "a", secrets=False))
        found = told("with hits", made(Path(name) / "b", secrets=True))
        print(f"a hit costs {(found[0] - without[0]) / found[2] * 1e3:.2f} ms")
        large = Path(name) / "large.txt"
        with large.open("w") as stream:
            for _ in range(300):
                stream.write("abcdefg, " * ((1 << 20) // 9))
        took = swept([str(large)], 1)
        print(f"one line of 300 MiB: {took[0]:.2f} s, grep {grep([str(large)]):.2f} s; memory {took[4]} MiB")


if __name__ == "__main__":
    main()
