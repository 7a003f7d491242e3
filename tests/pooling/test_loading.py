"""Load that is put on sessions: all that began is counted, failures end it, and what a stall spoils is left out."""

import threading
from time import perf_counter, sleep

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cordtally.pooling.measuring.loading import Failures, load_closed, load_open
from cordtally.pooling.measuring.stalls import Stalls
from cordtally.servers import NoAnswer

EXPECTED = Failures((OSError,), lambda error: type(error).__name__, 30.0)


def test_every_request_that_began_counts():
    load = load_closed([1, 2, 3], lambda _: sleep(0.04), EXPECTED, 0.1)
    within = round(load.throughput * load.seconds)
    assert len(load.holds) == within + 3  # each session was in the middle of one when the time was up
    assert load.holds.min() >= 0.04
    assert load.failures == 0


def test_waits_count_from_the_instant_that_was_meant():
    load = load_open([1], lambda _: sleep(0.01), EXPECTED, np.zeros(8))
    assert (np.diff(load.waits) >= 0.01).all()
    assert load.waits[-1] >= 7 * 0.01 - 0.05  # the load begins 50 ms from now
    idle = load_open([1, 2], lambda _: None, EXPECTED, np.array([0.0, 0.02]))
    assert (idle.waits == 0).all()


def test_a_load_that_fails_and_fails_stops():
    def fail(_):
        raise OSError("the harbour is closed\nuntil dawn")

    for load in (load_closed([1], fail, EXPECTED, 60.0), load_open([1, 2], fail, EXPECTED, np.zeros(1000))):
        assert 20 <= load.failures <= 21
        assert (load.first_failure, len(load.holds)) == ("OSError", 0)


def test_a_session_that_never_answers_ends_a_load():
    never = threading.Event()
    impatient = EXPECTED._replace(patience=0.05)
    for load in (lambda: load_closed([1], lambda _: never.wait(60), impatient, 0.02), lambda: load_open([1], lambda _: never.wait(60), impatient, np.zeros(3))):
        with pytest.raises(NoAnswer):
            load()
    never.set()


@given(st.lists(st.tuples(st.floats(0, 30), st.floats(0.02, 2)), max_size=8))
def test_stretches_left_out_add_up(found):
    stalls = Stalls()
    for begin, length in sorted(found):
        stalls.add(begin, begin + length)
    assert all(first[1] < second[0] for first, second in zip(stalls.stretches, stalls.stretches[1:]))
    instants = np.arange(-5, 60, 0.01)
    assert abs(stalls.lost(-5, 60) - 0.01 * np.count_nonzero(~stalls.outside(instants))) < 0.02 * (1 + len(found))
    assert not stalls.outside(np.array([begin + share * length for begin, length in found for share in (0, 0.5, 1)])).any()


def test_what_was_under_way_when_this_machine_stood_still_is_left_out(monkeypatch):
    """A stall soon after the start: the holds around it go, and the time is made up for."""
    begun = perf_counter()

    def nap(self):
        sleep(0.01)
        if not self.stretches and perf_counter() > begun + 0.3:
            self.add(begun + 0.25, begun + 0.26)

    monkeypatch.setattr(Stalls, "nap", nap)
    held = []

    def task(_):
        start = perf_counter()
        sleep(0.2 if begun + 0.15 < start < begun + 0.35 else 0.01)
        if start < begun + 0.26 and perf_counter() > begun + 0.25:
            held.append(perf_counter() - start)

    load = load_closed([1], task, EXPECTED, 0.4)
    assert all(abs(hold - max(held)) > 1e-3 for hold in load.holds)  # a real stall may be as long, and is another one
    assert load.left_out > 0.5
    assert load.seconds >= 0.4
