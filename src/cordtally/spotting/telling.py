"""The lines of a text in which something could stand: most lines of a tree are never looked at by an expression."""

from __future__ import annotations

from collections.abc import Iterator

# every candidate has one of these in its line: a search for each takes less time than one expression of them all
_WORDS = (
    "://", "@tcp(", "@unix(", "file:", "host", "server", "dsn", "data source", "driver", "dbname", "service", "user",
    "uid", "port", "pass", "pwd", "psw", "pw", "secret", "token", "credential", "assertion", "key",
    "storage_connection_string", "mysql", "mariadb", "redis-cli", "sqlcmd", "masterauth", "identified",
)  # fmt: skip
_NEEDS_SIGN = frozenset(["host", "server", "dsn", "data source", "driver", "dbname", "service", "user", "uid", "port"])


def telling_lines(text: str) -> Iterator[tuple[int, str]]:
    """Give the lines, by number from 1, that hold a telling word."""
    folded = text.lower()
    if len(folded) != len(text):  # a capital whose small letter is two: places would be others
        yield from enumerate(text.split("\n"), 1)
        return
    starts: dict[int, int] = {}
    for word in _WORDS:
        sign = word in _NEEDS_SIGN
        at = folded.find(word)
        while at >= 0:
            start = folded.rfind("\n", 0, at) + 1
            end = folded.find("\n", at)
            end = len(folded) if end < 0 else end
            if not sign or "=" in folded[start:end]:
                starts[start] = end
            at = folded.find(word, end)
    number, last = 1, 0
    for start in sorted(starts):
        number += text.count("\n", last, start)
        last = start
        yield number, text[start : starts[start]].rstrip("\r")
