"""Which engine a place tells of by its words: the name of a variable, of a key, of a file, of what stands before."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection, Iterable
from functools import cache
from pathlib import Path
from typing import NamedTuple


class _Telling(NamedTuple):
    """The facts of ``catalog/telling.toml``, as expressions by engine, in their order."""

    words: tuple[tuple[str, re.Pattern[str]], ...]
    clients: tuple[tuple[str, re.Pattern[str]], ...]
    texts: tuple[tuple[str, re.Pattern[str]], ...]
    spotted: dict[str, str]


@cache
def _telling() -> _Telling:
    raw = tomllib.loads((Path(__file__).parents[1] / "catalog" / "telling.toml").read_text("utf-8"))
    known = raw["engines"]
    return _Telling(
        tuple((one["engine"], _expression(rf"(?:^|[^a-z])(?:{one['words']})(?![a-z])")) for one in known),
        tuple(
            (one["engine"], _expression(rf"(?<![\w.-])(?:{one['clients']})(?=\s|$)"))
            for one in known
            if "clients" in one
        ),
        tuple((one["engine"], _expression(one["keys"])) for one in raw["texts"]),
        {name: one["engine"] for one in known for name in one.get("spotted", ())},
    )


def _expression(words: str) -> re.Pattern[str]:
    return re.compile(words, re.IGNORECASE)


_SAID = re.compile(
    r"(?:db|database|adapter|engine|driver|db_?type|dialect|db_?kind)[\"'\]]{0,2}\s{0,5}[=:]\s{0,5}[\"']?([\w.:+-]{2,40})|<Plugin\s+(\w+)>",
    re.IGNORECASE,
)
_LONGEST_SAID = 64 << 10  # characters
_PARTS = re.compile(r"(?<=[a-z])(?=[A-Z])")
_JOINED = re.compile(r"PG(?:PASSWORD|USER|HOST|DATABASE|PORT)|MSSQL_SA_PASSWORD")


def engine_said(text: str) -> str | None:
    """Give the one engine that a file says it is for, in a key or a section: ``db_adapter = "postgresql"``."""
    found = {engine_by_words([match[1] or match[2]]) for match in _SAID.finditer(text[:_LONGEST_SAID])} - {None}
    return found.pop() if len(found) == 1 else None


def engine_of_word(name: str | None) -> str | None:
    """Give the engine of what the words of clients, servers and SQL are called where they are spotted."""
    return _telling().spotted.get(name or "")


def engine_by_keys(text: str, engines: Collection[str] | None = None) -> str | None:
    """Give the engine, of some, that the keys of a text tell which several drivers read."""
    known = _telling().texts
    return next((one for one, keys in known if (engines is None or one in engines) and keys.search(text)), None)


def engine_by_client(line: str) -> str | None:
    """Give the engine of the client, or of the kind of SQL, that a line begins with."""
    return next((engine for engine, pattern in _telling().clients if pattern.search(line)), None)


def engine_by_words(words: Iterable[str | None]) -> str | None:
    """Give the engine of the first of several names that tells one."""
    for word in words:
        if not word:
            continue
        if (joined := _JOINED.search(word)) is not None:
            return "postgresql" if joined[0].startswith("PG") else "sqlserver"
        parted = _PARTS.sub("_", word)
        for engine, pattern in _telling().words:
            if pattern.search(parted) or pattern.search(word):
                return engine
    return None
