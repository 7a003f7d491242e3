"""Look-ups in the environment that have to do with databases."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from ..syntax.languages import lookup_patterns

_DATABASE = re.compile(
    r"(?:^|_)(?:DATABASE|DB|PG|POSTGRES(?:QL)?|MYSQL|MARIADB|MONGO(?:DB)?|REDIS|MSSQL|SQL(?:SERVER)?|ORACLE|JDBC|DSN|"
    r"ODBC|CONNSTR|CLICKHOUSE)|(?:PASSW(?:OR)?D|_PASS|_PWD|_DSN)$|^(?:PASS|PWD)$|DATABASE|^PG[A-Z]|CONN(?:ECTION)?_?STR",
    re.IGNORECASE,
)
_OTHERS = re.compile(r"^PWD$|OLDPWD|_(?:LOG|DEBUG|VERSION|IMAGE|DIR|CACHE|PAGER|BIN|FILE)$|PAGER", re.IGNORECASE)


class LookUp(NamedTuple):
    """A variable that is looked up, where, and where its plain default stands, if it has one."""

    name: str
    start: int
    end: int
    default: tuple[int, int] | None
    plain: bool


def is_telling(name: str) -> bool:
    """Whether a variable has to do with a database, by its name."""
    return _DATABASE.search(name) is not None and _OTHERS.search(name) is None


def look_ups(text: str, language: str, start: int, end: int) -> Iterator[LookUp]:
    """Give the variables that a stretch of a program looks up, and that have to do with databases."""
    for pattern in lookup_patterns(language):
        for match in pattern.finditer(text, start, end):
            groups = match.groupdict()
            name = groups.get("name") or groups.get("indexed") or groups.get("braced")
            if name and is_telling(name):
                plain = groups.get("plain") is not None
                held = "plain" if plain else "default" if groups.get("default") is not None else None
                yield LookUp(name, *match.span(), None if held is None else match.span(held), plain)
