"""What is written for a framework is read back as the same cord, or its loss is told; no secret is in it."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

import cordtally as ct
from cordtally.config import declared_in, emit, emitted_layouts
from cordtally.model import clear

NAMES = st.text(st.characters(min_codepoint=32, max_codepoint=0x2FF, exclude_characters="\x7f\x85\xa0"), min_size=1, max_size=10).filter(lambda t: t == t.strip())
ENGINES = {"spring-boot": "postgresql", "appsettings": "postgresql", "rails": "postgresql", "django": "postgresql", "laravel-variables": "postgresql", "wordpress": "mysql"}
AWKWARD = st.sampled_from(["no", "010", "12:30", "a'b", 'a"b', "a\\b", "a#b", "a b", "${x}", "$x", "%s", "null", "~", "ü", "<%= x %>"])


@pytest.mark.parametrize("layout", ENGINES)
@given(user=NAMES | AWKWARD, database=NAMES | AWKWARD, port=st.none() | st.integers(1, 65535))
def test_a_block_is_read_back_as_the_same_cord(tmp_path_factory, layout, user, database, port):
    assert set(ENGINES) == set(emitted_layouts())
    cord = ct.compose(engine=ENGINES[layout], host="gauge.greywick.example", port=port, user=user, database=database, password="env:TIDES_PASSWORD")
    try:
        made = emit(cord, layout, name="tides")
    except ct.FieldError as error:
        # each says so where it cannot: frameworks that fill in values, and variables that a shell would expand
        assert layout == "laravel-variables" or ("fills in" in str(error)) or layout == "appsettings", error
        return
    path = tmp_path_factory.mktemp("emitted") / made.file.rpartition("/")[2]
    path.write_text(made.text, encoding="utf-8")
    (found,) = declared_in(path)
    lost = {line.part for line in made.ledger.losses}
    assert found.cord is not None, (found.problem, made.text)
    assert [(host.address, host.port) for host in found.cord.hosts] == [("gauge.greywick.example", port)]
    for role, value in (("user", user), ("database", database)):
        if role not in lost:
            assert clear(getattr(found.cord, role) or "") == value, made.text
    if layout in {"spring-boot", "rails", "django", "wordpress"}:
        assert found.from_variables["password"] == "TIDES_PASSWORD"


@pytest.mark.parametrize("layout", ENGINES)
def test_a_secret_is_named_and_what_is_lost_is_told(tmp_path, layout):
    cord = ct.compose(engine=ENGINES[layout], host="h", user="u", database="d", password=ct.Secret("not-a-real-pw"), tls="verify-identity", options={"connect_timeout": "5s"})
    made = emit(cord, layout, name="tides")
    assert "not-a-real-pw" not in made.text + str(made.to_dict())
    assert made.secret
    (tmp_path / made.file.rpartition("/")[2]).write_text(made.text)
    (found,) = declared_in(tmp_path / made.file.rpartition("/")[2])
    told = {line.part for line in made.ledger.losses}
    assert (found.cord.tls.level is ct.TlsLevel.VERIFY_IDENTITY) is ("tls.level" not in told)
    assert (dict(found.cord.options).get("connect_timeout") == ct.Duration.of(5)) is ("options.connect_timeout" not in told)
    assert (layout in {"spring-boot", "appsettings", "django"}) is (told == set())


def test_the_command_emits(cli, harbour):
    status, out, err = cli("emit", "tides@production", "--to", "django")
    assert (status, "'PASSWORD': os.environ[\"TIDES_PASSWORD\"]," in out, "this goes into settings.py" in err) == (0, True, True)
    assert "not in it: host gauge-2.greywick.example:5432" in err
    assert "not for postgresql" in cli("emit", "tides", "--to", "wordpress")[2]
    assert "one of" in cli("emit", "tides", "--to", "nosuch")[2]
    assert "for postgresql, sqlserver" in cli("emit", "redis://h", "--to", "appsettings")[2]
