"""A plug-in for pytest: the fixture ``answering`` gives a cord that answers, and skips, or fails, with the diagnosis.

pytest finds it by itself where Cord Tally is installed. ``--cords-must-answer``, or the variable
``CORDTALLY_MUST_ANSWER=1``, makes a failure of what is else a skip: on a build server a test that is skipped tests
nothing, and nobody notices.

    def test_tides(answering):
        with answering("tides").connect("psycopg") as connection:
            ...
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import TYPE_CHECKING

import pytest

if TYPE_CHECKING:
    from pathlib import Path

    from .dialing import DialResult
    from .model import Cord, Duration, Secret

_OPTION, _VARIABLE = "--cords-must-answer", "CORDTALLY_MUST_ANSWER"


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add ``--cords-must-answer``."""
    help_text = f"Fail where a cord does not answer, instead of skipping; {_VARIABLE}=1 does the same."
    parser.getgroup("cordtally").addoption(_OPTION, action="store_true", help=help_text)


@pytest.fixture(scope="session")
def _dialled() -> dict[object, DialResult]:
    return {}


@pytest.fixture
def answering(request: pytest.FixtureRequest, _dialled: dict[object, DialResult]) -> Callable[..., Cord]:
    """Give a function that dials a cord once in a session, and gives the cord where it answers.

    ``answering(what, environment=None, limit="5s")`` takes the name of a cord of the tally, a connection string or a
    cord.
    """
    must = bool(request.config.getoption(_OPTION)) or os.environ.get(_VARIABLE) == "1"

    def answer(
        what: Cord | str | Secret, *, environment: str | None = None, limit: float | str | Duration = "5s"
    ) -> Cord:
        from .dialing import dial
        from .secrets import Surroundings

        title, cord, folder = _found(what, environment)
        if cord not in _dialled:
            _dialled[cord] = dial(cord, limit=limit, surroundings=Surroundings(folder=folder))
        result = _dialled[cord]
        if result.diagnosis is not None:
            told = f"{title}: {result.sentence}\n    {result.diagnosis.hint}"
            pytest.fail(told, pytrace=False) if must else pytest.skip(told)
        return cord

    return answer


def _found(what: Cord | str | Secret, environment: str | None) -> tuple[str, Cord, Path]:
    """How a cord is called, the cord, and the folder from which its paths start."""
    from pathlib import Path

    from .exchange import read
    from .model import Cord
    from .tally import load

    if isinstance(what, Cord):
        return what.engine, what, Path()
    if isinstance(what, str) and what.replace("-", "").replace("_", "").replace(".", "").isalnum():
        resolved = load().resolve(what, environment=environment)
        return what, resolved.cord, resolved.folder
    reading = read(what)
    return str(reading.text), reading.cord, Path()
