"""Start-up, as ratios in one run: the import against dataclasses, enum and urllib.parse, the command against click."""

import subprocess
import sys
from time import perf_counter

ROUNDS = 15


def lowest(*command: str) -> float:
    times = []
    for _ in range(ROUNDS):
        start = perf_counter()
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        times.append(perf_counter() - start)
    return min(times)


def main() -> None:
    python = sys.executable
    bare = lowest(python, "-c", "pass")
    modules = lowest(python, "-c", "import dataclasses, enum, urllib.parse") - bare
    ours = lowest(python, "-c", "import cordtally") - bare
    print(f"import cordtally / the three modules: {ours / modules:.2f} (start of Python taken off)")
    read = lowest(python, "-c", "import cordtally; cordtally.read('postgresql://h/d')") - bare
    print(f"import cordtally and read one URL / the same three modules: {read / modules:.2f}")
    click = lowest(python, "-c", "import click")
    for told, arguments in (("--version", ["--version"]), ("read URL", ["read", "postgresql://keeper@gauge.greywick.example/tides"])):
        took = lowest(python, "-m", "cordtally", *arguments)
        print(f"cordtally {told} / python -c 'import click': {took / click:.2f}")


if __name__ == "__main__":
    main()
