"""Tallies: layers, where each field came from, and what is wrong with a file, in words."""

import json
import re
import tomllib
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

import cordtally as ct
from cordtally.composing import spread
from cordtally.model import Duration

from ..strategies import TARGETS, cords

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
        ("tally = 1\n[cords.x]\nengine = 'sqlite'\npassword = 'hunter2'", "tally.toml:4:1: [cords.x]: password: a tally holds no secrets"),
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
    with pytest.raises(ct.TallyError) as caught:
        ct.load(write(tmp_path, f"tally = 1\n[cords.x]\n{fields}\n")).cord("x")
    assert words in str(caught.value)
    assert re.search(r"tally\.toml:\d+:\d+: \[cords\.x\]: ", str(caught.value))
    assert (caught.value.line == 2) == ("missing" in words)


LAYERED = """tally = 1
[defaults]
tls = "encrypted"
driver = "psycopg"
options = { connect_timeout = "9s", application_name = "harbour" }
[cords.tides]
text = "postgresql://tide_gauge@localhost:5433/tides?connect_timeout=7"
password = "env:TIDES_PASSWORD"
[cords.logbook]
engine = "sqlite"
database = "logbook.sqlite"
[environments.production.tides]
host = "gauge.greywick.example"
[environments.staging.tides]
text = "host=gauge-staging.greywick.example dbname=tides sslmode=verify-full"
"""
LOCAL = "tally = 1\n[cords.tides]\nhost = 'localhost'\n[cords.mine]\ntext = 'redis://buoys.greywick.example/3'\n"


def test_every_layer_wins_over_those_below_it(tmp_path):
    path = write(tmp_path, LAYERED)

    def said(environment=None, environ=None, **fields):
        one = ct.load(path).resolve("tides", environment=environment, environ=environ or {}, **fields)
        return {o.field: (o.value, o.layer, [(lost.value, lost.layer) for lost in o.lost]) for o in one.origins}, one

    told, one = said()
    assert told["host"] == ("localhost", "cord tides, line 7: text", [])
    assert told["options.connect_timeout"] == ("7s", "cord tides, line 7: text", [("9s", "defaults, line 5")])
    assert (told["tls"][:2], told["port"][0], str(one.cord.user)) == (("encrypted", "defaults, line 3"), "5433", "tide_gauge")
    told, one = said("production")
    assert told["host"] == ("gauge.greywick.example", "production, line 13", [("localhost", "cord tides, line 7: text")])
    told, one = said("staging")  # one text counts, the highest
    assert (one.cord.user, one.cord.hosts[0].port, one.cord.tls.level.value) == (None, None, "verify-identity")
    assert told["text"][2] == [("postgresql://tide_gauge@localhost:5433/tides?connect_timeout=7", "cord tides, line 7")]
    (tmp_path / "tally.local.toml").write_text(LOCAL)
    told, one = said("production")
    assert told["host"][:2] == ("localhost", "tally.local.toml, line 3")
    assert one.surprises == ("host: tally.local.toml, line 3 wins over production, line 13 and cord tides, line 7: text",)
    environ = {"CORD_TIDES_HOST": "", "CORD_TIDES_PORT": "6000", "CORD_TIDES_OPTION_CONNECT_TIMEOUT": "1s", "CORD_MINE_TLS": "off"}
    told, one = said("production", environ)
    assert (told["host"][1], told["port"][:2]) == ("tally.local.toml, line 3", ("6000", "variable CORD_TIDES_PORT"))
    assert (told["options.connect_timeout"][0], len(one.surprises)) == ("1s", 3)
    told, one = said("production", environ, port=7000, password=ct.Secret("x"))
    assert (told["port"][:2], told["password"][0], one.cord.hosts[0].port) == (("7000", "argument of the call"), "***", 7000)
    tally = ct.load(path)
    assert tally.names() == ("tides", "logbook", "mine")
    assert str(tally.cord("mine").hosts[0]) == "buoys.greywick.example"
    logbook = tally.resolve("logbook")
    assert (logbook.cord.tls.level, logbook.driver, logbook.cord.option("application_name")) == (None, None, "harbour")


