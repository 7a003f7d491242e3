"""A command run in this process."""

import io
import sys

import pytest

from cordtally.cli import main


@pytest.fixture
def cli(capsys, monkeypatch):
    """Run a command; give its status, standard output and standard error."""

    def run(*arguments, stdin=None):
        if stdin is not None:
            monkeypatch.setattr(sys, "stdin", io.StringIO(stdin))
        status = main(list(arguments))
        out, err = capsys.readouterr()
        assert "Traceback" not in out + err
        return status, out, err

    return run
