"""The statements of each engine, its identifiers and literals quoted by its own rules.

A password never stands in them: where an engine wants one at once, a variable of its own client does.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Literal, NamedTuple

from ..errors import FieldError

Access = Literal["read-only", "read-write", "owner"]
ACCESS: tuple[Access, ...] = ("read-only", "read-write", "owner")


class Wanted(NamedTuple):
    """Who is to be made: the user, from which host (MySQL), the database, its schemas, and whether over TLS alone."""

    user: str
    database: str
    access: Access
    schemas: tuple[str, ...]
    host: str
    tls: bool


class Statement(NamedTuple):
    """One statement, and where it has to run: on the server, or while connected to the database."""

    text: str
    inside: bool = False


def _refuse_controls(name: str) -> None:
    """Refuse what no name needs, and what could end a comment or a line of a client's."""
    if any(ord(character) < 32 or ord(character) == 127 for character in name):
        raise FieldError("a name holds a control character: choose another")


def quoted_with(mark: str, name: str, *, end: str = "") -> str:
    """Quote an identifier, or a literal, by doubling its closing mark."""
    end = end or mark
    _refuse_controls(name)
    return mark + name.replace(end, end * 2) + end


def _postgresql(wanted: Wanted) -> Iterator[Statement]:
    """PostgreSQL 15 manual: CREATE ROLE, GRANT, ALTER DEFAULT PRIVILEGES; run on a server."""
    user, database = quoted_with('"', wanted.user), quoted_with('"', wanted.database)
    yield Statement(f"CREATE ROLE {user} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION")
    yield Statement(f"GRANT CONNECT ON DATABASE {database} TO {user}")
    if wanted.access == "owner":
        # since PostgreSQL 16 whoever is no superuser has to be a member of a role to give it anything
        yield Statement(f"ALTER DATABASE {database} OWNER TO {user}")
    tables = {"read-only": "SELECT", "read-write": "SELECT, INSERT, UPDATE, DELETE", "owner": "ALL"}[wanted.access]
    sequences = {"read-only": "SELECT", "read-write": "SELECT, USAGE", "owner": "ALL"}[wanted.access]
    for name in wanted.schemas:
        schema = quoted_with('"', name)
        yield Statement(f"GRANT {'ALL' if wanted.access == 'owner' else 'USAGE'} ON SCHEMA {schema} TO {user}", True)
        for kind, rights in (("TABLES", tables), ("SEQUENCES", sequences)):
            yield Statement(f"GRANT {rights} ON ALL {kind} IN SCHEMA {schema} TO {user}", True)
            # what is made later by the role that runs this, which should be the one that makes tables
            yield Statement(f"ALTER DEFAULT PRIVILEGES IN SCHEMA {schema} GRANT {rights} ON {kind} TO {user}", True)
    if wanted.access == "read-only":
        yield Statement(f"ALTER ROLE {user} IN DATABASE {database} SET default_transaction_read_only = on")


def _mysql(wanted: Wanted) -> Iterator[Statement]:
    """MariaDB 10.11 and MySQL 8: CREATE USER, GRANT; run on MariaDB. Locked, since it has no password yet."""
    account = f"{_literal(wanted.user)}@{_literal(wanted.host)}"
    # in a grant _ and % in a database's name stand for any character, unless a backslash is before them
    pattern = wanted.database.replace("\\", "\\\\").replace("_", "\\_").replace("%", "\\%")
    database = quoted_with("`", pattern)
    yield Statement(f"CREATE USER {account}{' REQUIRE SSL' if wanted.tls else ''} ACCOUNT LOCK")
    rights = {
        "read-only": "SELECT, SHOW VIEW", "read-write": "SELECT, SHOW VIEW, INSERT, UPDATE, DELETE, EXECUTE",
        "owner": "ALL PRIVILEGES",
    }[wanted.access]  # fmt: skip
    yield Statement(f"GRANT {rights} ON {database}.* TO {account}")


def _literal(text: str) -> str:
    """A literal of MySQL's: backslashes count in it, unless NO_BACKSLASH_ESCAPES is set, so that none may stand."""
    if "\\" in text:
        raise FieldError("a name with a backslash means another one under NO_BACKSLASH_ESCAPES: choose another")
    return quoted_with("'", text)


def _sqlserver(wanted: Wanted) -> Iterator[Statement]:
    """Transact-SQL: CREATE LOGIN, CREATE USER, ALTER ROLE; from Microsoft's documentation, not run."""
    user, database = quoted_with("[", wanted.user, end="]"), quoted_with("[", wanted.database, end="]")
    yield Statement(f"CREATE LOGIN {user} WITH PASSWORD = N'$(password)', DEFAULT_DATABASE = {database}")
    yield Statement(f"USE {database}", True)
    yield Statement(f"CREATE USER {user} FOR LOGIN {user}", True)
    roles = {"read-only": ("db_datareader",), "read-write": ("db_datareader", "db_datawriter"), "owner": ("db_owner",)}
    for role in roles[wanted.access]:
        yield Statement(f"ALTER ROLE {role} ADD MEMBER {user}", True)


