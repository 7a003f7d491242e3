"""No text is taken for another engine's: what is not known is said to be so."""

from pathlib import Path

import pytest

import cordtally as ct

ROWS = [line.split(" ", 1) for line in (Path(__file__).parents[1] / "data/engines.txt").read_text().splitlines() if line and line[0] != "#"]


@pytest.mark.parametrize(("engine", "text"), ROWS)
def test_the_engine_of_a_text(engine, text):
    try:
        reading = ct.read(text)
    except ct.AmbiguousText:
        pytest.fail("it is said to be anybody's")
    except ct.TextError as error:
        assert engine == "unknown", error
        return
    assert reading.cord.engine == engine
    again = ct.read(ct.write(reading.cord, reading.target).text).cord  # without being told by whom it is read
    assert (again.engine, again.hosts, again.database) == (engine, reading.cord.hosts, reading.cord.database)
