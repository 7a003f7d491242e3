"""Comparing: what counts as the same server, database, user and security, through aliases, defaults and notations."""

import pytest

import cordtally as ct

SAME = [
    ("postgresql://h/d", "postgresql://H.:5432/d?sslmode=prefer"),
    ("postgresql://localhost/d", "host=127.0.0.1 dbname=d"),
    ("postgresql://[2001:db8:0::1]/d", "Host=2001:db8::1;Database=d"),
    ("postgresql:///d", "jdbc:postgresql://localhost/d"),
    ("postgresql://a:1,b/d", "host=b,a port=5432,1 dbname=d"),
    ("mysql+pymysql://u@h/d", "jdbc:mariadb://h:3306/d?user=u"),
    ("host=/run/pg dbname=d", "host=/run/pg port=5432 dbname=d"),
    ("logs/../logbook.sqlite", "sqlite:///logbook.sqlite"),
    ("postgresql://h/d?connect_timeout=5", "postgresql://h/d?connect_timeout=9"),
    ("redis://h/0", "redis://h:6379"),
    ("jdbc:oracle:thin:@H:1521/charts", "oracle+oracledb://h/?service_name=CHARTS"),
    ("jdbc:sqlserver://desk;databaseName=customs", "sqlserver://DESK:1433?database=Customs"),
    ("mongodb://a,b:27018/x", "mongodb://b:27018,a:27017/x"),
]
DIFFERENT = [
    ("jdbc:sqlserver://desk\\A;databaseName=c", "jdbc:sqlserver://desk\\B;databaseName=c", "server", "hosts"),
    ("mongodb+srv://roster.greywick.example/x", "mongodb+srv://roster-2.greywick.example/x", "server", "srv"),
    ("postgresql://h/d", "postgresql://h:5433/d", "server", "hosts"),
    ("postgresql://h/d", "postgresql://g/d", "server", "hosts"),
    ("postgresql://h/d", "mysql+pymysql://h/d", "server", "engine"),
    ("postgresql://h/d", "postgresql://h/D", "database", "database"),
    ("postgresql://h/?service=a", "postgresql://h/?service=b", "server", "service"),
    ("a.sqlite", "b.sqlite", "database", "database"),
]


@pytest.mark.parametrize(("left", "right"), SAME)
def test_the_same_place(left, right):
    found = ct.compare(left, right)
    assert found.same_place, found.differences
    assert ct.compare(right, left).same_place


@pytest.mark.parametrize(("left", "right", "question", "part"), DIFFERENT)
def test_different_places(left, right, question, part):
    found = ct.compare(left, right)
    assert not found.same_place
    assert (question, part) in {(d.question, d.part) for d in found.differences}


@pytest.mark.parametrize(
    ("left", "right", "differing"),
    [
        ("postgresql://u@h/d", "postgresql://v@h/d", {"user"}),
        ("postgresql://u:a@h/d", "postgresql://u:b@h/d", {"behaviour"}),
        ("postgresql://h/d?sslmode=require", "postgresql://h/d", {"security"}),
        ("postgresql://h/d", "DRIVER={PostgreSQL Unicode};Server=h;Database=d", {"security", "behaviour"}),
        ("postgresql://h/d?connect_timeout=5", "jdbc:postgresql://h/d?connectTimeout=5", set()),
        ("postgresql://a,b/d", "postgresql://b,a/d", {"behaviour"}),
    ],
)
def test_what_else_differs(left, right, differing):
    found = ct.compare(left, right)
    assert {d.question for d in found.differences} == differing
    assert found.same_place
    assert "a@" not in str(found.to_dict())


def test_cords_and_the_document():
    cord = ct.compose(engine="postgresql", host="h", database="d", password="env:X")
    found = ct.compare(cord, "postgresql://h:5432/d").to_dict()
    assert (found["schema"], found["same_place"], found["same_user"]) == ("cordtally/comparison/1", True, True)
    assert {"question", "part", "left", "right", "remark"} == set(found["differences"][0])
