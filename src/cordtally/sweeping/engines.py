"""Which engine a place tells of by its words: the name of a variable, of a key, of a file, of what stands before."""

from __future__ import annotations

import re
from collections.abc import Iterable

_WORDS = (
    ("mariadb", r"maria(?:db)?"),
    ("mysql", r"mysqli?\d?|pdo_mysql|rds_mysql|my\.cnf|my\.ini|proxysql|aws_rds_mysql"),
    ("postgresql", r"postgres(?:ql)?|pg|e?pgsql|psql|npgsql|pgpass|pgpassword|postgrest|pgbouncer|userlist|odyssey"),
    ("mongodb", r"mongo(?:db)?"),
    ("redis", r"redis|requirepass|masterauth|valkey"),
    ("sqlserver", r"mssql|sqlserver|sqlsrv|sqlcmd|sa_password|sapassword"),
    ("oracle", r"oracle|ora|oci\d?|tns"),
    ("clickhouse", r"clickhouse"),
    ("firebird", r"firebird|isc|interbase"),
)
_ENGINES = tuple((engine, re.compile(rf"(?:^|[^a-z])(?:{words})(?![a-z])", re.IGNORECASE)) for engine, words in _WORDS)
# what the words of clients, servers and SQL are called where they are spotted
_OF_CLIENTS = {
    "-p": "mysql",
    "-a": "redis",
    "-P": "sqlserver",
    "-pas": "firebird",
    "user/password": "oracle",
    "IDENTIFIED BY": "mysql",
    "IDENTIFIED": "oracle",
    "SET PASSWORD": "mysql",
    "acl": "redis",
}
_CLIENTS = (
    ("mysql", r"mysql\w*|mariadb\w*"),
    ("postgresql", r"psql|pg_\w+|createdb|createuser"),
    ("mongodb", r"mongo\w*"),
    ("redis", r"redis-\w+"),
    ("sqlserver", r"sqlcmd|bcp|invoke-sqlcmd|alter login|create login"),
    ("firebird", r"isql|gbak|gsec|gfix"),
    ("oracle", r"sqlplus|expdp|impdp|rman|sqlldr"),
    ("clickhouse", r"clickhouse-client"),
    ("postgresql", r"(?:create|alter) (?:user|role)(?! mapping)"),
)
_COMMANDS = tuple((engine, re.compile(rf"(?<![\w.-])(?:{words})(?=\s|$)", re.IGNORECASE)) for engine, words in _CLIENTS)
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
    return _OF_CLIENTS.get(name or "")


def engine_by_client(line: str) -> str | None:
    """Give the engine of the client, or of the kind of SQL, that a line begins with."""
    return next((engine for engine, pattern in _COMMANDS if pattern.search(line)), None)


def engine_by_words(words: Iterable[str | None]) -> str | None:
    """Give the engine of the first of several names that tells one."""
    for word in words:
        if not word:
            continue
        if (joined := _JOINED.search(word)) is not None:
            return "postgresql" if joined[0].startswith("PG") else "sqlserver"
        parted = _PARTS.sub("_", word)
        for engine, pattern in _ENGINES:
            if pattern.search(parted) or pattern.search(word):
                return engine
    return None
