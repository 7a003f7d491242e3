"""The chest: what is put is got, nothing shows, nothing is lost however a write ends, and what is wrong is told apart."""

import hashlib
import os
import signal
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.secrets import Surroundings, describe, drop, fetch_together, list_kept, put, put_together
from cordtally.secrets.chest import format, keeping, keys, managing

SECRET = "not-a-real-pw8"


@pytest.fixture(autouse=True)
def own(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    keys.forget_masters()


@pytest.fixture
def here(tmp_path):
    managing.make_chest(tmp_path / "tally.chest", None)
    return Surroundings(folder=tmp_path)


def path_of(here):
    return here.folder / "tally.chest"


def test_entries_are_put_got_told_of_and_dropped(here):
    put("chest:tides", "old", here)
    both = {ct.parse_locator("chest:tides"): ct.Secret(SECRET), ct.parse_locator("chest:tides/user"): ct.Secret("gauge")}
    put_together(both, here)
    assert [one.unmask() for one in fetch_together(["chest:tides/user", "chest:tides"], here)] == ["gauge", SECRET]
    told = describe("chest:tides", here)
    assert (told.changed > 0, "generation 3" in told.where, SECRET in repr(told)) == (True, True, False)
    data = path_of(here).read_bytes()
    assert not any(word in data for word in (SECRET.encode(), b"tides", b"gauge"))
    assert list_kept("chest:x", here) == ["chest:tides", "chest:tides/user"]
    drop("chest:tides/user", here)
    with pytest.raises(ct.LocatorError, match="there is no entry tides/user"):
        drop("chest:tides/user", here)
    put(f"chest:{path_of(here)}#other", "x", here)
    assert ct.fetch("chest:other", here).unmask() == "x"
    with pytest.raises(ct.LocatorError, match="at most 65,536 bytes"):
        put("chest:tides", "x" * 70000, here)


@settings(max_examples=40, deadline=None)
@given(entries=st.dictionaries(st.text(max_size=9), st.tuples(st.text(max_size=20), st.floats(0, 1e10)), max_size=4), key=st.text(max_size=9))
def test_what_is_sealed_is_what_is_opened(entries, key):
    kept = {name: format.Entry(*entry) for name, entry in entries.items()}
    keyed = format.new_key()
    data, _ = format.seal(replace(format.with_lock(format.new_chest(), key, "key", keyed), entries=kept))
    chest = format.parse(data)
    assert format.open_box(chest, format.unlock(chest, "key", keyed)).entries == kept


def test_locks_of_both_kinds_open_it_and_a_wrong_key_is_told(monkeypatch, here):
    path = path_of(here)
    managing.add_lock(path, managing.Key("passphrase", "fog horn at dawn", "passphrase"), here)
    monkeypatch.setattr(format, "_has_argon2", lambda: False)  # as with an older OpenSSL
    managing.add_lock(path, managing.Key("passphrase", "Fo\u0308hn", "scrypt"), here)
    with pytest.raises(ct.LocatorError, match="there is a lock scrypt already"):
        managing.add_lock(path, managing.Key("passphrase", "x", "scrypt"), here)
    put("chest:tides", SECRET, here)
    keys.own_key_file(format.parse(path.read_bytes()).id).unlink()

    def tried(**environ):
        keys.forget_masters()
        ask = environ.pop("ask", None)
        return ct.fetch("chest:tides", replace(here, environ=environ, ask=ask)).unmask()

    assert tried(CORDTALLY_CHEST_PASSPHRASE="fog horn at dawn") == SECRET
    assert tried(ask=lambda prompt: "F\u00f6hn" if "tally.chest" in prompt else "") == SECRET  # typed on another keyboard
    for environ, words in [
        ({}, "no key is here: set CORDTALLY_CHEST_KEY"),
        ({"CORDTALLY_CHEST_PASSPHRASE": "fog"}, "this passphrase opens none of its locks"),
        ({"CORDTALLY_CHEST_KEY": format.new_key()}, "CORDTALLY_CHEST_KEY: this key opens none of its locks"),
        ({"CORDTALLY_CHEST_KEY": "fog horn"}, "this is no key of a chest: one begins with chest-key:"),
        ({"CORDTALLY_CHEST_KEY_FILE": "no.key"}, "cannot be read"),
    ]:
        with pytest.raises(ct.LocatorError, match=words) as caught:
            tried(**environ)
        assert not {"fog", "chest-key:A"} & set(str(caught.value).split())


def test_a_renewed_chest_opens_with_the_kept_keys_alone(here):
    path, file = path_of(here), here.folder / "ci.key"
    managing.write_key(file, format.new_key())
    managing.add_lock(path, managing.Key("key", keys.read_key(file), "ci"), here)
    put("chest:tides", SECRET, here)
    assert managing.rekey(path, [managing.Key("key", keys.read_key(file), "ci")], here) == ["key"]
    with pytest.raises(format.WrongKey):
        ct.fetch("chest:tides", here)
    assert ct.fetch("chest:tides", replace(here, environ={"CORDTALLY_CHEST_KEY_FILE": "ci.key"})).unmask() == SECRET
    with pytest.raises(format.WrongKey):
        managing.rekey(path, [managing.Key("key", format.new_key(), "ci")], here)
    file.chmod(0o644)
    with pytest.raises(ct.LocatorError, match="chmod 600"):
        keys.read_key(file)


def summed(body):
    return body + hashlib.sha256(body).hexdigest().encode() + b"\n"


def test_each_cut_and_each_changed_byte_is_noticed_and_told_apart(here):
    put("chest:tides", SECRET, here)
    path = path_of(here)
    data = path.read_bytes()
    for end in range(len(data)):
        with pytest.raises(format.Damaged):
            format.parse(data[:end])
    for place in range(len(data)):
        with pytest.raises(format.Damaged):
            format.parse(data[:place] + bytes([data[place] ^ 1]) + data[place + 1 :])
    chest = format.parse(data)
    master = keys.master_of(chest, "", here)
    body = data[: data.rindex(b"\n", 0, -1) + 1]
    box = body.index(b"\n", len(format.TITLE)) + 1
    outcomes = set()
    for place in range(len(format.TITLE), len(body) - 1):  # by somebody who knows what a chest is
        try:
            changed = format.parse(summed(body[:place] + bytes([body[place] ^ 1]) + body[place + 1 :]))
            key = keys.read_key(keys.own_key_file(chest.id))
            format.open_box(changed, master if place >= box else format.unlock(changed, "key", key))
        except (format.Damaged, format.Tampered, format.WrongKey) as error:
            outcomes.add((type(error).__name__, place >= box))
            assert SECRET not in str(error)
        else:  # a bit of Base64 that is none of a byte's, or padding
            assert place >= box
            assert changed.box == chest.box
    assert {("Tampered", True), ("Tampered", False), ("WrongKey", False), ("Damaged", False)} <= outcomes
    older = body.replace(b'"generation":2', b'"generation":9')
    path.write_bytes(summed(older))
    with pytest.raises(format.Tampered, match=r"tampered with.*previous beside it is whole, of generation 1"):
        ct.fetch("chest:tides", here)


@pytest.mark.parametrize("cost", [b'"memory":2147483648', b'"memory":1', b'"memory":"65536"', b'"passes":4000000000'])
def test_a_header_that_would_cost_hours_is_refused_before_anything_is_derived(here, cost):
    managing.add_lock(path_of(here), managing.Key("passphrase", "fog horn", "passphrase"), here)
    data = path_of(here).read_bytes()
    body = data[: data.rindex(b"\n", 0, -1) + 1]
    name = cost.split(b":")[0]
    was = body[body.index(name) :].split(b",")[0]
    with pytest.raises(format.Damaged, match="its header is none"):
        format.parse(summed(body.replace(was, cost)))


def test_an_older_chest_is_noticed_and_taken_when_it_is_said(here):
    path = path_of(here)
    put("chest:tides", "old", here)
    backup = path.read_bytes()
    put("chest:tides", SECRET, here)
    path.write_bytes(backup)
    with pytest.raises(keeping.RolledBack, match="of generation 2, and 3 was seen here"):
        ct.fetch("chest:tides", here)
    assert managing.verify_chest(path, here, older=True).generation == 2
    assert ct.fetch("chest:tides", here).unmask() == "old"


WRITER = """
import os, signal, sys
from pathlib import Path
last, count = int(sys.argv[1]), 0
def counted(function):
    def call(*arguments, **more):
        global count
        count += 1
        if count == last:
            os.kill(os.getpid(), signal.SIGKILL)
        return function(*arguments, **more)
    return call
from cordtally.secrets import Surroundings, put, fetch
here = Surroundings(folder=Path(sys.argv[2]))
fetch("chest:tides", here)  # all is imported
for name in ("open", "fdopen", "fsync", "link", "replace", "unlink", "chmod", "close"):
    setattr(os, name, counted(getattr(os, name)))
put("chest:tides", "new", here)
os._exit(7)
"""


def test_a_writer_that_is_killed_at_any_step_loses_nothing(here):
    put("chest:tides", "old", here)
    seen = set()
    for step in range(1, 60):
        done = subprocess.run([sys.executable, "-c", WRITER, str(step), str(here.folder)], check=False)
        value = ct.fetch("chest:tides", here).unmask()
        seen.add(value)
        assert format.parse(keeping.previous_path(path_of(here)).read_bytes())
        if done.returncode == 7:
            break
        assert done.returncode == -signal.SIGKILL
        put("chest:tides", "old", here)
    assert (seen, step > 8, done.returncode) == ({"old", "new"}, True, 7)
    assert not [one for one in here.folder.iterdir() if one.name.endswith(".new")]


def test_writers_of_other_processes_and_threads_lose_no_entry(here):
    code = "import sys; from pathlib import Path; from cordtally.secrets import *\nfor n in range(8): put(f'chest:{sys.argv[1]}-{n}', 'x', Surroundings(folder=Path(sys.argv[2])))"
    with ThreadPoolExecutor(8) as pool:
        outside = [pool.submit(subprocess.run, [sys.executable, "-c", code, str(n), str(here.folder)], check=True) for n in range(4)]
        inside = [pool.submit(put, f"chest:t-{n}", "x", here) for n in range(16)]
        reads = [pool.submit(list_kept, "chest:x", here) for _ in range(50)]
        for one in (*outside, *inside, *reads):
            one.result()
    assert len(list_kept("chest:x", here)) == 48


def test_where_it_cannot_be_written_it_is_as_it_was(here, tmp_path):
    put("chest:tides", SECRET, here)
    path = path_of(here)
    with pytest.raises(ct.LocatorError, match="it is there already"):
        managing.make_chest(path, None)
    real = tmp_path / "elsewhere" / "real.chest"
    real.parent.mkdir()
    path.rename(real)
    path.symlink_to(real)
    put("chest:tides", "not-a-real-pw9", here)  # a link is followed
    assert (path.is_symlink(), ct.fetch("chest:tides", here).unmask()) == (True, "not-a-real-pw9")
    path.unlink()
    with pytest.raises(ct.LocatorError, match="there is none: cordtally chest create makes one"):
        ct.fetch("chest:tides", here)
    real.rename(path)
    before = path.read_bytes()
    if os.geteuid() == 0:
        os.chown(path, 1234, 1234)
        with pytest.raises(ct.LocatorError, match="belongs to another user"):
            put("chest:tides", "x", here)
        os.chown(path, 0, 0)
    code = "import resource, sys; from pathlib import Path; from cordtally.secrets import *\nresource.setrlimit(resource.RLIMIT_FSIZE, (300, 300))\nput('chest:tides', 'x' * 900, Surroundings(folder=Path(sys.argv[1])))"
    done = subprocess.run([sys.executable, "-c", code, str(here.folder)], capture_output=True, text=True, check=False)
    assert "it cannot be written (File too large); it is as it was" in done.stderr
    assert path.read_bytes() == before
