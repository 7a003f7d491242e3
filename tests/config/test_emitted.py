"""What is written for a framework is read back as the same cord, or its loss is told; no secret is in it."""

import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.config import declared_in, emit, emitted_layouts
from cordtally.config.layouts import load_layouts
from cordtally.model import clear

NAMES = st.text(st.characters(min_codepoint=32, max_codepoint=0x2FF, exclude_characters="\x7f\x85\xa0"), min_size=1, max_size=10).filter(lambda t: t == t.strip())
AWKWARD = st.sampled_from(["no", "010", "12:30", "a'b", 'a"b', "a\\b", "a#b", "a b", "${x}", "$x", "%s", "null", "~", "ü", "<%= x %>"])


TARGETS = [(name, engine) for name in emitted_layouts() for engine in load_layouts()[name].emit["drivers"]]
AMBIGUOUS = {("appsettings", "mysql"), ("appsettings", "mariadb"), ("appsettings", "sqlite")}  # no key of it tells the driver


def written(folder, made):
    path = folder / made.file
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(made.text, encoding="utf-8")
    return path


@pytest.mark.parametrize(("layout", "engine"), TARGETS)
@settings(max_examples=12)
@given(user=NAMES | AWKWARD, database=NAMES | AWKWARD, port=st.none() | st.integers(1, 65535))
def test_a_block_is_read_back_as_the_same_cord(tmp_path_factory, layout, engine, user, database, port):
    server = {} if engine == "sqlite" else {"host": "gauge.greywick.example", "port": port, "user": user, "password": "env:TIDES_PASSWORD"}
    cord = ct.compose(engine=engine, database="3" if engine == "redis" else database, **server)
    try:
        made = emit(cord, layout, called="tides")
    except ct.FieldError as error:  # it says so where it cannot: frameworks fill in values, readers of lines take some for their own
        assert {*user, *database} - set("abcdefghijklmnopqrstuvwxyz0123456789"), error
        return
    every = declared_in(written(tmp_path_factory.mktemp("emitted"), made), variables={} if not made.beside else dict(
        line.split("=", 1) for line in made.beside.get(".env.example", "").splitlines() if layout == "prisma"))
    if (layout, engine) in AMBIGUOUS:
        return
    (found,) = every
    if layout == "prisma":
        assert found.from_variables["text"] == "DATABASE_URL"
        return
    lost = {line.part for line in made.ledger.losses}
    assert found.cord is not None, (found.problem, made.text)
    assert "host" in lost or [(clear(host.address), host.port) for host in found.cord.hosts] == ([] if engine == "sqlite" else [("gauge.greywick.example", port)])
    for role in ("user", "database"):
        if role not in lost:
            assert clear(getattr(found.cord, role) or "") == clear(getattr(cord, role) or ""), made.text
    reference = load_layouts()[layout].emit.get("secret", "")
    if "NAME" in reference and engine != "sqlite":
        assert found.from_variables["password"] == "TIDES_PASSWORD"


@pytest.mark.parametrize(("layout", "engine"), TARGETS)
def test_a_secret_is_named_and_what_is_lost_is_told(tmp_path, layout, engine):
    if engine == "sqlite" or (layout, engine) in AMBIGUOUS | {("prisma", engine)}:
        pytest.skip("has no secret, or no text in the block")
    cord = ct.compose(engine=engine, host="h", user="u", database="1", password=ct.Secret("not-a-real-pw"), tls="verify-identity", options={"connect_timeout": "5s"})
    made = emit(cord, layout, called="tides")
    assert "not-a-real-pw" not in made.text + str(made.to_dict())
    assert made.secret
    (found,) = declared_in(written(tmp_path, made))
    told = {line.part for line in made.ledger.losses}
    assert (found.cord.tls.level is ct.TlsLevel.VERIFY_IDENTITY) is ("tls.level" not in told)
    assert (dict(found.cord.options).get("connect_timeout") == ct.Duration.of(5)) is ("options.connect_timeout" not in told)


def test_the_page_of_layouts_is_current():
    root = Path(__file__).parents[2]
    done = subprocess.run([sys.executable, root / "scripts/layouts-page", "--check"], capture_output=True, text=True, check=False)
    assert done.stderr == ""


def test_the_command_emits(cli, harbour):
    status, out, err = cli("emit", "tides@production", "--to", "django")
    assert (status, "'PASSWORD': os.environ[\"TIDES_PASSWORD\"]," in out, "this goes into settings.py" in err) == (0, True, True)
    assert "not in it: host gauge-2.greywick.example:5432" in err
    assert "not for postgresql" in cli("emit", "tides", "--to", "wordpress")[2]
    assert "one of" in cli("emit", "tides", "--to", "nosuch")[2]
    assert "for postgresql, sqlserver" in cli("emit", "redis://h", "--to", "appsettings")[2]
