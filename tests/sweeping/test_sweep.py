"""Sweeping: what is found in a tree, where, and what is passed over."""

from pathlib import Path

import pytest

import cordtally as ct
from cordtally.sweeping import sweep_text

FOUND = [
    ('url = "postgresql://u:not-a-real-pw@h/d"', "cord-with-password", "postgresql", 8),
    ("DATABASE_URL=postgres://u:not-a-real-pw@h:5432/d?sslmode=require", "cord-with-password", "postgresql", 14),
    ("see `jdbc:mariadb://h/d?user=u&password=not-a-real-pw`.", "cord-with-password", "mariadb", 6),
    ("u:not-a-real-pw@tcp(h:3306)/d", "cord-with-password", "mysql", 1),
    ('"Host=h;Username=u;Password=not-a-real-pw;Database=d"', "cord-with-password", "postgresql", 2),
    ("dsn: host=h dbname=d user=u password='not-a-real-pw'", "cord-with-password", "postgresql", 6),
    ("mongodb://u:not-a-real-pw@h/d", "cord-with-password", "mongodb", 1),
    ("harbour+tcp://u:not-a-real-pw@h/d", "cord-with-password", None, 1),
    ("postgresql://u:<password>@h/d", "cord-with-placeholder", "postgresql", 1),
    ("url: postgresql://h/d,", "cord", "postgresql", 6),
    ("sqlite:////var/lib/logbook.sqlite", "cord", "sqlite", 1),
    ("postgresql://u:not-a-real-pw@h:x1/d", "cord-with-password", "postgresql", 1),
    ("FOG_PASSWORD=not-a-real-pw", "secret-pair", None, 14),
    ('api_key: "not-a-real-pw"', "secret-pair", None, 11),
    ("  'client-secret' => 'not-a-real-pw',", "secret-pair", None, 23),
    ("db.password = not-a-real-pw1", "secret-pair", None, 15),
    ("spring.datasource.password=not-a-real-pw", "secret-pair", None, 28),
]
PASSED = [
    "password = os.environ['X']",
    "password: ${FOG_PASSWORD}",
    "PASSWORD=",
    "password = None",
    "password: str",
    'password = "env:TIDES_PASSWORD"',
    "DB_PASSWORD=<password>",
    "password = get_password(name)",
    "password_file = /run/secrets/tides",
    "https://docs.greywick.example/tides#anchor",
    "if token == expected_token:",
    "self.password = settings.password",
    "the password: ask the harbour master",
    'token_type: "Bearer1"',
    "password_file=/run/secrets/x1y2",
    "see file:///usr/share/doc/x.html",
]


@pytest.mark.parametrize(("line", "rule", "engine", "column"), FOUND)
def test_found_with_its_place_and_masked(line, rule, engine, column):
    hits = list(sweep_text(f"first\n{line}\n", Path("x")))
    assert [(h.rule.value, h.engine, h.line, h.column) for h in hits] == [(rule, engine, 2, column)]
    assert "not-a-real" not in repr(hits)


SECRET = "not-a-real-pw1"
# a file, a line, and what is reported of it: the secret itself is in none
WRITTEN = [
    ("x.asp", f'conn.Open "DSN=desk;", "customs", "{SECRET}"', ["cord", "secret-pair"]),
    ("x.pm", f'DBI->connect("dbi:Oracle:host=charts.greywick.example;sid=CHARTS", "keeper/{SECRET}", "")', ["secret-pair"]),
    ("x.json", f'{{"Desk": "Server=customs.greywick.example;Database=desk;User Id=customs;Password={SECRET}"}}', ["cord-with-password"]),
    ("x.json", f'{{"Desk": "server=h;port=3306;uid=u;pwd={SECRET}"}}', ["cord-with-password"]),
    ("x.go", f'sql.Open("postgres", "user=keeper password={SECRET} dbname=tides host=gauge.greywick.example sslmode=disable")', ["cord-with-password"]),
    ("x.ipynb", f'{{"source": ["password = \\"{SECRET}\\"\\n"]}}', ["secret-pair"]),
    ("x.py", f'password: str = "{SECRET}"', ["secret-pair"]),
    ("x.ts", f"class Desk {{ password: string = '{SECRET}'; }}", ["secret-pair"]),
    ("x.java", f'ds.setPassword("{SECRET}");', ["secret-pair"]),
    ("x.java", f'info.setProperty("password", "{SECRET}");', ["secret-pair"]),
    ("x.php", f"define('DB_PASSWORD', '{SECRET}');", ["secret-pair"]),
    ("x.php", f"'password' => env('DB_PASSWORD', '{SECRET}')", ["secret-pair"]),
    ("x.xml", f"<password>{SECRET}</password>", ["secret-pair"]),
    ("x.xml", f'<property name="password" value="{SECRET}"/>', ["secret-pair"]),
    ("x.xml", f'<add key="RedisPassword" value="{SECRET}"/>', ["secret-pair"]),
    ("x.sh", f"mysql -u berth -p{SECRET}", ["secret-pair"]),
    ("x.sh", f"redis-cli -a {SECRET}", ["secret-pair"]),
    ("x.sh", f"sqlcmd -P {SECRET}", ["secret-pair"]),
    ("redis.conf", f"requirepass {SECRET}", ["secret-pair"]),
    ("Dockerfile", f"ENV MYSQL_ROOT_PASSWORD {SECRET}", ["secret-pair"]),
    ("x.sql", f"CREATE USER a IDENTIFIED BY '{SECRET}'", ["secret-pair"]),
    ("x.sql", f"ALTER ROLE a PASSWORD '{SECRET}'", ["secret-pair"]),
    ("x.cs", f'var c = "Server=h;Password=\\"a;{SECRET}\\";Database=d"; var d = "Server=x;Pwd=q";', ["cord-with-password", "cord-with-password"]),
    ("x.py", 'f"postgresql://{user}:{password}@{host}/{name}"', ["cord-with-placeholder"]),
    ("x.sh", "postgres://$USER:$PASSWORD@h/d", ["cord-with-placeholder"]),
    ("x.c", "port = htons (sport);", []),
    ("x.log", "--- PASS: x-1y2", []),
    ("x.json", '"minipass": "^7.0.2"', []),
    ("x.json", '"token": "identifier"', []),
    ("x.c", "_M_token = _S_token_ord_char;", []),
    ("x.env", "XSCVQPSWZ=bollard-88", []),
    ("x.py", "pass_count = 'three-x1'", []),
    ("x.py", "names = ('password', 'username')", []),
]  # fmt: skip


