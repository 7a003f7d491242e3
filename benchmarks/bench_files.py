"""Showing what a file declares, beside its standard parser; and a folder without connections, beside grep.

    python benchmarks/bench_files.py
"""

import json
import subprocess
import tempfile
import time
from pathlib import Path
from xml.etree import ElementTree

import yaml

from cordtally.config import declared_below, declared_in

KEYS = 2_000


def best(function, times=5):
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        function()
        taken.append(time.perf_counter() - start)
    return min(taken)


def files(folder):
    data = {f"section{n}": {"name": f"value {n}", "count": n, "list": [1, "two", None]} for n in range(KEYS // 4)}
    data["tides"] = {"url": "postgresql://keeper@gauge.greywick.example/tides"}
    (folder / "a.json").write_text(json.dumps(data, indent=2))
    (folder / "a.yaml").write_text(yaml.safe_dump(data))
    inner = "".join(f'<section name="s{n}" value="{n}"/>\n' for n in range(KEYS))
    (folder / "a.xml").write_text(f'<all>{inner}<tides url="postgresql://keeper@gauge.greywick.example/tides"/></all>')
    return {
        "a.json": lambda: json.loads((folder / "a.json").read_text()),
        "a.yaml": lambda: yaml.safe_load((folder / "a.yaml").read_text()),
        "a.xml": lambda: ElementTree.parse(folder / "a.xml"),
    }


def main():
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for file, parser in files(folder).items():
            declared_in(folder / file)
            ours, standard = best(lambda file=file: declared_in(folder / file)), best(parser)
            times = f"{ours * 1e3:7.1f} ms, its standard parser {standard * 1e3:7.1f} ms"
            print(f"{file:8} {times}: {ours / standard:.1f} times")
        tree = folder / "tree"
        for number in range(20_000):
            place = tree / str(number // 200)
            place.mkdir(parents=True, exist_ok=True)
            line = '{"count": 1, "name": "a value of no interest", "list": [1, 2, 3]}\n'
            (place / f"{number}.json").write_text(line * 20)
        ours = best(lambda: list(declared_below(tree)), 3)
        command = ["grep", "-rE", "://|host|server|database|jdbc", str(tree)]
        grep = best(lambda: subprocess.run(command, capture_output=True, check=False), 3)
        print(f"20,000 files without connections: {ours:.2f} s, grep -rE {grep:.2f} s: {ours / grep:.1f} times")


if __name__ == "__main__":
    main()
