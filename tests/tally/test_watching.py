"""A watched tally: each edit is handed over with what changed, and a broken one with its problem and the tally before."""

import asyncio
import os
import queue

import pytest

import cordtally as ct

TEXT = """tally = 1
[cords.tides]
engine = "postgresql"
host = "localhost"
[cords.berths]
engine = "mariadb"
[environments.production.berths]
host = "berths.greywick.example"
"""
EDITS = [
    (TEXT.replace("localhost", "127.0.0.1"), ((), (), ("tides",))),
    (TEXT.replace("[cords.tides", "[cords.gauges"), (("gauges",), ("tides",), ())),
    (TEXT.replace("berths.greywick", "berths-2.greywick"), (("tides",), ("gauges",), ("berths",))),
]


def replace(path, text):
    beside = path.with_name(".new")
    beside.write_text(text)
    os.replace(beside, path)  # as editors do it


def test_each_edit_is_handed_over_with_what_changed(tmp_path):
    path, told = tmp_path / "tally.toml", queue.Queue()
    path.write_text(TEXT)
    tally = ct.load(path)
    with tally.watch(told.put) as watching:
        for text, changes in EDITS:
            replace(path, text)
            one = told.get(timeout=60)
            assert (one.added, one.dropped, one.changed, one.problem) == (*changes, None)
            assert one.tally is watching.tally
        good = watching.tally
        path.write_text("tally = 1\n[cords.tides]\nengin = 'x'\n")
        one = told.get(timeout=60)
        assert ("did you mean engine" in str(one.problem), one.tally, watching.tally) == (True, good, good)
        replace(path, EDITS[2][0])  # as it was: nothing has changed
        one = told.get(timeout=60)
        assert (one.problem, one.added + one.dropped + one.changed) == (None, ())
        (tmp_path / "tally.local.toml").write_text("tally = 1\n[cords.tides]\nport = 6000\n")
        assert told.get(timeout=60).changed == ("tides",)
        assert watching.tally.cord("tides", environ={}).hosts[0].port == 6000
        path.unlink()
        assert isinstance(told.get(timeout=60).problem, ct.TallyError)
    assert told.empty()
    assert repr(tally) == f"<Tally: tides, berths of {path}>"


def test_a_loop_is_told_and_an_edit_before_it_watches_is_seen(tmp_path):
    path = tmp_path / "tally.toml"
    path.write_text(TEXT)
    tally = ct.load(path)
    replace(path, EDITS[0][0])

    async def first():
        return await anext(tally.watch_async())

    assert asyncio.run(asyncio.wait_for(first(), 60)).changed == ("tides",)


def test_a_watch_that_is_stopped_from_its_own_callback_ends(tmp_path):
    path, told = tmp_path / "tally.toml", queue.Queue()
    path.write_text(TEXT)
    watching = ct.load(path).watch(lambda change: (watching.stop(), told.put(change)))
    replace(path, EDITS[0][0])
    assert told.get(timeout=60).changed == ("tides",)
    watching._thread.join(60)
    assert not watching._thread.is_alive()
    with pytest.raises(queue.Empty):
        told.get(timeout=0.1)
