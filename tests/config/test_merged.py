"""A block put into a file that is there: what it declares is added, all else is as it was, byte for byte."""

import pytest

import cordtally as ct
from cordtally.config import declared_in, emit, emitted_layouts, merge
from cordtally.config.layouts import load_layouts


def emitted(layout, name, environment="staging", host="gauge"):
    engine = next(iter(load_layouts()[layout].emit["drivers"]))
    cord = ct.compose(engine=engine, database="1" if engine == "redis" else "tides", host=f"{host}.greywick.example", port=6001, user="keeper", password=ct.Secret("not-a-real-pw"))
    return emit(cord, layout, called=name, name=name, environment=environment)


@pytest.mark.parametrize("newline", ["\n", "\r\n"])
@pytest.mark.parametrize("layout", emitted_layouts())
def test_a_second_connection_is_put_beside_the_first(layout, newline, tmp_path):
    first, second = emitted(layout, "first"), emitted(layout, "second", host="berths")
    path = tmp_path / first.file
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(first.text.replace("\n", newline).encode())
    alone = tmp_path / "alone" / path.name if path.parent == tmp_path else tmp_path / "alone" / path.parent.name / path.name
    alone.parent.mkdir(parents=True)
    alone.write_text(second.text)
    if {one.title for one in declared_in(alone)} & {one.title for one in declared_in(path)}:  # one connection a file, or one of each environment
        with pytest.raises(ct.FieldError, match="already"):
            merge(second, path)
        return
    before = {one.title: one.cord for one in declared_in(path)}
    made = merge(second, path)
    assert all(line[:1] in "+ @-" for line in made.lines)
    made.apply()
    after = {one.title: one.cord for one in declared_in(path)}
    assert {title: after[title] for title in before} == before
    assert len(after) == len(before) + 1
    assert path.read_bytes().count(b"\n") == path.read_bytes().count(newline.encode()) or newline == "\n"
    kept = iter(path.read_text().splitlines())
    assert all(any(line.rstrip(",") == new.rstrip(",") for new in kept) for line in first.text.splitlines())  # nothing is gone, in its order


def test_environments_are_added_to_files_that_name_them(tmp_path):
    for layout in ("knex", "sequelize", "rails", "dbt"):
        first, second = emitted(layout, "tides", "staging"), emitted(layout, "tides", "production", "gauge-2")
        path = tmp_path / first.file.rpartition("/")[2]
        path.write_text(first.text)
        merge(second, path).apply()
        assert {one.environment: str(one.cord.hosts[0]) for one in declared_in(path)} == {"staging": "gauge.greywick.example:6001", "production": "gauge-2.greywick.example:6001"}


def test_the_command_puts_a_block_into_a_file(cli, harbour):
    (harbour / "database.yml").write_text("# ours\nproduction:\n  log:\n    adapter: sqlite3\n    database: x.sqlite # behind\n")
    status, out, err = cli("emit", "tides@production", "--to", "rails", "--name", "tides", "--into", "database.yml")
    assert (status, "+  tides:\n+    adapter: postgresql\n" in out, "--apply writes it" in out) == (0, True, True), err
    assert "tides" not in (harbour / "database.yml").read_text()
    cli("emit", "tides@production", "--to", "rails", "--name", "tides", "--into", "database.yml", "--apply")
    assert "tides@production" in cli("show", "database.yml")[1]
    for arguments, told in (
        (["--to", "rails", "--name", "tides", "--into", "database.yml"], "declares tides@production already"),
        (["--to", "django", "--into", "database.yml"], "is no file of Django"),
        (["--to", "python", "--into", "database.yml"], "a program is a file of its own"),
        (["--to", "rails", "--apply"], "--apply goes with --into"),
        (["--to", "rails", "--pooled"], "--pooled goes with a language"),
        (["--to", "rails", "--into", "nosuch.yml"], "does not exist"),
    ):
        status, _, err = cli("emit", "tides@production", *arguments)
        assert (status, told in err) == (2, True), err
