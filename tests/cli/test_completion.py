"""Completion of commands and values, driven in the shells themselves."""

import os
import shlex
import shutil
import subprocess
import sys
from pathlib import Path

import pexpect
import pytest

SHELLS = {"bash": ["--norc", "--noprofile", "-i"], "zsh": ["-f", "-i"], "fish": ["--no-config"]}
COMPLETED = [
    ("conv", "convert"),
    ("pool conv", "pool convert"),
    ("convert --res", "convert --resolve"),
    ("read tid", "read tides"),
    ("read tides@pro", "read tides@production"),
    ("vet services/tide-gauge/set", "vet services/tide-gauge/settings.py"),
    ("vet services/tide-g", "vet services/tide-gauge/"),
    ("convert @services/berth-ledger/app", "convert @services/berth-ledger/application.properties"),
    ("vet 'with bl", "vet 'with blank.env'"),
    ("read --from-env GREYWICK_", "read --from-env GREYWICK_URL"),
    ("show tides -e stag", "show tides -e staging"),
    ("convert tides --to pgj", "convert tides --to pgjdbc"),
    ("convert tides --to npgsql/", "convert tides --to npgsql/semicolon"),
    ("compose --tls=verify-id", "compose --tls=verify-identity"),
    ("compose --engine postg", "compose --engine postgresql"),
    ("compose --to npgsql --option SSL\\ M", "compose --to npgsql --option SSL\\ Mode="),
    ("compose --to npgsql --option connect_t", "compose --to npgsql --option connect_timeout="),
    ("compose --password-from env:GREYWICK_", "compose --password-from env:GREYWICK_URL"),
    ("drivers --option target_r", "drivers --option target_role"),
    ("drivers --language ja", "drivers --language java"),
    ("pool convert --from hikaricp maximumP", "pool convert --from hikaricp maximumPoolSize="),
    ("pool vet --pool hik", "pool vet --pool hikaricp"),
    ("docs look", "docs looking-up"),
]


@pytest.fixture(scope="module")
def place(tmp_path_factory):
    """The sample data, and an environment in which the command is found."""
    from cordtally.demo import furnish

    folder = tmp_path_factory.mktemp("harbour")
    furnish(folder)
    (folder / "with blank.env").touch()
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    return folder, {**os.environ, "PATH": path, "TERM": "dumb", "GREYWICK_URL": "x", "HOME": str(folder)}


def shell(name):
    if shutil.which(name) is None:
        message = f"{name} is not installed: apt-get install {name}"
        pytest.fail(message) if os.environ.get("CORDTALLY_REQUIRE_SERVERS") == "1" else pytest.skip(message)
    return name


@pytest.fixture(scope="module", params=["bash", "zsh"])
def terminal(request, place):
    """A shell at a terminal, with completion switched on by the documented line."""
    name, (folder, environment) = shell(request.param), place
    child = pexpect.spawn(name, SHELLS[name], env=environment, cwd=folder, encoding="utf-8", dimensions=(50, 250), timeout=30)
    child.sendline(f"eval \"$(cordtally completion {name})\"; said() {{ printf 'GO''T %s END\\n' \"$*\"; }}; said SETUP")
    child.expect("GOT SETUP END")
    yield child
    child.close(force=True)


@pytest.mark.parametrize(("typed", "completed"), COMPLETED)
def test_a_shell_completes_what_is_typed(terminal, typed, completed):
    terminal.send(f"cordtally {typed}\t\x01said \r")  # what stands there then is said instead of run
    terminal.expect("GOT (.*?) ?END")
    assert terminal.match[1] == " ".join(shlex.split(f"cordtally {completed}"))


def test_fish_completes_what_is_typed(place):
    shell("fish")
    folder, environment = place
    for typed, completed in COMPLETED:
        if "\\ " in typed or "'" in typed:
            continue
        script = f"cordtally completion fish | source; complete -C \"cordtally {typed}\""
        done = subprocess.run(["fish", *SHELLS["fish"], "-c", script], env=environment, cwd=folder, capture_output=True, text=True, check=True)
        assert completed.split()[-1] in [line.split("\t")[0] for line in done.stdout.splitlines()], (typed, done)
