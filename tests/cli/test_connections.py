"""What people type or paste for a connection, in the commands that take one: status, stream and words."""

import json

import pytest

URL = "postgresql://keeper@gauge.greywick.example/tides"
READ = "Read as libpq (libpq/url)"
GIVEN = [
    # what is given, the status of read, and what is told on standard error
    (URL, 0, ""),
    (f" {URL} ", 0, "without what came along: blanks"),
    (f'"{URL}"', 0, "without what came along: quotes"),
    (f"'{URL}'", 0, "without what came along: quotes"),
    (f"“{URL}”", 0, "without what came along: quotes"),
    (f"\ufeff{URL}", 0, "without what came along: an invisible character"),
    (f"TIDES_URL={URL}", 0, "without what came along: a variable's name"),
    (f'export TIDES_URL="{URL}"', 0, "a variable's name and quotes"),
    (f"tides_url: {URL}", 0, "a variable's name"),
    (f"$env:TIDES_URL = '{URL}'", 0, "a variable's name and quotes"),
    (f"psql '{URL}'", 0, "a command and quotes"),
    ("tides", 0, ""),
    ("tides@production", 0, ""),
    ("tides@prod", 0, "production is taken for 'prod'"),
    ("tidse", 2, "no cord named 'tidse'; did you mean tides?"),
    ("tidse@production", 2, "no cord named 'tidse'; did you mean tides?"),
    ("tides@moon", 2, "tally.toml has staging, production"),
    ("tides:production", 2, "an environment stands behind an @: tides@production"),
    ("one.txt", 0, "'one.txt' is a file: its one line is read"),
    ("./one.txt", 0, "is a file: its one line is read"),
    ("@one.txt", 0, ""),
    ("@utf16.txt", 0, ""),
    ("@quoted.txt", 0, "quotes"),
    ("one.txr", 2, "no file 'one.txr'; did you mean one.txt?"),
    ("@one.txr", 2, "no file 'one.txr'; did you mean one.txt?"),
    ("conf/app.yml", 2, "no file 'conf/app.yml'"),
    ("tally.tml", 2, "did you mean tally.toml?"),
    (".env", 2, "no file '.env'"),
    ("tally.toml", 2, "lines, and is no connection string: cordtally vet tally.toml"),
    ("@tally.toml", 2, "lines, and is no connection string: cordtally vet tally.toml"),
    ("@latin.txt", 2, "is not UTF-8 text"),
    ("gauge.greywick.example", 3, "the form of no notation"),
    ("jdbc:nosuch:mem:test", 3, "the form of no notation"),
    ("", 3, "the text is empty"),
]


@pytest.fixture
def folder(harbour):
    (harbour / "one.txt").write_text(URL + "\n")
    (harbour / "quoted.txt").write_text(f'"{URL}"\n')
    (harbour / "utf16.txt").write_text(URL, "utf-16")
    (harbour / "latin.txt").write_bytes(URL.encode() + b"\xe9")
    return harbour


@pytest.mark.parametrize(("given", "status", "told"), GIVEN)
def test_what_stands_for_a_connection(cli, folder, given, status, told):
    found, out, err = cli("read", given)
    assert (found, told in err) == (status, True), err
    assert (status == 0) is ("Read as " in out)
    if not told or status:
        assert err.startswith("cordtally: ") is bool(status)
    # every command takes the same, and says the same of it
    for command in (["convert", "--to", "psycopg2", given], ["compare", given, URL], ["vet", given, "--fail-on", "never"], ["dial", given, "--limit", "1ms"]):
        if command[0] == "vet" and given in {"one.txt", "./one.txt", "tally.toml"}:
            continue  # vetted as a file
        other, _, words = cli(*command)
        assert told in words, command
        assert (other in {2, 3}) is (status != 0), command


def test_both_sides_may_be_cords_in_an_environment(cli, folder):
    status, out, _ = cli("compare", "tides@staging", "tides@production")
    assert status == 1
    assert "gauge-1.greywick.example" in out
    assert cli("compare", "tides@production", "tides", "-e", "production")[0] == 0
    assert "given twice" in cli("read", "tides@production", "-e", "staging")[2]


def test_a_slip_is_told_before_anything_is_dialled(cli, folder):
    status, out, err = cli("dial", "logbook", "tidse")
    assert (status, out) == (2, "")
    assert "did you mean tides?" in err


def test_several_trees_are_swept(cli, folder):
    every = json.loads(cli("sweep", ".", "--json", "--fail-on", "never")[1])
    parts = json.loads(cli("sweep", "services", "pools", "--json", "--fail-on", "never")[1])
    found = {hit["path"] for hit in every["hits"]}
    assert {hit["path"] for hit in parts["hits"]} == {path for path in found if path.startswith(("services/", "pools/"))}
    assert cli("sweep", "services", "servicse")[0] == 2


@pytest.mark.parametrize(
    ("arguments", "status", "kind"),
    [(["read", "postgresql://h:x/d"], 3, "unreadable-text"), (["read", "Server=h;Database=d;UID=u"], 3, "ambiguous-text"),
     (["convert", "tidse", "--to", "npgsql"], 2, "unknown-name"), (["vet", "nothing.yml"], 2, "bad-field"), (["drivers", "nosuch"], 2, "unknown-name"),
     (["show", "--tally", "one.txt"], 2, "bad-tally"), (["convert", URL], 2, "bad-field"), (["read", "@latin.txt"], 2, "bad-field")],
)  # fmt: skip
def test_a_failure_is_a_document_too(cli, folder, arguments, status, kind):
    found, out, err = cli(*arguments, "--json")
    document = json.loads(out)
    assert (found, document["schema"], document["error"]["kind"]) == (status, "cordtally/error/1", kind), err
    assert document["error"]["message"] in err


def test_every_finding_names_its_source(cli, folder):
    document = json.loads(cli("vet", "tides@production", URL, "services/tide-gauge/settings.py", "--json")[1])
    assert list(dict.fromkeys(found["source"] for found in document["findings"])) == ["tides in production", "argument 2", "services/tide-gauge/settings.py"]


@pytest.mark.parametrize(("text", "fail_on", "status"), [(URL, "error", 0), (URL, "warning", 1), ("postgresql://h:x/d", "error", 1), ("postgresql://h:x/d", "never", 0)])
def test_lines_heed_fail_on(cli, text, fail_on, status):
    tame = json.dumps({"text": "postgresql://h/d?sslmode=verify-full&sslrootcert=system"})
    assert cli("vet", "--lines", "--fail-on", fail_on, stdin=json.dumps({"text": text}) + "\n" + tame + "\n")[0] == status
