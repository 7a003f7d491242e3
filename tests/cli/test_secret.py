"""The commands of ``cordtally secret``: values come from anywhere but an argument, and are shown when that is asked for."""

import io
import re
import subprocess
import sys

import pexpect

SECRET = "not-a-real-pw9"


def piped(monkeypatch, text):
    monkeypatch.setattr(sys, "stdin", io.StringIO(text))


def test_a_secret_from_standard_input_to_a_connection(cli, harbour, monkeypatch):
    piped(monkeypatch, f"{SECRET}\n")
    assert cli("secret", "put", "file:secrets/berths")[:2] == (0, "file:secrets/berths is kept\n")
    monkeypatch.delenv("TIDES_PASSWORD")
    status, out, _ = cli("secret", "check")
    assert (status, re.search(r"file:secrets/berths +there +today +berths, berths@production", out) is not None) == (1, True)
    monkeypatch.setenv("TIDES_PASSWORD", SECRET)
    assert cli("secret", "check", "--fail-on", "risky")[0] == 1  # a command that nobody has vouched for
    assert cli("secret", "vouch", "harbour-keys")[0] == 2  # nobody can be asked
    assert "python3 tools/harbour-keys.py" in cli("secret", "vouch", "harbour-keys", "--yes")[1]
    assert cli("secret", "check", "--fail-on", "risky")[0] == 0
    (harbour / "secrets/berths").chmod(0o640)
    status, out, _ = cli("secret", "check", "--fail-on", "risky")
    assert (status, "others on this machine may read it" in out, SECRET in out) == (1, True, False)
    assert cli("secret", "get", "file:secrets/berths")[1] == "file:secrets/berths has a secret of 14 characters; --unmask prints it\n"
    assert cli("secret", "get", "file:secrets/berths", "--unmask")[1] == f"{SECRET}\n"
    for command in (["init", "-q"], ["add", "-f", "secrets/berths"]):
        subprocess.run(["git", *command], cwd=harbour, check=True)
    status, out, _ = cli("secret", "check", "--fail-on", "risky")
    assert (status, "git keeps its file" in " ".join(out.split())) == (1, True)
    monkeypatch.chdir(harbour / "services")  # wherever it is called, paths start from the tally
    assert cli("secret", "copy", "file:secrets/berths", "envfile:.env#BERTHS_PASSWORD")[0] == 0
    assert (harbour / ".env").read_text() == f"BERTHS_PASSWORD={SECRET}\n"
    assert cli("secret", "list", "envfile:.env")[1] == "envfile:.env#BERTHS_PASSWORD\n"
    assert cli("secret", "drop", "file:secrets/berths")[0] == 0
    assert cli("secret", "get", "file:secrets/berths")[0] != 0


def test_what_is_drawn_is_not_shown_unless_it_is_printed(cli, harbour):
    _, out, said = cli("secret", "put", "file:secrets/fog", "--make")
    kept = (harbour / "secrets/fog").read_text().strip()
    assert (len(kept), kept in out + said) == (24, False)
    assert len(cli("secret", "make", "--length", "40")[1]) == 41


def test_what_is_wrong_is_said_before_a_secret_is_asked_for(cli, harbour, monkeypatch):
    piped(monkeypatch, f"{SECRET}\n")
    for place, words in (("env:X", "cannot be written from here"), (SECRET, "begins with the scheme of a store"), ("ask:", "cannot be written")):
        status, out, said = cli("secret", "put", place)
        assert (status, words in said, SECRET in out + said) == (2, True, False)
    assert sys.stdin.read() == f"{SECRET}\n"
    assert "standard input has no secret" in cli("secret", "put", "file:x")[2]


def test_it_is_asked_for_twice_at_a_terminal_and_not_shown(harbour):
    child = pexpect.spawn(sys.executable, ["-m", "cordtally", "secret", "put", "file:secrets/fog"], encoding="utf-8", cwd=harbour, timeout=60)
    for question in ("Secret", "Once more"):
        child.expect_exact(question)
        child.sendline(SECRET)
    said = child.read()
    child.close()
    assert (child.exitstatus, SECRET in said, (harbour / "secrets/fog").read_text()) == (0, False, f"{SECRET}\n")