WRONG_LAYERS = [
    ("[cords.x]\ntext = 'postgresql://u:hunter2@h/d'\n", {}, ":3:1: [cords.x]: text: a tally holds no secrets"),
    ("[cords.x]\ntext = 'nonsense'\n", {}, ":3:1: [cords.x]: text: "),
    ("[cords.x]\nengine = 'sqlite'\ndriver = 'sqlit3'\n", {}, ":4:1: [cords.x]: there is no driver named 'sqlit3'; did you mean sqlite3"),
    ("[cords.a-b]\nengine = 'sqlite'\n[cords.a_b]\nengine = 'sqlite'\n", {}, "CORD_A_B_HOST would set a field of a-b and of a_b"),
    ("[cords.a]\nengine = 'sqlite'\n[cords.a-option]\nengine = 'sqlite'\n", {}, None),
    ("[cords.'a b']\nengine = 'sqlite'\n", {}, "'a b' is no name"),
    ("[cords.x]\nengine = 'postgresql'\nhost = 'h'\n", {"CORD_X_HOTS": "h"}, "did you mean CORD_X_HOSTS?"),
    ("[cords.x]\nengine = 'postgresql'\nhost = 'h'\n", {"CORD_X_PASSWORD": "hunter2"}, "variable CORD_X_PASSWORD: it says where"),
    ("[cords.x]\nengine = 'postgresql'\nhost = 'h'\n", {"CORD_X_TLS": "of"}, "variable CORD_X_TLS: tls: there is no TLS level"),
    ("[cords.x]\nengine = 'postgresql'\nhost = 'h'\n[services.y]\ncrod = 'x'\n", {}, ":6:1: [services.y]: there is no field named 'crod'"),
    ("[remotes.y]\nurll = 'x'\n", {}, "did you mean url?"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "environ", "words"), WRONG_LAYERS)
def test_what_is_wrong_is_said_with_its_place_and_no_secret(tmp_path, text, environ, words):
    if words is None:
        assert ct.load(write(tmp_path, f"tally = 1\n{text}")).names()
        return
    path = write(tmp_path, f"tally = 1\n{text}")
    with pytest.raises(ct.TallyError) as caught:
        ct.load(path).cord("x", environ=environ)
    assert (words in str(caught.value), "hunter2" in str(caught.value)) == (True, False), str(caught.value)


@settings(max_examples=300, deadline=None)
@given(data=st.data())
def test_a_cord_is_its_fields_and_the_rest_of_it(data):
    cord = data.draw(cords(data.draw(st.sampled_from(TARGETS))))
    fields, rest = spread(cord)
    assert ct.compose(**fields).over(rest) == cord
    assert not any(isinstance(value, ct.MaskedText) for value in fields.values())


ROOT = Path(__file__).resolve().parents[2]
SCHEMA = Draft202012Validator(json.loads((ROOT / "docs/tally.schema.json").read_text()))
REFUSED = ["[cord.x]", "[cords.x]\nengin = 'sqlite'", "[cords.x]\npassword = 'hunter2'", "[environments.e.y]\ntls = 'of'", "[services.y]\ncrod = 'x'",
           "[cords.'a b']\nengine = 'sqlite'", "[remotes.y]\nurll = 'x'", "[commands.y]\ntime_limit = '5s'", "[defaults]\noptions = { tcp_keepalive = 3 }"]  # fmt: skip


@pytest.mark.parametrize("text", [GOOD, LAYERED, LOCAL, (ROOT / "src/cordtally/demo/harbour/tally.toml").read_text(), *(f"tally = 1\n{one}\n" for one in REFUSED)])
def test_the_published_schema_takes_what_is_read_and_refuses_what_is_not(text):
    refused = text.removeprefix("tally = 1\n").strip() in REFUSED
    assert bool(list(SCHEMA.iter_errors(tomllib.loads(text)))) == refused


def test_a_variable_may_hold_a_whole_text_and_names_of_two_cords_do_not_meet(tmp_path):
    both = "tally = 1\n[cords.tides]\ntext = 'postgresql://u:${GAUGE_PW}@h'\n[cords.tides-hot]\nengine = 'sqlite'\n"
    tally = ct.load(write(tmp_path, both))
    assert tally.cord("tides").password == ct.Locator("env", "GAUGE_PW")
    resolved = tally.resolve("tides", environ={"CORD_TIDES_TEXT": "postgresql://u:hunter2@g/d", "CORD_TIDES_HOT_DATABASE": "x"})
    assert resolved.cord.password == ct.Secret("hunter2")
    assert "hunter2" not in f"{resolved} {resolved.origins} {resolved.merged}"
    with pytest.raises(ct.TallyError, match="would set a field of a and of a-option-wallet"):
        ct.load(write(tmp_path, "tally = 1\n[cords.a]\nengine='sqlite'\n[cords.a-option-wallet]\nengine='sqlite'\n"))


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
