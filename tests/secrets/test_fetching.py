"""Locators: fetched from where they point, or a message that names the place and never a secret."""

import os

import pytest

import cordtally as ct
from cordtally.catalog import driver_ids
from cordtally.secrets import Surroundings, with_secret


def test_each_scheme_fetches(tmp_path, monkeypatch):
    (tmp_path / "berths").write_bytes("not-a-real-pw ü \n".encode())
    monkeypatch.setenv("TIDES_PASSWORD", "not-a-real-pw")
    asked = []
    here = Surroundings(folder=tmp_path, ask=lambda prompt: asked.append(prompt) or "typed")
    assert ct.fetch("env:TIDES_PASSWORD").unmask() == "not-a-real-pw"
    assert ct.fetch("file:berths", here).unmask() == "not-a-real-pw ü "
    assert ct.fetch(f"file:{tmp_path}/berths").unmask() == "not-a-real-pw ü "
    assert (ct.fetch("ask:Harbour password", here).unmask(), asked) == ("typed", ["Harbour password"])


@pytest.mark.parametrize(
    ("locator", "words"),
    [
        ("env:TIDES_PASWORD", "TIDES_PASWORD' is not set; TIDES_PASSWORD is set: names must match to the letter"),
        ("env:NOBODY_SET_THIS_ONE", "export NOBODY_SET_THIS_ONE="),
        ("file:no/such/file", "cannot be read"),
        ("file:binary", "not UTF-8"),
        ("file:large", "larger than 65,536 bytes"),
        ("ask:", "nobody can be asked here"),
        ("fil:berths", "scheme of no store; there are env:, file:, "),
    ],
)
def test_what_cannot_be_fetched_says_why(locator, words, tmp_path):
    (tmp_path / "binary").write_bytes(b"\xff\xfe\xff")
    (tmp_path / "large").write_bytes(b"x" * 70_000)
    here = Surroundings(folder=tmp_path, environ={"TIDES_PASSWORD": "not-a-real-pw"})
    with pytest.raises(ct.CordTallyError) as caught:
        ct.fetch(locator, here)
    assert words in str(caught.value)
    assert "not-a-real-pw" not in str(caught.value)


def test_arguments_fetch_at_the_last_moment(monkeypatch):
    cord = ct.compose(engine="postgresql", host="h", database="d", user="u", password="env:TIDES_PASSWORD")
    monkeypatch.delenv("TIDES_PASSWORD", raising=False)
    with pytest.raises(ct.LocatorError):
        cord.arguments("psycopg")
    monkeypatch.setitem(os.environ, "TIDES_PASSWORD", "not-a-real-pw")
    assert cord.arguments("psycopg") == {"host": "h", "user": "u", "password": "not-a-real-pw", "dbname": "d"}
    assert "not-a-real-pw" not in repr(cord.arguments("psycopg"))
    assert ct.write(cord, "libpq").ledger.line("password").outcome is ct.Outcome.IMPLIED
    assert with_secret(cord).password.unmask() == "not-a-real-pw"


def test_a_text_has_the_secret_in_it_or_fails(monkeypatch):
    cord = ct.compose(engine="postgresql", host="h", database="d", user="u", password="env:TIDES_PASSWORD")
    monkeypatch.delenv("TIDES_PASSWORD", raising=False)
    with pytest.raises(ct.LocatorError):
        cord.text("psycopg")
    monkeypatch.setenv("TIDES_PASSWORD", "p@ss/1")
    assert cord.text("sqlalchemy") == "postgresql+psycopg://u:p%40ss%2F1@h/d"
    assert cord.text("npgsql") == ct.text_for(cord, "npgsql") == "Host=h;Username=u;Password=p@ss/1;Database=d"
    monkeypatch.setenv("TIDES_PASSWORD", "a&b")
    with pytest.raises(ct.FieldError, match="the password cannot be written for mariadb-java/jdbc"):
        ct.compose(engine="mariadb", host="h", user="u", password="env:TIDES_PASSWORD").text("mariadb-java")


def test_drivers_are_listed_by_everyday_names():
    assert {driver.language for driver in ct.drivers(engine="mssql", language="dotnet")} == {"c#"}
    assert len(ct.drivers()) == len(driver_ids())
    with pytest.raises(ct.UnknownName, match="did you mean postgresql"):
        ct.drivers(engine="postgers")