def _oracle(wanted: Wanted) -> Iterator[Statement]:
    """Oracle SQL: CREATE USER, GRANT … ON SCHEMA (since 23ai); from Oracle's documentation, not run."""
    _refuse_controls(wanted.user)
    if '"' in wanted.user:
        raise FieldError("no name of Oracle's may hold a double quote")
    user = f'"{wanted.user}"'
    yield Statement(f'CREATE USER {user} IDENTIFIED BY "&password" ACCOUNT UNLOCK')
    yield Statement(f"GRANT CREATE SESSION TO {user}")
    if wanted.access == "owner":
        yield Statement(f"GRANT CREATE TABLE, CREATE VIEW, CREATE SEQUENCE, CREATE PROCEDURE TO {user}")
        yield Statement(f"ALTER USER {user} QUOTA UNLIMITED ON USERS")
        return
    rights = "SELECT" if wanted.access == "read-only" else "SELECT, INSERT, UPDATE, DELETE"
    for one in rights.split(", "):
        for name in wanted.schemas:
            yield Statement(f"GRANT {one} ANY TABLE ON SCHEMA {quoted_with(chr(34), name)} TO {user}")


def _clickhouse(wanted: Wanted) -> Iterator[Statement]:
    """ClickHouse's access control: CREATE USER, GRANT; from its documentation, not run."""
    user, database = _escaped(wanted.user), _escaped(wanted.database)
    yield Statement(f"CREATE USER {user} IDENTIFIED WITH sha256_password BY {{password:String}}")
    rights = {"read-only": "SELECT", "read-write": "SELECT, INSERT, ALTER UPDATE, ALTER DELETE", "owner": "ALL"}
    yield Statement(f"GRANT {rights[wanted.access]} ON {database}.* TO {user}")
    if wanted.access == "read-only":
        yield Statement(f"ALTER USER {user} SETTINGS readonly = 1")


def _escaped(name: str) -> str:
    _refuse_controls(name)
    return "`" + name.replace("\\", "\\\\").replace("`", "\\`") + "`"


def _mongodb(wanted: Wanted) -> Iterator[Statement]:
    """MongoDB's createUser, for its shell; from its documentation, not run. The shell asks for the password."""
    import json

    _refuse_controls(wanted.user + wanted.database)
    role = {"read-only": "read", "read-write": "readWrite", "owner": "dbOwner"}[wanted.access]
    named = {"user": wanted.user, "roles": [{"role": role, "db": wanted.database}]}
    document = json.dumps(named, ensure_ascii=False)
    yield Statement(f'db.getSiblingDB("admin").createUser({{...{document}, pwd: passwordPrompt()}})')


def _redis(wanted: Wanted) -> Iterator[Statement]:
    """Redis 7, ACL SETUSER; run. Rights cannot be given for one numbered database alone."""
    _refuse_controls(wanted.user)
    if any(character.isspace() or character in "\"'" for character in wanted.user):
        raise FieldError("no name of Redis's may hold a blank or a quote")
    rights = {
        "read-only": "+@read", "read-write": "+@read +@write", "owner": "+@all -@admin",
    }[wanted.access]  # fmt: skip
    always = "-@dangerous +ping +select +info"
    yield Statement(f"ACL SETUSER {wanted.user} off resetpass resetkeys ~* &* -@all {rights} +@connection {always}")


def _unlocked(user: str, host: str) -> str:
    return f"ALTER USER {_literal(user)}@{_literal(host)} ACCOUNT UNLOCK"


def _switched_on(user: str, host: str) -> str:
    return f"ACL SETUSER {user} on"


class Way(NamedTuple):
    """How an engine makes users: its statements, how its client writes comments and ends, and what is particular to it.

    ``quoted`` quotes the name of a database; ``applied`` says that statements are run here; ``opens`` lets a user log
    in whose password is set; ``connects`` says that some run while connected to the database; users ``have_hosts``;
    ``schemas`` are those that are meant where none is named; ``needs_database``, since rights are given for one.
    """

    make: Callable[[Wanted], Iterator[Statement]]
    client: str
    quoted: Callable[[str], str]
    comment: str = "--"
    end: str = ";"
    applied: bool = False
    opens: Callable[[str, str], str] | None = None
    connects: bool = False
    has_hosts: bool = False
    needs_database: bool = True
    schemas: Callable[[str], tuple[str, ...]] = lambda database: ()


def _doubled(name: str) -> str:
    return quoted_with('"', name)


def _ticked(name: str) -> str:
    return quoted_with("`", name)


def _bracketed(name: str) -> str:
    return quoted_with("[", name, end="]")


ENGINES: dict[str, Way] = {
    "postgresql": Way(_postgresql, "psql", _doubled, applied=True, connects=True, schemas=lambda database: ("public",)),
    "mariadb": Way(_mysql, "mariadb", _ticked, applied=True, opens=_unlocked, has_hosts=True),
    "mysql": Way(_mysql, "mysql", _ticked, applied=True, opens=_unlocked, has_hosts=True),
    "sqlserver": Way(_sqlserver, "sqlcmd -v password=…", _bracketed),
    "oracle": Way(_oracle, "sqlplus, which asks for the password", _doubled, schemas=lambda name: (name.upper(),)),
    "clickhouse": Way(_clickhouse, "clickhouse-client --param_password=…", _escaped),
    "mongodb": Way(_mongodb, "mongosh, which asks for the password", _doubled, comment="//", end=""),
    "redis": Way(_redis, "redis-cli", _doubled, comment="#", end="", applied=True, opens=_switched_on,
                 needs_database=False),
}  # fmt: skip
