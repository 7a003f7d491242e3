"""The system's keychain: a real one under a session of its own, a locked one, and a machine that has none."""

import os
import shutil
import subprocess
import sys

import pytest

SECRET = "not-a-real-pw4 ü"
SCRIPT = f"""
import sys
from cordtally.secrets import describe, drop, fetch, put
place = "keychain:harbour/tides/gauge"
try:
    put(place, {SECRET!r})
    print(fetch(place).unmask() == {SECRET!r}, describe(place).where)
    put(place, "not-a-real-pw5")
    print(fetch(place).unmask())
    drop(place)
    fetch(place)
except Exception as error:
    print(type(error).__name__, error)
"""
KEPT = "True SecretService Keyring\nnot-a-real-pw5\nLocatorError keychain: there is no entry of 'harbour/tides' for 'gauge'"


@pytest.fixture
def environ(tmp_path):
    folders = {name: str(tmp_path / name.lower()) for name in ("HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_RUNTIME_DIR", "XDG_CACHE_HOME")}
    for folder in folders.values():
        os.mkdir(folder, 0o700)
    kept = {name: value for name, value in os.environ.items() if name not in {"DBUS_SESSION_BUS_ADDRESS", "DISPLAY", "WAYLAND_DISPLAY"}}
    return kept | folders


def run(command, environ):
    return subprocess.run(command, env=environ, capture_output=True, text=True, timeout=120, check=False).stdout


def test_a_machine_without_a_keychain_says_what_to_use(environ):
    assert run([sys.executable, "-c", SCRIPT], environ).startswith("LocatorError keychain: this machine has none: without a desktop session")


needed = pytest.mark.skipif(not shutil.which("gnome-keyring-daemon") or not shutil.which("dbus-run-session"), reason="gnome-keyring is not installed")


@needed
def test_a_real_keychain_keeps_what_is_put(environ):
    session = 'printf harbour | gnome-keyring-daemon --unlock --components=secrets >/dev/null 2>&1; exec "$0" -c "$1"'
    assert run(["dbus-run-session", "--", "sh", "-c", session, sys.executable, SCRIPT], environ).strip() == KEPT


@needed
def test_a_locked_keychain_is_told_and_keeps_nobody_waiting(environ):
    session = 'gnome-keyring-daemon --start --components=secrets >/dev/null 2>&1; exec "$0" -c "$1"'
    said = run(["dbus-run-session", "--", "sh", "-c", session, sys.executable, SCRIPT], environ)
    assert said.startswith("LocatorError keychain: it is locked, and nobody could be asked")


PLAIN = """
import keyring
from keyring.backends.null import Keyring
keyring.set_keyring(Keyring())
"""


def test_one_that_keeps_nothing_is_told(environ):
    assert "what was put there is not there" in run([sys.executable, "-c", PLAIN + SCRIPT], environ)
    assert "keeps secrets in clear" in run([sys.executable, "-c", PLAIN + "Keyring.__name__ = 'PlaintextKeyring'\n" + SCRIPT], environ)
