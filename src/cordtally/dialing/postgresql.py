"""The last three rungs for PostgreSQL, through psycopg."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from ..errors import MissingExtra
from ..model import Cord, Host
from ..secrets import arguments_for
from .network import ask_postgresql
from .rungs import Diagnosis, RungBroke

if TYPE_CHECKING:
    from psycopg import Connection

DRIVER = "psycopg"
upgrade = ask_postgresql

_ANSWERS = (
    (r"password authentication failed|no password supplied|SASL|SCRAM", "log in", Diagnosis(
        "the server does not accept user and password together",
        "check both; after a paste, look for a placeholder, a blank at the end, or missing escapes")),
    (r'role ".*" does not exist', "log in", Diagnosis(
        "the server knows no such user", "names are case-sensitive; ask the administrator for CREATE ROLE … LOGIN")),
    (r"no pg_hba\.conf entry|pg_hba\.conf rejects", "log in", Diagnosis(
        "the server's pg_hba.conf lets nobody in like this: user, database, address and TLS decide together",
        "add a line there, or ask for TLS if the line says hostssl")),
    (r"Peer authentication failed|Ident authentication failed", "log in", Diagnosis(
        "the server compares the operating system's user with the role, and they differ",
        "connect over TCP with a password, or as that operating-system user")),
    (r'database ".*" does not exist', "database", Diagnosis(
        "the user is let in, and the database does not exist there", "check its name, or create it")),
    (r"permission denied for database", "database", Diagnosis(
        "the user may not connect to this database", "GRANT CONNECT ON DATABASE … TO …")),
    (r"too many (clients|connections)|remaining connection slots", "log in", Diagnosis(
        "the server has no free connection left", "shrink the pools (cordtally pool size), or raise max_connections")),
    (r"starting up|shutting down|in recovery", "log in", Diagnosis(
        "the server is starting up or shutting down", "wait, and dial again")),
    (r"timeout expired", "log in", Diagnosis(
        "the server took the connection and did not answer in time", "it may be overloaded; --limit waits longer")),
)  # fmt: skip


def socket_name(host: Host) -> str:
    """The file of a server's socket, by folder and port (PostgreSQL 15 documentation, section 34.1.2)."""
    return f"{host.address}/.s.PGSQL.{host.port or 5432}"


def log_in(cord: Cord, limit: float) -> Connection:
    """Connect through the driver; what it says is turned into a cause and never quoted.

    Raises
    ------
    RungBroke
        With the cause; its rung is ``log in`` or ``database``.
    MissingExtra
        When psycopg is not installed.
    """
    try:
        import psycopg
    except ImportError:
        raise MissingExtra("psycopg", "postgresql", "dialling PostgreSQL") from None
    arguments = arguments_for(cord, DRIVER)
    arguments.setdefault("connect_timeout", max(2, round(limit)))
    arguments.setdefault("application_name", "cordtally dial")
    try:
        return psycopg.connect(**arguments)  # type: ignore[arg-type]
    except (psycopg.Error, UnicodeError) as error:
        raise refusal_of(str(error)) from None


class DatabaseBroke(RungBroke):
    """The log-in held, and the database did not."""


def refusal_of(said: str) -> RungBroke:
    """Turn what libpq or the server said into a cause."""
    for pattern, rung, diagnosis in _ANSWERS:
        if re.search(pattern, said, re.IGNORECASE):
            return DatabaseBroke(diagnosis) if rung == "database" else RungBroke(diagnosis)
    return RungBroke(
        Diagnosis("the server or the driver refused, for a reason that is not known here", "look into the server's log")
    )


def answer(connection: Connection) -> str:
    """Ask the server who it is and whom it sees."""
    with connection, connection.cursor() as cursor:
        cursor.execute("SELECT current_setting('server_version'), current_user, current_database()")
        version, user, database = cursor.fetchone() or ("?", "?", "?")
    return f"PostgreSQL {str(version).partition(' ')[0]}, user {user}, database {database}"
