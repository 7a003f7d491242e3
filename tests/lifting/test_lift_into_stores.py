"""Lifting into a store: the program finds its value by the variable that ``with --secret`` brings, and undoing gives all back."""

import subprocess
import sys

import pytest

import cordtally as ct
from cordtally.lifting import undo
from cordtally.secrets.chest.managing import make_chest
from cordtally.standins import Authority, SecretKeeper

SECRET = "not-a-real-pw6"
PROGRAM = f'DB_PASSWORD = "{SECRET}"\nprint(DB_PASSWORD)\n'


@pytest.fixture
def project(tmp_path, monkeypatch):
    for name in ("CONFIG", "STATE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name.lower()))
    folder = tmp_path / "harbour"
    folder.mkdir()
    (folder / "a.py").write_text(PROGRAM)
    authority = Authority()
    authority.write(folder / "ca.pem")
    with SecretKeeper(authority) as keeper:
        (folder / "token").write_text(keeper.token)
        (folder / "tally.toml").write_text("tally = 1\n" + keeper.tally("keys", "ca.pem", "file:token"))
        make_chest(folder / "tally.chest", None)
        monkeypatch.chdir(folder)
        yield folder


@pytest.mark.parametrize("store", ["chest:", "chest:fog/", "remote:keys/fog", "envfile:secrets/.env", "envfile:a.env?rules=systemd"])
def test_a_secret_goes_into_a_store_and_comes_back(project, store):
    plan = ct.lift("a.py", store=store)
    assert (SECRET in f"{plan} {plan.diff()} {plan.to_dict()}", len(plan.puts)) == (False, 1)
    ((name, locator),) = plan.places.items()
    with pytest.raises(ct.LocatorError):
        ct.fetch(locator)
    kept = plan.apply()
    assert (ct.fetch(locator).unmask(), SECRET in (project / "a.py").read_text(), SECRET in kept.read_text()) == (SECRET, False, False)
    command = [sys.executable, "-m", "cordtally", "with", "--secret", f"{name}={locator}", "--", sys.executable, "a.py"]
    assert subprocess.run(command, capture_output=True, text=True, check=True).stdout == f"{SECRET}\n"
    undo(kept)
    assert (project / "a.py").read_text() == PROGRAM
    with pytest.raises(ct.LocatorError):
        ct.fetch(locator)


@pytest.mark.parametrize(
    ("store", "words"),
    [("vault:x", "'vault' is no store for this"), ("chest:nothing.chest#", "there is none"), ("remote:nobody/x", "did you mean"), ("credential:x", "is no store for this")],
)
def test_a_store_that_cannot_take_it_is_refused_before_anything_is_written(project, store, words):
    with pytest.raises(ct.CordTallyError, match=words if words != "did you mean" else "no remote named 'nobody'"):
        ct.lift("a.py", store=store).apply()
    assert (project / "a.py").read_text() == PROGRAM


def test_another_secret_of_that_name_is_not_written_over(project, cli):
    assert "cordtally with --secret DB_PASSWORD=chest:DB_PASSWORD -- PROGRAM" in " ".join(cli("lift", "a.py", "--into", "chest:", "--apply")[1].split())
    (project / "b.py").write_text(PROGRAM.replace("pw6", "pw7"))
    status, out, said = cli("lift", "b.py", "--into", "chest:", "--apply")
    assert (status, "chest:DB_PASSWORD has another secret" in said, "not-a-real" in out + said) == (2, True, False)
