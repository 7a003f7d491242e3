"""Stores: what is put is what is got, nothing else in a file changes, and what cannot be kept is refused with the reason."""

import itertools
import os
import sys
import threading

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally import catalog
from cordtally.secrets import Surroundings, describe, drop, put, put_together, stores
from cordtally.secrets.stores import store_of

SECRET = "not-a-real-pw1"
PAIRED = """tally = 1
[cords.tides]
text = "postgresql://localhost/tides"
user = "envfile:.env#GAUGE_USER"
password = "envfile:.env#GAUGE_PASSWORD"
"""
WRITABLE = ["file:secrets/tides", "envfile:.env#TIDES_PASSWORD", *(f"envfile:a.env?rules={one}#TIDES_PASSWORD" for one in ("symfony", "systemd", "container", "r"))]


@pytest.mark.parametrize("locator", WRITABLE)
def test_what_is_put_is_got_listed_told_of_and_dropped(locator, tmp_path):
    here = Surroundings(folder=tmp_path)
    for secret in (SECRET, f"{SECRET}2"):
        put(locator, secret, here)
        assert ct.fetch(locator, here).unmask() == secret
    scheme, _, rest = locator.partition(":")
    told = describe(locator, here)
    assert (told.others_may_read, told.changed is not None, SECRET in repr(told)) == (False, True, False)
    listed = store_of(scheme).names(rest.partition("#")[0] if "#" in rest else "secrets", here)
    assert listed == [rest]
    place = next(path for path in tmp_path.rglob("*") if path.is_file())
    assert place.stat().st_mode & 0o777 == 0o600
    place.chmod(0o644)
    assert describe(locator, here).others_may_read
    if os.geteuid() == 0:  # whose it is counts, too
        place.chmod(0o600)
        os.chown(place, 1234, 1234)
        assert describe(locator, here).others_may_read
        os.chown(place, 0, 0)
    drop(locator, here)
    with pytest.raises(ct.LocatorError, match=r"cannot be read|has no TIDES_PASSWORD"):
        ct.fetch(locator, here)
    with pytest.raises(ct.LocatorError, match=r"cannot be deleted|has no TIDES_PASSWORD"):
        drop(locator, here)


SECRETS = st.text(st.characters(codec="utf-8", exclude_characters="\r\n\0"), min_size=1, max_size=20)
BEFORE = "# kept\nOTHER='a b'\n\nTIDES_PASSWORD=old # said\nexport LAST=$OTHER\n"


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(secret=SECRETS, rules=st.sampled_from(["", "?rules=symfony", "?rules=systemd", "?rules=container", "?rules=r"]), ends=st.sampled_from(["\n", "\r\n"]))
def test_an_edited_file_keeps_every_other_byte(tmp_path, secret, rules, ends):
    here, path = Surroundings(folder=tmp_path), tmp_path / "x.env"
    before = BEFORE.replace("\n", ends).encode()
    path.write_bytes(before)
    try:
        put(f"envfile:x.env{rules}#TIDES_PASSWORD", secret, here)
    except ct.LocatorError as error:
        assert (path.read_bytes(), secret in str(error) and len(secret) > 3) == (before, False)
        return
    assert ct.fetch(f"envfile:x.env{rules}#TIDES_PASSWORD", here).unmask() == secret
    head, tail = before.partition(b"TIDES_PASSWORD=")[0], ends.encode() + b"export LAST=$OTHER" + ends.encode()
    after = path.read_bytes()
    assert (after.startswith(head + b"TIDES_PASSWORD="), after.endswith(tail)) == (True, True)
    put(f"envfile:x.env{rules}#NEW", "not-a-real-pw2", here)
    assert path.read_bytes() == after + b"NEW=not-a-real-pw2" + ends.encode()


def test_user_and_password_of_one_file_come_out_of_one_read_and_go_in_with_one_write(tmp_path):
    (tmp_path / "tally.toml").write_text(PAIRED)
    cord, here = ct.load(tmp_path).cord("tides"), Surroundings(folder=tmp_path)
    user, password = ct.parse_locator("envfile:.env#GAUGE_USER"), ct.parse_locator("envfile:.env#GAUGE_PASSWORD")

    def keep(number):
        put_together({user: ct.Secret(f"u{number}"), password: ct.Secret(f"p{number}")}, here)

    keep(0)
    stop = threading.Event()
    writer = threading.Thread(target=lambda: [keep(number) for number in itertools.takewhile(lambda _: not stop.is_set(), itertools.count())])
    writer.start()
    pairs = {cord.log_in() for _ in range(300)}
    stop.set()
    writer.join()
    assert all(one[1:] == other[1:] for one, other in pairs)
    assert (len(pairs) > 1, ct.write(cord, "psycopg").ledger.line("user").outcome) == (True, ct.Outcome.IMPLIED)
    assert cord.arguments("psycopg")["user"].startswith("u")


