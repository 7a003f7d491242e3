"""Edits of TOML: what was asked for has changed, and every other byte stays."""

import tomllib

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.syntax.toml_edits import drop_table, drop_value, literal, rename_table, set_value

TEXT = """# the harbour's
tally = 1

[cords.tides] # gauges
engine = "postgresql"
host = 'localhost'   # here
options = { connect_timeout = "5s" }
# end of tides

# about berths
[cords.berths]
engine = "mariadb"

[cords.berths.options]
application_name = "berths"

[environments.production]
tides = { host = "gauge.greywick.example", port = 5432 }
berths.host = "berths.greywick.example"

[services.tides]
"""
EDITS = [
    (lambda t: set_value(t, ("cords", "tides", "host"), "gauge"), "'localhost'", '"gauge"'),
    (lambda t: set_value(t, ("cords", "tides", "port"), 5433), '"5s" }\n', '"5s" }\nport = 5433\n'),
    (lambda t: set_value(t, ("cords", "tides", "options", "read_only"), True), '"5s" }', '"5s", read_only = true }'),
    (lambda t: set_value(t, ("cords", "berths", "options", "read_only"), True), '= "berths"\n', '= "berths"\nread_only = true\n'),
    (lambda t: set_value(t, ("environments", "production", "tides", "tls"), "off"), "5432 }", '5432, tls = "off" }'),
    (lambda t: set_value(t, ("cords", "berths", "tls"), "off"), '"mariadb"\n', '"mariadb"\ntls = "off"\n'),
    (lambda t: set_value(t, ("services", "tides", "cord"), "tides"), "[services.tides]\n", '[services.tides]\ncord = "tides"\n'),
    (lambda t: set_value(t, ("cords", "fog", "engine"), "mysql"), "[services.tides]\n", '[services.tides]\n\n[cords.fog]\nengine = "mysql"\n'),
    (lambda t: set_value(t, ("tally",), 2), "tally = 1", "tally = 2"),
    (lambda t: set_value(t, ("more",), 2), "\n\n[cords.tides]", "\n\nmore = 2\n[cords.tides]"),
    (lambda t: drop_value(t, ("cords", "tides", "host")), "host = 'localhost'   # here\n", ""),
    (lambda t: drop_value(t, ("environments", "production", "tides", "port")), ", port = 5432", ""),
    (lambda t: drop_value(t, ("environments", "production", "tides", "host")), 'host = "gauge.greywick.example", ', ""),
    (lambda t: drop_table(t, ("cords", "tides")), TEXT[TEXT.index("[cords.tides]") : TEXT.index("# end of")], ""),
    (lambda t: drop_table(t, ("cords", "berths")), TEXT[TEXT.index("[cords.berths]") : TEXT.index("[environments")], ""),
    (lambda t: drop_table(t, ("environments", "production", "berths")), 'berths.host = "berths.greywick.example"\n', ""),
    (lambda t: rename_table(t, ("cords", "berths"), "quay side"), "cords.berths", 'cords."quay side"'),
    (lambda t: rename_table(t, ("environments", "production", "tides"), "gauge"), "\ntides = {", "\ngauge = {"),
]  # fmt: skip


@pytest.mark.parametrize("ends", ["\n", "\r\n"])
@pytest.mark.parametrize(("edit", "old", "new"), EDITS)
def test_an_edit_changes_what_was_asked_for_alone(edit, old, new, ends):
    assert edit(TEXT.replace("\n", ends)) == TEXT.replace(old, new).replace("\n", ends)


REFUSED = [
    (lambda t: rename_table(t, ("cords", "berths"), "tides"), "there is a tides already"),
    (lambda t: drop_value(t, ("cords", "tides", "hos")), "there is no cords.tides.hos"),
    (lambda t: drop_table(t, ("cords", "fog")), "there is no cords.fog"),
    (lambda t: set_value(t, ("tally", "x"), 1), "tally is no table"),
    (lambda t: set_value(t, ("x",), None), "TOML has no NoneType"),
    (lambda t: set_value("[[a]]\nb = 1\n", ("a", "c"), 1), "a is no table"),
]


@pytest.mark.parametrize(("edit", "words"), REFUSED)
def test_what_cannot_be_done_is_refused(edit, words):
    with pytest.raises(ct.FieldError, match=words):
        edit(TEXT)


VALUES = st.recursive(
    st.booleans() | st.integers(-5, 10**9) | st.text(st.characters(codec="utf-8"), max_size=9),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(st.characters(codec="utf-8"), max_size=5), inner, max_size=3),
    max_leaves=6,
)


@settings(max_examples=150, deadline=None)
@given(value=VALUES, name=st.text(st.characters(codec="utf-8"), max_size=6))
def test_any_value_under_any_name_is_read_as_it_was_meant(value, name):
    assert tomllib.loads(f"x = {literal(value)}") == {"x": value}
    assert tomllib.loads(set_value(TEXT, ("cords", "tides", "options", name), value))["cords"]["tides"]["options"][name] == value
    assert set_value("", ("cords", name, "x"), value).count("[") >= 1