@pytest.mark.parametrize(("name", "line", "rules"), WRITTEN)
def test_as_programs_and_config_files_write_it(name, line, rules):
    hits = list(sweep_text(f"first\n{line}\n", Path(name)))
    assert [hit.rule.value for hit in hits] == rules
    assert SECRET not in repr(hits)


@pytest.mark.parametrize(
    ("line", "found"),
    [("connect(password=rsa_key2, token=t1)", 0), ("password = 'not-a-real-pw'", 1), ("key = private_key=ec2.make(1)", 0),
     ("password = 'not[a1real(pw'", 1), ("password = 'get(a1)[b2]'", 0), ("password = '{0}-of-{1}-a1'", 0)],
)
def test_in_code_only_quoted_values_are_secrets(line, found):
    assert len(list(sweep_text(line, Path("x.py")))) == found


MORE = "def tide(x):\n    return {'height': x, 'gauge': 'north'}\n\n\n" * 60


@pytest.mark.parametrize("before", ["", MORE])
@pytest.mark.parametrize(("text", "severity"), [
    ('def f():\n    return connect(\n        password="not-a-real-pw1",\n    )\n\n\n', "error"),
    ('"""Help.\n\nconnect(password="not-a-real-pw1")\n\nhelp\n"""\n\n\n', "warning"),
    ('# connect(password="not-a-real-pw1")\n\n\n', "warning"),
])
def test_a_part_of_a_large_program_is_read_as_in_a_small_one(text, severity, before):
    (hit,) = sweep_text(before + text + MORE, Path("x.py"))
    assert (hit.severity.value, hit.line) == (severity, before.count("\n") + text[: text.index("not-a")].count("\n") + 1)


@pytest.mark.parametrize("line", PASSED)
def test_references_and_prose_are_no_secrets(line):
    assert list(sweep_text(line, Path("x"))) == []


def test_a_tree_with_ignored_binary_and_large_files(tmp_path):
    (tmp_path / ".gitignore").write_text("build/\n*.log\n!keep.log\n")
    (tmp_path / "inner").mkdir()
    (tmp_path / "inner" / ".gitignore").write_text("local.env\n")
    secret = "A_PASSWORD=not-a-real-pw\n"
    for name in ("a.env", "x.log", "keep.log", "build/b.env", "inner/local.env", "inner/c.env", ".git/config"):
        place = tmp_path / name
        place.parent.mkdir(exist_ok=True)
        place.write_text(secret)
    (tmp_path / "binary").write_bytes(b"\0" + secret.encode())
    with (tmp_path / "large.txt").open("wb") as stream:
        stream.truncate((1 << 30) + 1)
    (tmp_path / "latin.txt").write_bytes(b"caf\xe9 " + secret.encode())
    (tmp_path / "link.env").symlink_to(tmp_path / "a.env")
    seen = []
    result = ct.sweep(tmp_path, progress=seen.append)
    assert sorted(h.path.as_posix() for h in result.hits) == ["a.env", "inner/c.env", "inner/local.env", "keep.log", "latin.txt"]
    assert (result.binary, len(result.too_large), seen[-1]) == (1, 1, result.files)
    assert "not-a-real" not in str(result.to_dict())
    assert len(ct.sweep(tmp_path / "a.env").hits) == 1
    with pytest.raises(FileNotFoundError):
        ct.sweep(tmp_path / "nowhere")


def test_the_harbour_is_full_of_them(harbour):
    result = ct.sweep(harbour)
    found = {(h.path.parent.name, h.rule.value) for h in result.hits}
    assert found >= {
        ("tide-gauge", "cord-with-password"),
        ("tide-gauge", "cord-with-placeholder"),
        ("berth-ledger", "secret-pair"),
        ("customs-desk", "cord-with-password"),
        ("fog-signal", "cord-with-password"),
        ("survey", "cord-with-password"),
    }
    assert "debug.log" not in {h.path.name for h in result.hits}