REFUSED = [
    ("env:TIDES_PASSWORD", "cannot be written from here"),
    ("credential:tides", "cannot be written from here"),
    ("ask:", "cannot be written from here"),
    ("envfile:.env", "wants PATH#NAME"),
    ("envfile:.env?rules=shell#A", "with one of symfony, systemd, container, r"),
    ("file:taken/tides", "cannot be written"),
]


@pytest.mark.parametrize(("locator", "words"), REFUSED)
def test_what_cannot_be_put_says_why_and_no_secret(locator, words, tmp_path):
    (tmp_path / "taken").write_text("")
    with pytest.raises(ct.LocatorError, match=words) as caught:
        put(locator, SECRET, Surroundings(folder=tmp_path))
    assert SECRET not in str(caught.value)


def test_a_service_s_credentials(tmp_path):
    (tmp_path / "tides").write_text(f"{SECRET}\n")
    here = Surroundings(environ={"CREDENTIALS_DIRECTORY": str(tmp_path)})
    assert (ct.fetch("credential:tides", here).unmask(), store_of("credential").names("", here)) == (SECRET, ["tides"])
    assert describe("credential:tides", here).where == str(tmp_path / "tides")
    for name in ("../tides", "", ".."):
        with pytest.raises(ct.LocatorError, match="no name of a credential"):
            ct.fetch(f"credential:{name}", here)
    with pytest.raises(ct.LocatorError, match="LoadCredential=NAME:PATH"):
        ct.fetch("credential:tides", Surroundings(environ={}))


def test_what_is_filled_in_is_no_secret(tmp_path):
    (tmp_path / ".env").write_text("A=1\nTIDES_PASSWORD=$A\n")
    with pytest.raises(ct.LocatorError, match="filled in when the file is read"):
        ct.fetch("envfile:.env?rules=symfony#TIDES_PASSWORD", Surroundings(folder=tmp_path))
    with pytest.raises(ct.LocatorError, match="has no TIDES_PASSWORT; it has TIDES_PASSWORD"):
        ct.fetch("envfile:.env#TIDES_PASSWORT", Surroundings(folder=tmp_path))


@pytest.fixture
def plugged(tmp_path, monkeypatch):
    """A package that brings two stores, one of them none, as pip would install it."""
    (tmp_path / "harbour_safe.py").write_text(
        "class Safe:\n    scheme, writable, expires = 'safe', False, False\n"
        "    def get(self, rest, around): return f'not-a-real-{rest}'\n"
        "    put = drop = names = describe = get\n"
    )
    (tmp_path / "harbour_safe-1.dist-info").mkdir()
    (tmp_path / "harbour_safe-1.dist-info" / "METADATA").write_text("Metadata-Version: 2.1\nName: harbour-safe\nVersion: 1\n")
    (tmp_path / "harbour_safe-1.dist-info" / "entry_points.txt").write_text("[cordtally.stores]\nsafe = harbour_safe:Safe\nbad = harbour_safe:__name__\n")
    monkeypatch.syspath_prepend(tmp_path)
    catalog.plugged_stores.cache_clear()
    yield
    catalog.plugged_stores.cache_clear()
    stores._MADE.pop("safe", None)
    sys.modules.pop("harbour_safe", None)


def test_a_store_that_another_package_brings_is_known_everywhere(plugged, tmp_path):
    assert ct.fetch("safe:tides").unmask() == "not-a-real-tides"
    cord = ct.compose(engine="postgresql", host="h", database="d", user="u", password="safe:tides")
    assert cord.arguments("psycopg")["password"] == "not-a-real-tides"
    (tmp_path / "tally.toml").write_text('tally = 1\n[cords.tides]\nengine = "postgresql"\npassword = "safe:tides"\n')
    assert str(ct.load(tmp_path / "tally.toml").cord("tides").password) == "safe:tides"
    (tmp_path / "a.py").write_text('PASSWORD = "safe:tides-1"\n')
    assert ct.sweep(tmp_path / "a.py").hits == []
    with pytest.raises(ct.FieldError, match="harbour_safe:__name__ is no store: it has not all of scheme, writable, expires, get"):
        ct.fetch("bad:tides")
    assert os.environ  # untouched
