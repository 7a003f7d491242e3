"""Tallies: layers, where each field came from, and what is wrong with a file, in words."""

import pytest

import cordtally as ct
from cordtally.model import Duration

GOOD = """tally = 1
[cords.tides]
engine = "postgresql"
host = "localhost"
password = "env:TIDES_PASSWORD"
options = { connect_timeout = "5s", application_name = "tide-gauge" }
[environments.production.tides]
hosts = ["gauge-1.greywick.example:5432", "[2001:db8::1]"]
tls = "verify-identity"
options.connect_timeout = "3s"
"""


def write(tmp_path, text):
    (tmp_path / "tally.toml").write_text(text)
    return tmp_path / "tally.toml"


def test_layers_are_laid_over_each_other(tmp_path, monkeypatch):
    write(tmp_path, GOOD)
    (tmp_path / "deep" / "down").mkdir(parents=True)
    monkeypatch.chdir(tmp_path / "deep" / "down")
    tally = ct.load()
    assert tally.names() == ("tides",)
    plain, production = tally.cord("tides"), tally.cord("tides", environment="production")
    assert [str(h) for h in plain.hosts] == ["localhost"]
    assert [str(h) for h in production.hosts] == ["gauge-1.greywick.example:5432", "[2001:db8::1]"]
    assert production.option("connect_timeout") == Duration.of(3)
    assert production.option("application_name") == "tide-gauge"
    layers = {o.field: o.layer for o in tally.resolve("tides", environment="production").origins}
    assert layers["tls"] == "production, line 9"
    assert layers["options.connect_timeout"] == "production, line 10"
    assert layers["options.application_name"] == "cord tides, line 6"
    assert layers["user"] == "default of PostgreSQL"
    assert "host" not in layers


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("tally = 1\n[cords.x", "is not TOML"),
        ("[cords.x]\nengine = 'sqlite'", "the first line must be: tally = 1"),
        ("tally = 2", "the first line must be"),
        ("tally = 1\n[cord.x]", "did you mean cords?"),
        ("tally = 1\ncords = 3", "cords must be a table"),
        ("tally = 1\n[cords.x]\nengin = 'sqlite'", "did you mean engine?"),
        ("tally = 1\n[cords.x]\nengine = 'sqlite'\npassword = 'hunter2'", "tally.toml:4: [cords.x] password: a tally holds no secrets"),
        ("tally = 1\n[cords.x]\nengine = 'sqlite'\n[environments.e.y]\ntls = 'off'", "there is no cord named 'y'"),
    ],
)
def test_a_file_that_cannot_be_used(tmp_path, text, words):
    with pytest.raises(ct.TallyError) as caught:
        ct.load(write(tmp_path, text))
    assert words in str(caught.value)
    assert "hunter2" not in str(caught.value)


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ("engine = 'postgrsql'", "did you mean postgresql"),
        ("host = 'h'", "the field 'engine' is missing"),
        ("engine = 'postgresql'\ntls = 'verify'", "no TLS level named 'verify'"),
        ("engine = 'postgresql'\nport = 5432", "a port needs a host"),
        ("engine = 'postgresql'\nhost = 'h:1'\nport = 5432", "given twice"),
        ("engine = 'postgresql'\nhost = 'h'\nport = 0", "from 1 to 65535"),
        ("engine = 'postgresql'\nhosts = 'h'", "hosts is a list"),
        ("engine = 'postgresql'\nhosts = ['h']\nhost = 'g'", "either hosts, or host and port"),
        ("engine = 'postgresql'\ndatabase = 5", "database must be a text"),
        ("engine = 'postgresql'\noptions = { connect_timeout = 5 }", "write 5s, 250ms"),
        ("engine = 'postgresql'\noptions = { conect_timeout = '5s' }", "did you mean connect_timeout"),
        ("engine = 'postgresql'\noptions = { target_role = 'boss' }", "one of any, primary"),
        ("engine = 'postgresql'\noptions = { tcp_keepalive = 'maybe' }", "neither true nor false"),
        ("engine = 'postgresql'\noptions = { prepare_threshold = 'x' }", "not a whole number"),
        ("engine = 'postgresql'\ndriver = 'libpq'\noptions = { sslmode = 'require' }", "give it as tls"),
        ("engine = 'postgresql'\ndriver = 'libpq'\noptions = { connect_timeout = 'x', gsslib = 'y' }", "is not a duration"),
        ("engine = 'postgresql'\ndriver = 'nodriver'\noptions = { gsslib = 'y' }", "no driver named"),
    ],
)
def test_a_field_that_cannot_be_meant_names_its_table(tmp_path, fields, words):
    tally = ct.load(write(tmp_path, f"tally = 1\n[cords.x]\n{fields}\n"))
    with pytest.raises(ct.TallyError) as caught:
        tally.cord("x")
    assert words in str(caught.value)
    assert "[cords.x]" in str(caught.value)


def test_native_options_ride_along_with_their_driver(tmp_path):
    text = "tally = 1\n[cords.x]\nengine = 'postgresql'\ndriver = 'libpq'\noptions = { sslnegotiation = 'direct', keepalives = '0' }\n"
    cord = ct.load(write(tmp_path, text)).cord("x")
    assert (cord.native, cord.options) == ((("libpq/sslnegotiation", "direct"),), (("tcp_keepalive", False),))
    assert ct.write(cord, "libpq/keyword").text.unmask() == "keepalives=0 sslnegotiation=direct"


def test_names_that_are_not_there(tmp_path, monkeypatch):
    tally = ct.load(write(tmp_path, GOOD))
    with pytest.raises(ct.UnknownName, match="did you mean tides"):
        tally.cord("tide")
    with pytest.raises(ct.UnknownName, match="did you mean production"):
        tally.cord("tides", environment="producton")
    (tmp_path / "empty").mkdir()
    monkeypatch.chdir("/")
    with pytest.raises(ct.TallyError, match=r"there is no tally\.toml"):
        ct.load()
    with pytest.raises(ct.TallyError, match="cannot be read"):
        ct.load(tmp_path / "nothing.toml")
