"""``cordtally with``: the program has the cords in its environment, and everything else is its own."""

import os
import signal
import subprocess
import sys

import pytest

import cordtally as ct

SECRET = "not-a-real pw'1\\"
HERE = {**os.environ, "TIDES_PASSWORD": SECRET}


@pytest.fixture
def with_cord(harbour):
    def run(*arguments, **more):
        for name in ("PGHOST", "PGUSER", "PGPASSWORD"):
            HERE.pop(name, None)
        command = [sys.executable, "-m", "cordtally", "with", *arguments]
        return subprocess.run(command, cwd=harbour, capture_output=True, text=True, check=False, env={**HERE, **more})

    return run


@pytest.mark.parametrize(
    ("arguments", "shown"),
    [
        (["tides"], ["localhost", "tide_gauge", SECRET, ""]),
        (["tides", "--as", "libpq", "--as", "URL=sqlalchemy"], ["localhost", "tide_gauge", SECRET, "postgresql+psycopg://"]),
        (["tides@production", "--as", "url:URL"], ["", "", "", "postgresql://tide_gauge:"]),
        (["tides", "logbook", "--as", "URL=nosuch"], None),
    ],
)
def test_what_the_program_is_given(with_cord, arguments, shown):
    code = "import os; print(*[os.environ.get(n, '') for n in ('PGHOST', 'PGUSER', 'PGPASSWORD', 'URL')], sep='\\n'); raise SystemExit(7)"
    done = with_cord(*arguments, "--", sys.executable, "-c", code, "--as", "-h")
    if shown is None:
        assert (done.returncode, SECRET in done.stderr) == (2, False)
        return
    assert (done.returncode, done.stderr) == (7, "")
    assert all(line.startswith(begin) and bool(line) == bool(begin) for line, begin in zip(done.stdout.splitlines(), shown, strict=True))


def test_signals_and_statuses_are_the_program_s_own(with_cord, harbour):
    done = with_cord("tides", "--", "sh", "-c", "kill -TERM $$")
    assert done.returncode == -signal.SIGTERM
    code = "import signal; print(signal.getsignal(signal.SIGPIPE) is signal.SIG_DFL)"
    script = f'"{sys.executable}" -m cordtally with tides -- yes | head -1; echo "${{PIPESTATUS[0]}}"'
    piped = subprocess.run(["bash", "-c", script], cwd=harbour, capture_output=True, text=True, check=False, env=HERE)
    assert piped.stdout.split() == ["y", str(128 + signal.SIGPIPE)], code
    assert (with_cord("tides", "--", "nosuchprogram").returncode, with_cord("tides", "--", "/etc").returncode) == (127, 126)


@pytest.mark.parametrize(
    ("arguments", "words", "more"),
    [
        (["tides", "--", "true"], "PGHOST is set already", {"PGHOST": "h"}),
        (["tides", "tides@production", "--", "true"], "stand for tides and tides@production", {}),
        (["logbook", "--", "true"], "clients of sqlite read no variables", {}),
        (["tides", "--as", "libpg", "--", "true"], "did you mean libpq?", {}),
        (["tides", "--as", "1X=psycopg", "--", "true"], "no name of a variable", {}),
        (["tides"], "say what to start", {}),
        (["tids", "--", "true"], "did you mean tides?", {}),
    ],
)
def test_what_is_refused_before_anything_is_started(with_cord, arguments, words, more):
    done = with_cord(*arguments, **more)
    assert (done.returncode, words in done.stderr, SECRET in done.stderr, done.stdout) == (2, True, False, "")
    if "PGHOST" in more:
        assert with_cord(arguments[0], "--over", *arguments[1:], **more).returncode == 0


def test_variables_in_python(monkeypatch):
    monkeypatch.setenv("TIDES_PASSWORD", SECRET)
    cord = ct.compose(engine="postgresql", host="h", user="u", password="env:TIDES_PASSWORD", options={"application_name": "a\nb"})
    assert cord.environment("libpq") == {"PGHOST": "h", "PGUSER": "u", "PGPASSWORD": SECRET, "PGAPPNAME": "a\nb"}
